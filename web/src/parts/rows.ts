import { useQueries, useQuery } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import type { Schemas } from "../api/client";
import { bayQuery, type Lookup } from "../api/hooks";

/** A list that the server gives in pages, of which only those are asked for that are looked at. */
export function useRows(kind: Schemas["End"]["kind"], view: Lookup, words: string, size: number) {
	const [shown, setShown] = useState<number[]>([]);
	// The first page is always asked for, since it tells how long the list is; while another one is on its way, the last one stays.
	const first = useQuery(bayQuery(kind, view, words, 0, size)).data;
	const pages = useQueries({ queries: shown.map((page) => bayQuery(kind, view, words, page, size)) });
	/** Says which places are looked at now. */
	const need = useCallback(
		(places: { index: number }[]) => {
			const wanted = [...new Set(places.map((p) => Math.floor(p.index / size)))].filter((page) => page > 0).sort((a, b) => a - b);
			setShown((before) => (before.join() === wanted.join() ? before : wanted));
		},
		[size],
	);
	return {
		/** The first page, with the counts; undefined until it has come. */
		first,
		/** The row at a place; undefined until it has come. */
		rowAt: (place: number): Schemas["Row"] | undefined => {
			const page = Math.floor(place / size);
			return (page === 0 ? first : pages[shown.indexOf(page)]?.data)?.rows[place % size];
		},
		need,
	};
}

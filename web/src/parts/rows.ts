import { useQueries } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import type { Schemas } from "../api/client";
import { bayQuery, type Lookup } from "../api/hooks";

/** A list that the server gives in pages, of which only those are asked for that are looked at. */
export function useRows(kind: Schemas["End"]["kind"], view: Lookup, words: string, size: number) {
	const [shown, setShown] = useState<number[]>([0]);
	const pages = useQueries({ queries: shown.map((page) => bayQuery(kind, view, words, page, size)) });
	/** Says which places are looked at now; the first page always is, since it tells how long the list is. */
	const need = useCallback(
		(places: { index: number }[]) => {
			const wanted = [...new Set([0, ...places.map((p) => Math.floor(p.index / size))])].sort((a, b) => a - b);
			setShown((before) => (before.join() === wanted.join() ? before : wanted));
		},
		[size],
	);
	return {
		/** The first page, with the counts; undefined until it has come. */
		first: pages[0]?.data,
		/** The row at a place; undefined until it has come. */
		rowAt: (place: number): Schemas["Row"] | undefined => pages[shown.indexOf(Math.floor(place / size))]?.data?.rows[place % size],
		need,
	};
}

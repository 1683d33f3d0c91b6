import type { QueryKey } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import { type Ask, useAsk, useAsks } from "../api/ask";

/** How to ask for one page of a list. */
export type PageQuery<P> = (page: number) => { queryKey: QueryKey; queryFn: (ask: Ask) => Promise<P> };

/** A list that the server gives in pages, of which only those are asked for that are looked at. */
export function usePages<P extends { rows: unknown[] }>(query: PageQuery<P>, size: number) {
	const [shown, setShown] = useState<number[]>([]);
	// The first page is always asked for, since it tells how long the list is; while another one is on its way, the last one stays.
	const { queryKey, queryFn } = query(0);
	const first = useAsk<P>({ queryKey, queryFn, placeholderData: (before) => before });
	const pages = useAsks<P>(shown.map((page) => query(page)));
	/** Says which places are looked at now. */
	const need = useCallback(
		(places: { index: number }[]) => {
			const wanted = [...new Set(places.map((p) => Math.floor(p.index / size)))]
				.filter((page) => page > 0)
				.sort((a, b) => a - b);
			setShown((before) => (before.join() === wanted.join() ? before : wanted));
		},
		[size],
	);
	return {
		/** The first page, with the counts; undefined until it has come. */
		first: first.data,
		/** The first page is of what was asked before; that of now is on its way. */
		stale: first.isPlaceholderData,
		error: first.error,
		retry: first.refetch,
		/** The row at a place; undefined until it has come. */
		rowAt: (place: number): P["rows"][number] | undefined => {
			const page = Math.floor(place / size);
			return (page === 0 ? first.data : pages[shown.indexOf(page)]?.data)?.rows[place % size];
		},
		need,
	};
}

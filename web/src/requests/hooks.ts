import { useQueryClient } from "@tanstack/react-query";
import { type Ask, useAsk } from "../api/ask";
import { data } from "../api/client";
import { design } from "../api/hooks";

const requests = [...design, "requests"] as const;

/** What one asked for, and what waits for one's decision. */
export const useRequests = () => useAsk({ queryKey: requests, queryFn: (ask: Ask) => data(ask.GET("/api/requests")) });

export const useRequest = (id: number | undefined) =>
	useAsk({
		queryKey: [...requests, id],
		queryFn: (ask: Ask) => data(ask.GET("/api/requests/{id}", { params: { path: { id: id ?? 0 } } })),
		enabled: id !== undefined,
	});

/** Refreshes what concerns requests, and how many wait. */
export function useRequestsChanged() {
	const cache = useQueryClient();
	return () =>
		Promise.all([cache.invalidateQueries({ queryKey: requests }), cache.invalidateQueries({ queryKey: ["me"] })]);
}

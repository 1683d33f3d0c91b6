import {
	type QueryClient,
	type QueryFunctionContext,
	type QueryKey,
	type UseQueryOptions,
	type UseQueryResult,
	useQueries,
	useQuery,
} from "@tanstack/react-query";
import { useMemo } from "react";
import { useSearchParams } from "react-router";
import { questions } from "./client";

/** How the design is looked at, beside the area: on which day, and through whose eyes. */
export type Lens = { when?: string; as?: string };

/** The lens that the address tells, as of this render. */
export function useLens(): Lens {
	const [params] = useSearchParams();
	const when = params.get("when") ?? undefined;
	const as = params.get("as") ?? undefined;
	return useMemo(() => ({ when, as }), [when, as]);
}

/** The API, asked through one lens, until the question is superseded. */
export type Ask = Pick<typeof questions, "GET" | "POST">;

type Init = { params?: { query?: object } };

/** Puts a lens into every call, and ends it with a signal: what the key of a query says is what is asked. */
function through(lens: Lens, signal: AbortSignal): Ask {
	const looking = (init?: Init) => ({
		...init,
		signal,
		params: { ...init?.params, query: { ...init?.params?.query, ...lens } },
	});
	// What is added is on every address of the API; its description tells it of none, so that the types need not know.
	const call = (ask: unknown) => (path: string, init?: Init) =>
		(ask as (path: string, init: Init) => unknown)(path, looking(init));
	return { GET: call(questions.GET), POST: call(questions.POST) } as unknown as Ask;
}

/** A question: its key, and how to ask it. */
export type Question<T> = Omit<UseQueryOptions<T, Error, T, QueryKey>, "queryFn"> & {
	queryFn: (ask: Ask) => Promise<T>;
};

/** Makes the lens a part of a question's key and of its call. */
export function seen<T>(lens: Lens, { queryKey, queryFn, ...rest }: Question<T>) {
	return {
		...rest,
		queryKey: [...queryKey, lens],
		queryFn: ({ signal }: QueryFunctionContext<QueryKey>) => queryFn(through(lens, signal)),
	};
}

/** For questions in pages: their key and call, given the lens. */
export const paged = <T, P>(lens: Lens, queryKey: QueryKey, ask: (ask: Ask, from: P) => Promise<T>) => ({
	queryKey: [...queryKey, lens],
	queryFn: ({ signal, pageParam }: QueryFunctionContext) => ask(through(lens, signal), pageParam as P),
});

/** Asks a question through the lens of the address. */
export function useAsk<T>(question: Question<T>): UseQueryResult<T, Error> {
	return useQuery(seen(useLens(), question));
}

/** Asks several at once. */
export function useAsks<T>(list: Question<T>[]): UseQueryResult<T, Error>[] {
	const lens = useLens();
	return useQueries({ queries: list.map((question) => seen(lens, question)) });
}

/** Keeps an answer that came by another way, as one's own present sight has it. */
export const keep = (cache: QueryClient, queryKey: QueryKey, lens: Lens, answer: unknown) =>
	cache.setQueryData([...queryKey, lens], answer);

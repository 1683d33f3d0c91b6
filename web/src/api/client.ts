import { hashKey, QueryClient } from "@tanstack/react-query";
import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];

/** What the server refused, in words for the person who asked. */
export class Refusal extends Error {
	constructor(
		readonly status: number,
		message: string,
		readonly problems: string[],
		readonly type: string = "",
	) {
		super(message);
	}
}

const client = createClient<paths>({ baseUrl: "/" });

/** How the design is looked at, beside the area: on which day, and through whose eyes. The address says so; every question carries it. */
export const lens = () => {
	const params = new URLSearchParams(window.location.search);
	return { when: params.get("when"), as: params.get("as") };
};

client.use({
	onRequest({ request }) {
		const { when, as } = lens();
		if (!when && !as) return undefined;
		const url = new URL(request.url);
		if (when) url.searchParams.set("when", when);
		if (as) url.searchParams.set("as", as);
		return new Request(url, request);
	},
});

type Problem = { type?: string; status?: number; detail?: string; title?: string; errors?: { message?: string; location?: string }[] | null };

function refusal(response: Response | undefined, error: unknown): Refusal {
	const problem = (typeof error === "object" && error !== null ? error : {}) as Problem;
	const status = response?.status ?? 0;
	const message =
		problem.detail ?? problem.title ?? (status ? `The server answered ${status}.` : "The server cannot be reached. Your draft is kept there.");
	return new Refusal(
		status,
		message,
		(problem.errors ?? []).map((e) => (e.location ? `${e.location}: ${e.message}` : (e.message ?? ""))).filter((m) => m && m !== message),
		problem.type,
	);
}

/** Gives the data of a call, or throws a Refusal. */
export async function data<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
	let result: { data?: T; error?: unknown; response: Response };
	try {
		result = await call;
	} catch (error) {
		throw refusal(undefined, error);
	}
	if (!result.response.ok) throw refusal(result.response, result.error);
	return result.data as T;
}

export const api = client;

export const queries = new QueryClient({
	defaultOptions: {
		queries: {
			// What is seen on another day, or through other eyes, is another thing.
			queryKeyHashFn: (key) => hashKey([lens(), ...key]),
			staleTime: 10_000,
			retry: (count, error) => !(error instanceof Refusal && error.status > 0) && count < 2,
			refetchOnWindowFocus: true,
		},
	},
});

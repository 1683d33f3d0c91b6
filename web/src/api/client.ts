import { QueryClient } from "@tanstack/react-query";
import createClient from "openapi-fetch";
import { at } from "./at";
import { patient } from "./patient";
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

const client = createClient<paths>({ baseUrl: at("/"), fetch: patient });

/** What is done is done as the address tells it at that moment: whoever looks at another day, or through other eyes, is refused. */
client.use({
	async onRequest({ request }) {
		const here = new URLSearchParams(window.location.search);
		if (!here.has("when") && !here.has("as")) return undefined;
		const url = new URL(request.url);
		for (const name of ["when", "as"]) {
			const value = here.get(name);
			if (value) url.searchParams.set(name, value);
		}
		const body = request.body ? await request.blob() : undefined; // a stream could not be sent anew
		return new Request(url, {
			method: request.method,
			headers: request.headers,
			credentials: request.credentials,
			signal: request.signal,
			body,
		});
	},
});

type Problem = {
	type?: string;
	status?: number;
	detail?: string;
	title?: string;
	errors?: { message?: string; location?: string }[] | null;
};

function refusal(response: Response | undefined, error: unknown): Refusal {
	const problem = (typeof error === "object" && error !== null ? error : {}) as Problem;
	const status = response?.status ?? 0;
	const request = response?.headers.get("X-Request-Id");
	const said =
		problem.detail ??
		problem.title ??
		(status ? `The server answered ${status}.` : "The server cannot be reached. Your draft is kept there.");
	// What went wrong inside is found in the server's log by the request's id.
	const message = status >= 500 && request ? `${said} The request was ${request}.` : said;
	return new Refusal(
		status,
		message,
		(problem.errors ?? [])
			.map((e) => (e.location ? `${e.location}: ${e.message}` : (e.message ?? "")))
			.filter((m) => m && m !== said),
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

/** For what is done. What is asked goes through `useAsk`, which says how it is looked at. */
export const api = client;

/** For what is asked. */
export const questions = createClient<paths>({ baseUrl: at("/"), fetch: patient });

export const queries = new QueryClient({
	defaultOptions: {
		queries: {
			staleTime: 10_000,
			retry: (count, error) => !(error instanceof Refusal && error.status > 0) && count < 2,
			refetchOnWindowFocus: true,
		},
	},
});

/**
 * Forgets what was shown to whoever was signed in before. What the door itself shows stays; and so does the question
 * who is signed in, as the house asks it, which waits for its answer and would not hear of another in its place.
 */
const forgetOthers = (cache: QueryClient) =>
	cache.removeQueries({
		predicate: (q) =>
			!["welcome", "sign-in"].includes(String(q.queryKey[0])) && !(q.queryKey[0] === "me" && q.isActive()),
	});

/** Lets somebody in: what was shown to others is forgotten, and the house is told who is there now. */
export function letIn(cache: QueryClient, me: Schemas["Me"]) {
	forgetOthers(cache);
	cache.setQueryData(["me", {}], me);
	cache.invalidateQueries({ queryKey: ["me"], predicate: (q) => q.state.status === "error" });
}

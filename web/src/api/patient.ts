import { useSyncExternalStore } from "react";

/**
 * What goes on at the server for longer than a moment: since when, in milliseconds, how to stop it, and whether the
 * server has been told so. What is being written to the record then is written still; the answer says which it was.
 */
export type Going = { since: number; stop: () => void; stopping: boolean };

let all: readonly Going[] = [];
const heard = new Set<() => void>();

function become(next: readonly Going[]) {
	all = next;
	for (const hear of heard) hear();
}

const subscribe = (hear: () => void) => {
	heard.add(hear);
	return () => heard.delete(hear);
};

/** What goes on now, longest first. */
export const useGoing = () => useSyncExternalStore(subscribe, () => all);

/**
 * Sends a request that need not be answered at once: after a second the server tells where the answer will be
 * (RFC 7240, respond-async), which is then waited for. Nothing goes on for a question that is superseded.
 */
export async function patient(request: Request): Promise<Response> {
	request.headers.set("Prefer", "respond-async, wait=1");
	const began = Date.now();
	let response = await fetch(request);
	const where = response.headers.get("Location");
	if (response.status !== 202 || !where) return response;
	const end = () => fetch(where, { method: "DELETE" }).catch(() => {}); // it ends by itself, too
	const one: Going = {
		since: began,
		stopping: false,
		stop: async () => {
			await end();
			one.stopping = true;
			become([...all]);
		},
	};
	become([...all, one]);
	try {
		while (response.status === 202) {
			// Not through the browser's cache, which would hold up what is sent to the same address meanwhile.
			response = await fetch(where, { headers: { Prefer: "wait=20" }, signal: request.signal, cache: "no-store" });
		}
		return response;
	} catch (error) {
		if (request.signal.aborted) end();
		throw error;
	} finally {
		become(all.filter((g) => g !== one));
	}
}

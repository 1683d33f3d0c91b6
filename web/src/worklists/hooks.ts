import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type Ask, useAsk } from "../api/ask";
import { api, data, type Schemas } from "../api/client";
import { design } from "../api/hooks";
import type { Counted } from "../parts/Counts";
import { useNotice } from "../parts/notice";

export type Source = Schemas["WorklistSource"];
export type Result = "does" | "already" | "not" | "none" | "left";

/** What each result is called, and looks like. */
export const results: Counted<Result>[] = [
	{ id: "does", name: "with a change", mark: "✓", tone: "text-moss" },
	{ id: "not", name: "with something not possible", mark: "✕", tone: "text-ox" },
	{ id: "already", name: "already so", mark: "=", tone: "text-quiet" },
	{ id: "left", name: "left out", mark: "–", tone: "text-ochre" },
];

export const resultOf = (id: string) => results.find((r) => r.id === id) ?? results[2];

export const useWorklists = (enabled = true) =>
	useAsk({
		queryKey: [...design, "worklists"],
		queryFn: (ask: Ask) => data(ask.GET("/api/worklists")),
		enabled,
	});

/** Does something to worklists, and has them looked at anew. */
export function useListing<A, T>(run: (argument: A) => Promise<T>) {
	const cache = useQueryClient();
	const { refuse } = useNotice();
	return useMutation({
		mutationFn: run,
		onError: refuse,
		onSuccess: () =>
			Promise.all([
				cache.invalidateQueries({ queryKey: [...design, "worklists"] }),
				cache.invalidateQueries({ queryKey: [...design, "worklist"] }),
			]),
	});
}

export const newWorklist = (name?: string) => data(api.POST("/api/worklists", { body: { name } }));

export const dropWorklist = (id: string) => data(api.DELETE("/api/worklists/{id}", { params: { path: { id } } }));

export const alterWorklist = (a: { id: string; body: Schemas["WorklistAlteration"] }) =>
	data(api.PATCH("/api/worklists/{id}", { params: { path: { id: a.id } }, body: a.body }));

export const gather = (a: { id: string; from: Source }) =>
	data(api.POST("/api/worklists/{id}/people", { params: { path: { id: a.id } }, body: a.from }));

export const gatherFile = async (a: { id: string; file: File }) =>
	data(
		api.POST("/api/worklists/{id}/file", {
			params: { path: { id: a.id }, query: { name: a.file.name } },
			body: (await a.file.arrayBuffer()) as unknown as string,
			bodySerializer: (body: unknown) => body as BodyInit,
			headers: { "Content-Type": "application/octet-stream" },
		}),
	);

/** Tells what came of gathering. */
export function gathered(g: Schemas["WorklistGathered"]): string {
	const said = [`${g.added.toLocaleString("en-GB")} came onto the list`];
	if (g.already) said.push(`${g.already.toLocaleString("en-GB")} were on it already`);
	if (g.unclear.length) said.push(`${g.unclear.length.toLocaleString("en-GB")} not recognised: look at the left`);
	return `${said.join("; ")}.`;
}

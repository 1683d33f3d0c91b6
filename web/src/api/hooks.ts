import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, data, type Schemas } from "./client";

/** Everything that depends on the design or the draft is under this key, so that one change refreshes all of it. */
export const design = ["design"] as const;

export type Lookup = { focus?: string; second?: string; where?: string };

export const useMe = () => useQuery({ queryKey: ["me"], queryFn: () => data(api.GET("/api/me")), retry: false });

export const useAreas = () => useQuery({ queryKey: [...design, "areas"], queryFn: () => data(api.GET("/api/areas")) });

export const usePicture = (view: Lookup) =>
	useQuery({
		queryKey: [...design, "picture", view],
		queryFn: () => data(api.GET("/api/frame", { params: { query: view } })),
		placeholderData: keepPreviousData,
	});

export const bayQuery = (kind: Schemas["End"]["kind"], view: Lookup, q: string, page: number, size: number) => ({
	queryKey: [...design, "bay", kind, view, q, page, size],
	queryFn: () => data(api.GET("/api/frame/{kind}", { params: { path: { kind }, query: { ...view, q, offset: page * size, limit: size } } })),
	placeholderData: keepPreviousData,
});

export const useDraft = (enabled = true) => useQuery({ queryKey: [...design, "draft"], queryFn: () => data(api.GET("/api/draft")), enabled });

export const usePerson = (id: string, where?: string) =>
	useQuery({
		queryKey: [...design, "person", id, where],
		queryFn: () => data(api.GET("/api/people/{id}", { params: { path: { id }, query: { where } } })),
		placeholderData: (before) => (before?.user.id === id ? before : undefined),
	});

export const useTrace = (id: string, permission: string | null, where?: string) =>
	useQuery({
		queryKey: [...design, "trace", id, permission, where],
		queryFn: () => data(api.GET("/api/people/{id}/trace", { params: { path: { id }, query: { permission: permission ?? "", where } } })),
		enabled: permission !== null,
	});

export const useReviews = () => useQuery({ queryKey: [...design, "reviews"], queryFn: () => data(api.GET("/api/reviews")) });

export const useReview = (id: number) =>
	useQuery({ queryKey: [...design, "review", id], queryFn: () => data(api.GET("/api/reviews/{id}", { params: { path: { id } } })) });

/** Runs a change of the draft and shows the draft that results; what else is on the screen follows. */
export function useDrafting<A>(run: (argument: A) => Promise<Schemas["Draft"]>) {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: run,
		onSuccess: (draft) => {
			cache.setQueryData([...design, "draft"], draft);
			cache.invalidateQueries({ queryKey: design, predicate: (q) => q.queryKey[1] !== "draft" });
		},
	});
}

export const draftJoin = (body: Schemas["JoinInputBody"]) => data(api.POST("/api/draft/join", { body }));
export const draftCut = (body: Schemas["CutInputBody"]) => data(api.POST("/api/draft/cut", { body }));
export const draftUndo = (revision: number) => data(api.POST("/api/draft/undo", { body: { revision } }));
export const draftTakeOut = (id: string) => data(api.DELETE("/api/draft/edits/{id}", { params: { path: { id } } }));
export const draftDiscard = () => data(api.DELETE("/api/draft"));

/** Refreshes everything after something was applied or decided. */
export function useRefresh() {
	const cache = useQueryClient();
	return () => Promise.all([cache.invalidateQueries({ queryKey: design }), cache.invalidateQueries({ queryKey: ["me"] })]);
}

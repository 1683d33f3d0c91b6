import { keepPreviousData, useMutation, useQueryClient } from "@tanstack/react-query";
import { setClock } from "../parts/days";
import { type Ask, keep, useAsk, useLens } from "./ask";
import { api, data, type Schemas } from "./client";

/** Everything that depends on the design or the draft is under this key, so that one change refreshes all of it. */
export const design = ["design"] as const;

export type Lookup = { focus?: string; second?: string; where?: string };

/** Who is signed in; asked again now and then, so that what others apply is noticed. */
export const useMe = () =>
	useAsk({
		queryKey: ["me"],
		queryFn: async (ask: Ask) => {
			const me = await data(ask.GET("/api/me"));
			setClock(me, Date.now());
			return { ...me, now: "" }; // so that an answer that says nothing new draws nothing anew
		},
		retry: false,
		refetchInterval: 15_000,
		placeholderData: keepPreviousData,
	});

export const useAreas = () =>
	useAsk({ queryKey: [...design, "areas"], queryFn: (ask: Ask) => data(ask.GET("/api/areas")) });

export const usePicture = (view: Lookup) =>
	useAsk({
		queryKey: [...design, "picture", view],
		queryFn: (ask: Ask) => data(ask.GET("/api/frame", { params: { query: view } })),
		placeholderData: keepPreviousData,
	});

export const bayQuery = (kind: Schemas["End"]["kind"], view: Lookup, q: string, page: number, size: number) => ({
	queryKey: [...design, "bay", kind, view, q, page, size],
	queryFn: (ask: Ask) =>
		data(
			ask.GET("/api/frame/{kind}", {
				params: { path: { kind }, query: { ...view, q, offset: page * size, limit: size } },
			}),
		),
});

export type ListKind =
	| "user"
	| "group"
	| "role"
	| "set"
	| "permission"
	| "area"
	| "system"
	| "delegation"
	| "conflict"
	| "guarantee"
	| "licence";

export type ListView = {
	q?: string;
	columns?: string[];
	sort?: string;
	down?: boolean;
	where?: string;
	mine?: string;
	choice?: boolean;
	offset?: number;
	limit?: number;
};

export const listQuery = (kind: ListKind, view: ListView) => ({
	queryKey: [...design, "list", kind, view],
	queryFn: (ask: Ask) => data(ask.GET("/api/lists/{kind}", { params: { path: { kind }, query: view } })),
	placeholderData: keepPreviousData,
});

export const useDraft = (enabled = true) =>
	useAsk({ queryKey: [...design, "draft"], queryFn: (ask: Ask) => data(ask.GET("/api/draft")), enabled });

/** A sheet: what was shown of the same thing stays until it has come anew. */
const sheet = <T extends { ref: { id: string } }>(
	room: string,
	id: string,
	where: string | undefined,
	get: (ask: Ask) => Promise<T>,
) => ({
	queryKey: [...design, room, id, where],
	queryFn: get,
	placeholderData: (before: T | undefined) => (before?.ref.id === id ? before : undefined),
});

const at = (id: string, where?: string) => ({ params: { path: { id }, query: { where } } });

export const useBundle = (kind: "role" | "set", id: string, where?: string, enabled = true) =>
	useAsk({
		...sheet(kind, id, where, (ask) =>
			kind === "role"
				? data(ask.GET("/api/roles/{id}", at(id, where)))
				: data(ask.GET("/api/sets/{id}", at(id, where))),
		),
		enabled,
	});
export const useGroup = (id: string, where?: string) =>
	useAsk(sheet("group", id, where, (ask) => data(ask.GET("/api/groups/{id}", at(id, where)))));
export const useArea = (id: string) =>
	useAsk(sheet("area", id, undefined, (ask) => data(ask.GET("/api/areas/{id}", at(id)))));
export const useSystem = (id: string) =>
	useAsk(sheet("system", id, undefined, (ask) => data(ask.GET("/api/systems/{id}", at(id)))));
export const usePermission = (id: string, where?: string) =>
	useAsk(sheet("permission", id, where, (ask) => data(ask.GET("/api/permissions/{id}", at(id, where)))));
export const useLicence = (id: string) =>
	useAsk(sheet("licence", id, undefined, (ask) => data(ask.GET("/api/licences/{id}", at(id)))));
export const useGuarantee = (id: string) =>
	useAsk(sheet("guarantee", id, undefined, (ask) => data(ask.GET("/api/guarantees/{id}", at(id)))));
export const useConflict = (id: string) =>
	useAsk(sheet("conflict", id, undefined, (ask) => data(ask.GET("/api/conflicts/{id}", at(id)))));

export const usePerson = (id: string, where?: string) =>
	useAsk({
		queryKey: [...design, "person", id, where],
		queryFn: (ask: Ask) => data(ask.GET("/api/people/{id}", { params: { path: { id }, query: { where } } })),
		placeholderData: (before) => (before?.user.id === id ? before : undefined),
	});

export const useTrace = (id: string, permission: string | null, where?: string) =>
	useAsk({
		queryKey: [...design, "trace", id, permission, where],
		queryFn: (ask: Ask) =>
			data(
				ask.GET("/api/people/{id}/trace", { params: { path: { id }, query: { permission: permission ?? "", where } } }),
			),
		enabled: permission !== null,
	});

export const useReviews = (where?: string) =>
	useAsk({
		queryKey: [...design, "reviews", where],
		queryFn: (ask: Ask) => data(ask.GET("/api/reviews", { params: { query: { where } } })),
	});

export const useReview = (id: number, where?: string) =>
	useAsk({
		queryKey: [...design, "review", id, where],
		queryFn: (ask: Ask) => data(ask.GET("/api/reviews/{id}", { params: { path: { id }, query: { where } } })),
	});

/** How many items of a review are asked for at once. */
export const itemsAtOnce = 100;

/** Which items of a review are asked for: all, the undecided, or those that are mine to decide. */
export type Only = "open" | "mine" | undefined;

/** A page of those items of a review that may be seen. */
export const itemsQuery = (id: number, where: string | undefined, only: Only, page: number) => ({
	queryKey: [...design, "review", id, "items", where, only, page],
	queryFn: (ask: Ask) =>
		data(
			ask.GET("/api/reviews/{id}/items", {
				params: { path: { id }, query: { where, only, offset: page * itemsAtOnce, limit: itemsAtOnce } },
			}),
		),
});

/** The place of the next undecided item of mine in a review, behind a place and then from the top; -1 if there is none. */
export const useNextItem = (id: number, where: string | undefined, after: number) =>
	useAsk({
		queryKey: [...design, "review", id, "next", where, after],
		queryFn: (ask: Ask) =>
			data(ask.GET("/api/reviews/{id}/items", { params: { path: { id }, query: { where, after, limit: 0 } } })),
	}).data?.next;

export const useReviewOutcome = (id: number, limit = 200) =>
	useAsk({
		queryKey: [...design, "review", id, "outcome", limit],
		queryFn: (ask: Ask) => data(ask.GET("/api/reviews/{id}/outcome", { params: { path: { id }, query: { limit } } })),
		placeholderData: keepPreviousData,
	});

export const useReviewAfter = (id: number) =>
	useAsk({
		queryKey: [...design, "review", id, "after"],
		queryFn: (ask: Ask) => data(ask.GET("/api/reviews/{id}/after", { params: { path: { id } } })),
	});

/** What is loose in the design. */
export const useFindings = (query: {
	kind?: string;
	about?: string;
	weight?: number;
	aside?: boolean;
	offset?: number;
	limit?: number;
}) =>
	useAsk({
		queryKey: [...design, "findings", query],
		queryFn: (ask: Ask) => data(ask.GET("/api/findings", { params: { query } })),
		placeholderData: keepPreviousData,
	});

export const repairFindings = (body: Schemas["MendInputBody"]) => data(api.POST("/api/findings/repair", { body }));
export const setFindingsAside = (body: Schemas["SetAsideInputBody"]) => data(api.POST("/api/findings/aside", { body }));

/** What reviews last said of a person, role or set. */
export const useLately = (kind: "user" | "role" | "set", id: string) =>
	useAsk({
		queryKey: [...design, "lately", kind, id],
		queryFn: (ask: Ask) => data(ask.GET("/api/reviews/lately", { params: { query: { kind, id } } })),
	});

export const useReviewItem = (id: number | undefined) =>
	useAsk({
		queryKey: [...design, "review-item", id],
		queryFn: (ask: Ask) => data(ask.GET("/api/review-items/{id}", { params: { path: { id: id ?? 0 } } })),
		enabled: id !== undefined,
	});

export const useTasks = () =>
	useAsk({ queryKey: [...design, "tasks"], queryFn: (ask: Ask) => data(ask.GET("/api/review-tasks")) });

export const useTask = (id: number) =>
	useAsk({
		queryKey: [...design, "task", id],
		queryFn: (ask: Ask) => data(ask.GET("/api/review-tasks/{id}", { params: { path: { id } } })),
	});

/** Runs a change of the draft and shows the draft that results; what else is on the screen follows. */
export function useDrafting<A>(run: (argument: A) => Promise<Schemas["Draft"]>) {
	const cache = useQueryClient();
	const lens = useLens();
	return useMutation({
		mutationFn: run,
		onSuccess: (draft) => {
			keep(cache, [...design, "draft"], lens, draft);
			cache.invalidateQueries({ queryKey: design, predicate: (q) => q.queryKey[1] !== "draft" });
		},
	});
}

export const draftJoin = (body: Schemas["JoinInputBody"]) => data(api.POST("/api/draft/join", { body }));
export const draftCut = (body: Schemas["CutInputBody"]) => data(api.POST("/api/draft/cut", { body }));
export const draftPutBack = (assignment: string) => data(api.POST("/api/draft/put-back", { body: { assignment } }));
export const draftUndo = (revision: number) => data(api.POST("/api/draft/undo", { body: { revision } }));
export const draftTakeOut = (id: string) => data(api.DELETE("/api/draft/edits/{id}", { params: { path: { id } } }));
export const draftDiscard = () => data(api.DELETE("/api/draft"));
export const draftRestore = () => data(api.POST("/api/draft/restore"));

export const draftKeep = (id: string) => data(api.POST("/api/draft/edits/{id}/keep", { params: { path: { id } } }));
export const draftAssign = (body: Schemas["AssignInputBody"]) => data(api.POST("/api/draft/assign", { body }));
export const draftEngage = (body: Schemas["EngageInputBody"]) => data(api.POST("/api/draft/engage", { body }));
export const draftTick = (body: Schemas["TickInputBody"]) => data(api.POST("/api/draft/tick", { body }));
export const draftDelete = (body: Schemas["DeleteInputBody"]) => data(api.POST("/api/draft/delete", { body }));
export const draftTidy = (group: string) => data(api.POST("/api/draft/tidy", { body: { group } }));
export const putPerson = (body: Schemas["PutUser"]) => data(api.PUT("/api/draft/people", { body }));
export const putGroup = (body: Schemas["PutGroup"]) => data(api.PUT("/api/draft/groups", { body }));
export const putRole = (body: Schemas["PutRole"]) => data(api.PUT("/api/draft/roles", { body }));
export const putSet = (body: Schemas["PutSet"]) => data(api.PUT("/api/draft/sets", { body }));
export const putArea = (body: Schemas["PutArea"]) => data(api.PUT("/api/draft/areas", { body }));
export const putAssignment = (body: Schemas["PutAssignment"]) => data(api.PUT("/api/draft/assignments", { body }));
export const putSystem = (body: Schemas["PutSystem"]) => data(api.PUT("/api/draft/systems", { body }));
export const putLicence = (body: Schemas["PutLicence"]) => data(api.PUT("/api/draft/licences", { body }));
export const putConflict = (body: Schemas["PutConflict"]) => data(api.PUT("/api/draft/conflicts", { body }));
export const putGuarantee = (body: Schemas["PutGuarantee"]) => data(api.PUT("/api/draft/guarantees", { body }));
export const putDelegation = (body: Schemas["PutDelegation"]) => data(api.PUT("/api/draft/delegations", { body }));

/** Refreshes everything after something was applied or decided. */
export function useRefresh() {
	const cache = useQueryClient();
	return () =>
		Promise.all([cache.invalidateQueries({ queryKey: design }), cache.invalidateQueries({ queryKey: ["me"] })]);
}

import type { Schemas } from "../api/client";

/** Whether somebody holds a right of Fachwerk's own system. What may be done is decided by the server; this only keeps from offering what would be refused. */
export const may = (me: Schemas["Me"], right: string) => me.rights.includes(`fachwerk:${right}`);

export const mayDraft = (me: Schemas["Me"]) =>
	["design:edit", "people:edit", "assignment:edit", "delegation:edit", "catalogue:edit"].some((r) => may(me, r));

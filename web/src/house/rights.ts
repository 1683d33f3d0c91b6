import type { Schemas } from "../api/client";

/** Whether somebody holds a right of Fachwerk's own system. What may be done is decided by the server; this only keeps from offering what would be refused. */
export const may = (me: Schemas["Me"], right: string) => me.rights.includes(`fachwerk:${right}`);

/** Whether anything can be changed now: not on another day, nor through other eyes. */
export const acting = (me: Schemas["Me"]) => !me.day && me.user.id === me.signedIn.id;

/** Whether somebody sees the design, or a part of it. */
export const sees = (me: Schemas["Me"]) => may(me, "design:view") || me.delegated.length > 0;

/** Whether somebody may draft changes freely, as in the frame. */
export const mayDraft = (me: Schemas["Me"]) =>
	acting(me) &&
	["design:edit", "people:edit", "assignment:edit", "delegation:edit", "catalogue:edit"].some((r) => may(me, r));

/** What is said of a change that was applied, to who can take it back. */
export const undoWords = (me: Schemas["Me"]) =>
	mayDraft(me) && may(me, "history:view") ? " It can be undone in the history." : "";

/** Whether somebody may do something by a right, or by a delegation. */
export const mayEither = (me: Schemas["Me"], right: string, action: string) =>
	acting(me) && (may(me, right) || me.delegated.includes(action));

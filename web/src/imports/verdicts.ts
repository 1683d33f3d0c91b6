import type { Schemas } from "../api/client";
import type { Counted } from "../parts/Counts";

/** What becomes of a row. */
export type Verdict = Schemas["ImportRow"]["verdict"];

/** What each is called, and looks like. */
export const verdicts: Counted<Verdict>[] = [
	{ id: "error", name: "error", many: "errors", mark: "✕", tone: "text-ox" },
	{ id: "create", name: "new", many: "new", mark: "+", tone: "text-moss" },
	{ id: "change", name: "change", many: "changes", mark: "≠", tone: "text-ochre" },
	{ id: "same", name: "already so", many: "already so", mark: "=", tone: "text-quiet" },
	{ id: "ignored", name: "ignored", many: "ignored", mark: "·", tone: "text-quiet" },
];

export const verdictOf = (id: Verdict) => verdicts.find((v) => v.id === id) ?? verdicts[4];

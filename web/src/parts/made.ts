import type { Schemas } from "../api/client";

/** The id of what the last act of a draft made, as its sentence names it. */
export function madeBy(draft: Schemas["Draft"], kind: string): string | undefined {
	return draft.edits
		.at(-1)
		?.sentences.flat()
		.find((p) => p.kind === kind)?.id;
}

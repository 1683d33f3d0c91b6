import { useEffect, useRef, useState } from "react";
import type { Schemas } from "../api/client";
import { useDraft } from "../api/hooks";
import { count } from "../parts/words";

const words = (e: Schemas["DraftEdit"]) => e.sentences.map((s) => s.map((p) => p.text).join("")).join("; ");

/** What becomes of the draft, for who does not see the sill: what came into it or left it, and what it comes to. */
export function Told() {
	const draft = useDraft().data;
	const before = useRef<Schemas["Draft"]>(null);
	const [text, setText] = useState("");
	useEffect(() => {
		if (!draft) return;
		const was = before.current;
		before.current = draft;
		if (!was) return; // what lay there already is no news
		const came = draft.edits.filter((e) => !was.edits.some((o) => o.id === e.id));
		const went = was.edits.filter((e) => !draft.edits.some((n) => n.id === e.id));
		if (came.length + went.length === 0) return;
		if (draft.edits.length === 0 && draft.revision > was.revision) return setText(""); // it was applied, which is told
		const said = [
			...came.map((e) => `Put into the draft: ${words(e)}.`),
			...went.slice(0, 3).map((e) => `Out of the draft: ${words(e)}.`),
			draft.edits.length === 0
				? "The draft is empty."
				: `${count(draft.edits.length, "change", "changes")}: ${count(draft.gaining, "person gains", "people gain")}, ${count(draft.losing, "person loses", "people lose")}.`,
			...(draft.blocks.length > 0 ? [`It cannot be applied: ${draft.blocks[0]}`] : []),
		];
		setText(said.join(" "));
	}, [draft]);
	return (
		<p role="status" className="sr-only">
			{text}
		</p>
	);
}

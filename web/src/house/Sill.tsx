import { useEffect, useState } from "react";
import type { Schemas } from "../api/client";
import { draftRestore, useDraft, useDrafting } from "../api/hooks";
import { useNotice } from "../parts/notice";
import { count, moment } from "../parts/words";
import { OpenSill } from "./OpenSill";

/** The beam at the bottom: the draft. Nothing is ever applied without passing here. */
export function Sill({ me, drafting }: { me: Schemas["Me"]; drafting: boolean }) {
	const draft = useDraft();
	const restore = useDrafting(draftRestore);
	const { refuse } = useNotice();
	const [open, setOpen] = useState(false);
	const edits = draft.data?.edits ?? [];
	useEffect(() => {
		const press = (e: KeyboardEvent) => {
			if (e.altKey && e.code === "KeyD") {
				e.preventDefault();
				setOpen((o) => !o);
			}
			if (e.key === "Escape" && !e.defaultPrevented) setOpen(false);
		};
		window.addEventListener("keydown", press);
		return () => window.removeEventListener("keydown", press);
	}, []);
	const empty = draft.data?.edits.length === 0;
	useEffect(() => {
		if (empty) setOpen(false); // the next draft begins closed
	}, [empty]);
	if (!draft.data || edits.length === 0) {
		return (
			<section
				aria-label="Draft"
				className="flex h-[48px] shrink-0 items-center border-t-[3px] border-[var(--beam)] bg-raised px-[18px] text-quiet"
			>
				{draft.error
					? draft.error.message
					: me.day || me.user.id !== me.signedIn.id
						? `Everything shown is revision ${me.revision}. Nothing can be changed from here; your draft is kept.`
						: `${drafting ? "No draft. Everything shown" : "Everything shown"} is revision ${me.revision}${me.applied ? `, ${moment(me.applied)}` : ""}.`}
				{draft.data && draft.data.discarded > 0 && !me.day && (
					<button
						type="button"
						className="link ml-4"
						disabled={restore.isPending}
						onClick={() => restore.mutate(undefined, { onError: refuse })}
					>
						Bring back {count(draft.data.discarded, "discarded change", "discarded changes")}
					</button>
				)}
			</section>
		);
	}
	const d = draft.data;
	return (
		<>
			{open && <OpenSill draft={d} onClose={() => setOpen(false)} />}
			<section
				aria-label="Draft"
				className="flex min-h-[56px] shrink-0 items-center gap-6 max-[900px]:flex-wrap max-[900px]:gap-2 max-[900px]:py-1 border-t-[3px] border-l-8 border-[var(--beam)] border-l-ochre-line bg-sunk px-[14px]"
			>
				<div className="min-w-0 grow">
					<p className="font-bold">
						<span className="text-ochre">Draft</span> · {count(edits.length, "change", "changes")}
					</p>
					<p className="truncate text-[12px]">
						{edits.map((e) => e.sentences.map((s) => s.map((p) => p.text).join("")).join("; ")).join(" · ")}
					</p>
				</div>
				<Tally draft={d} />
				<button type="button" className="action" aria-expanded={open} onClick={() => setOpen(!open)}>
					{open ? "Close" : "Open"}
				</button>
				<button type="button" className="action main" disabled={open} onClick={() => setOpen(true)}>
					Apply …
				</button>
			</section>
		</>
	);
}

function Tally({ draft }: { draft: Schemas["Draft"] }) {
	const meanwhile = draft.edits.filter((e) => e.meanwhile.length > 0).length;
	const broken = draft.conflicts.filter((c) => !c.cleared && !c.excepted).length;
	return (
		<p className="flex shrink-0 gap-5 font-semibold max-[900px]:flex-wrap">
			{draft.gaining > 0 && <span className="text-moss">▲ {count(draft.gaining, "person gains", "people gain")}</span>}
			{draft.losing > 0 && <span className="text-ox">▼ {count(draft.losing, "person loses", "people lose")}</span>}
			{draft.gaining + draft.losing === 0 && <span className="text-quiet">nobody’s access changes</span>}
			{meanwhile > 0 && <span className="text-ochre">others changed the same</span>}
			{broken > 0 && <span className="text-ox">✕ {count(broken, "conflict", "conflicts")}</span>}
			{draft.blocks.length > 0 && <span className="text-ox">✕ blocked</span>}
		</p>
	);
}

import { useMutation } from "@tanstack/react-query";
import { useEffect, useId, useRef, useState } from "react";
import { api, data, Refusal, type Schemas } from "../api/client";
import { draftDiscard, draftTakeOut, useDraft, useDrafting, useRefresh } from "../api/hooks";
import { useNotice } from "../parts/notice";
import { count, extent, moment, Name, riskWords, Sentence } from "../parts/words";

/** The beam at the bottom: the draft. Nothing is ever applied without passing here. */
export function Sill({ me, drafting }: { me: Schemas["Me"]; drafting: boolean }) {
	const draft = useDraft();
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
	if (!draft.data || edits.length === 0) {
		return (
			<section aria-label="Draft" className="flex h-[48px] shrink-0 items-center border-t-[3px] border-[var(--beam)] bg-raised px-[18px] text-quiet">
				{draft.error
					? draft.error.message
					: `${drafting ? "No draft. Everything shown" : "Everything shown"} is revision ${me.revision}${me.applied ? `, ${moment(me.applied)}` : ""}.`}
			</section>
		);
	}
	const d = draft.data;
	return (
		<>
			{open && <OpenSill draft={d} onClose={() => setOpen(false)} />}
			<section
				aria-label="Draft"
				className="flex h-[56px] shrink-0 items-center gap-6 border-t-[3px] border-l-8 border-[var(--beam)] border-l-ochre-line bg-sunk px-[14px]"
			>
				<div className="min-w-0 grow">
					<p className="font-bold">
						<span className="text-ochre">Draft</span> · {count(edits.length, "change", "changes")}
					</p>
					<p className="truncate text-[12px]">{edits.map((e) => e.sentences.map((s) => s.map((p) => p.text).join("")).join("; ")).join(" · ")}</p>
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
	const broken = draft.conflicts.filter((c) => !c.cleared && !c.excepted).length;
	return (
		<p className="flex shrink-0 gap-5 font-semibold">
			{draft.gaining > 0 && <span className="text-moss">▲ {count(draft.gaining, "person gains", "people gain")}</span>}
			{draft.losing > 0 && <span className="text-ox">▼ {count(draft.losing, "person loses", "people lose")}</span>}
			{draft.gaining + draft.losing === 0 && <span className="text-quiet">nobody’s access changes</span>}
			{broken > 0 && <span className="text-ox">✕ {count(broken, "conflict", "conflicts")}</span>}
			{draft.blocks.length > 0 && <span className="text-ox">✕ blocked</span>}
		</p>
	);
}

function OpenSill({ draft, onClose }: { draft: Schemas["Draft"]; onClose: () => void }) {
	const { tell, refuse } = useNotice();
	const refresh = useRefresh();
	const [reason, setReason] = useState("");
	const reasonId = useId();
	const input = useRef<HTMLInputElement>(null);
	useEffect(() => input.current?.focus(), []);
	const takeOut = useDrafting(draftTakeOut);
	const discard = useDrafting(draftDiscard);
	const apply = useMutation({
		mutationFn: () => data(api.POST("/api/draft/apply", { body: { reason, stamp: draft.stamp } })),
		onSuccess: async (done) => {
			onClose();
			await refresh();
			tell(`Revision ${done.revision} is applied. It can be undone in the history.`);
		},
		onError: async (error) => {
			refuse(error);
			if (error instanceof Refusal && error.status === 409) await refresh();
		},
	});
	return (
		<section
			aria-label="The draft and its impact"
			data-open
			className="flex max-h-[48vh] min-h-[200px] shrink-0 flex-col border-t-[3px] border-[var(--beam)] bg-raised"
		>
			<div className="grid min-h-0 grow grid-cols-[minmax(0,5fr)_minmax(0,7fr)]">
				<div className="min-h-0 overflow-auto border-r-[3px] border-[var(--beam)] p-[18px]">
					<h2 className="text-[15px] font-bold">What changes</h2>
					<ol className="mt-2">
						{draft.edits.map((e) => (
							<li key={e.id} className="flex gap-3 border-b border-hair py-2">
								<div className="grow">
									{e.undoes ? <p className="text-[12px] font-semibold text-ochre">Undoes revision {e.undoes}</p> : null}
									{e.sentences.slice(0, 30).map((s) => (
										<p key={s.map((p) => p.text).join("")}>
											<Sentence parts={s} />
										</p>
									))}
									{e.sentences.length > 30 && <p className="text-quiet">and {e.sentences.length - 30} more</p>}
									{e.sentences.length === 0 && <p className="text-quiet">Nothing is left to change: this is so already.</p>}
								</div>
								<button type="button" className="link shrink-0 self-start" onClick={() => takeOut.mutate(e.id, { onError: refuse })}>
									Take out
								</button>
							</li>
						))}
					</ol>
				</div>
				<div className="min-h-0 overflow-auto p-[18px]">
					{draft.blocks.length > 0 && (
						<div role="alert" className="mb-4 border-l-8 border-ox bg-plaster p-3">
							<p className="font-bold text-ox">✕ This cannot be applied yet</p>
							<ul className="mt-1 list-disc pl-5">
								{draft.blocks.map((b) => (
									<li key={b}>{b}</li>
								))}
							</ul>
						</div>
					)}
					<SideEffects draft={draft} />
					<h2 className="text-[15px] font-bold">Who gains and who loses</h2>
					{draft.people.length === 0 && <p className="mt-2 text-quiet">Nobody’s effective permissions change.</p>}
					{alike(draft.people).map((group) => (
						<GroupImpact key={group[0].user.id} people={group} />
					))}
					{draft.gaining + draft.losing > 0 && draft.people.length >= 200 && (
						<p className="mt-2 text-quiet">Those who gain or lose most are listed; there are more.</p>
					)}
				</div>
			</div>
			<form
				className="flex items-end gap-3 border-t border-hair px-[18px] py-3"
				onSubmit={(e) => {
					e.preventDefault();
					apply.mutate();
				}}
			>
				<label htmlFor={reasonId} className="grow">
					<span className="text-[12px] text-quiet">Why (for the history)</span>
					<input
						id={reasonId}
						ref={input}
						className="field"
						value={reason}
						maxLength={1000}
						onChange={(e) => setReason(e.target.value)}
						placeholder="e.g. new in the gate crew"
					/>
				</label>
				<button type="button" className="action danger" onClick={() => discard.mutate(undefined, { onError: refuse, onSuccess: onClose })}>
					Discard all
				</button>
				<button type="submit" className="action main" disabled={apply.isPending || draft.blocks.length > 0 || reason.trim() === ""}>
					{apply.isPending ? "Applying …" : `Apply ${count(draft.edits.length, "change", "changes")}`}
				</button>
			</form>
		</section>
	);
}

/** Puts people together who gain and lose the same, most people first. */
function alike(people: Schemas["PersonImpact"][]): Schemas["PersonImpact"][][] {
	const key = (list: Schemas["Holding"][]) => list.map((h) => `${h.permission} ${h.area.id} ${h.reach}`).join();
	const groups = Map.groupBy(people, (p) => `${key(p.gains)}|${key(p.losses)}`);
	return [...groups.values()].sort((a, b) => b.length - a.length);
}

const namesShown = 12;
const rowsShown = 6;

/** People by name, the first few unless all are wanted. */
function Names({ people, all }: { people: Schemas["Ref"][]; all?: boolean }) {
	return (
		<>
			{people.slice(0, all ? undefined : namesShown).map((p, i) => (
				<span key={p.id}>
					{i > 0 && ", "}
					<Name kind="user" id={p.id}>
						{p.name}
					</Name>
				</span>
			))}
			{!all && people.length > namesShown && <b> and {people.length - namesShown} more</b>}
		</>
	);
}

function GroupImpact({ people }: { people: Schemas["PersonImpact"][] }) {
	const [open, setOpen] = useState(false);
	const { gains, losses } = people[0];
	const rows = [...gains.map((h) => ({ h, gain: true })), ...losses.map((h) => ({ h, gain: false }))].sort((a, b) => b.h.risk - a.h.risk);
	const more = rows.length > rowsShown || people.length > namesShown;
	return (
		<div className="border-b border-hair py-2">
			<p>
				<Names people={people.map((p) => p.user)} all={open} />
				{people.length > 1 && <span className="text-quiet"> — {people.length} people, each:</span>}
			</p>
			<ul className="mt-1">
				{rows.slice(0, open ? undefined : rowsShown).map(({ h, gain }) => (
					<li key={`${gain}${h.permission}${h.area.id}${h.reach}`} className="flex items-baseline gap-3 py-[1px]">
						<span className={`w-[52px] shrink-0 text-[12px] font-semibold ${gain ? "text-moss" : "text-ox"}`}>{gain ? "▲ gains" : "▼ loses"}</span>
						<span className="font-mono text-[12px]">{h.permission}</span>
						<span className="text-quiet">{extent(h)}</span>
						{h.risk > 0 && <span className={`text-[12px] font-semibold ${h.risk === 3 ? "text-ox" : "text-ochre"}`}>{riskWords[h.risk]}</span>}
					</li>
				))}
			</ul>
			{more && (
				<button type="button" className="link" aria-expanded={open} onClick={() => setOpen(!open)}>
					{open ? "Fold" : `Show all${rows.length > rowsShown ? ` ${rows.length} permissions` : ""}`}
				</button>
			)}
		</div>
	);
}

/** What the draft does beside giving and taking: conflicts, licences, and what else it touches. */
function SideEffects({ draft }: { draft: Schemas["Draft"] }) {
	if (draft.conflicts.length + draft.licences.length + draft.touches.length + draft.reviews.length === 0) return null;
	return (
		<ul className="mb-4 border-b border-hair pb-2">
			{[...Map.groupBy(draft.conflicts, (c) => `${c.conflict.id} ${c.cleared} ${c.excepted}`).entries()].map(([key, list]) => {
				const c = list[0];
				return (
					<li key={key} className="py-0.5">
						<b className={c.cleared ? "text-moss" : c.excepted ? "text-ochre" : "text-ox"}>
							{c.cleared ? "✓ Conflict cleared: " : c.excepted ? "Conflict, excepted: " : "✕ New conflict: "}
						</b>
						{c.conflict.name} <span className="narrow font-mono text-[12px] text-quiet">{c.items.join(" + ")}</span>
						<span className="block pl-4">
							<Names people={list.map((x) => x.user)} />
						</span>
					</li>
				);
			})}
			{draft.licences.map((l) => (
				<li key={l.licence.id}>
					<b className="text-ochre">Licence short: </b>
					{l.licence.name}
					{l.seats !== undefined && l.used > l.seats && `, ${l.used} seats taken of ${l.seats}`}
					{l.lacking > 0 && `: ${count(l.lacking, "person lacks it and gains", "people lack it and gain")} less than they are given`}
					<span className="block pl-4">
						<Names people={l.waiting} />
					</span>
				</li>
			))}
			{draft.touches.map((t) => (
				<li key={t.id}>
					<b>Touches the delegation</b> {t.name}
				</li>
			))}
			{draft.reviews.map((r) => (
				<li key={r}>
					<b>Touches the open review</b> {r}
				</li>
			))}
		</ul>
	);
}

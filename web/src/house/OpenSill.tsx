import { keepPreviousData, useMutation } from "@tanstack/react-query";
import { useEffect, useId, useRef, useState } from "react";
import { Link } from "react-router";
import { type Ask, useAsk } from "../api/ask";
import { api, data, Refusal, type Schemas } from "../api/client";
import { design, draftDiscard, draftKeep, draftTakeOut, useConflict, useDrafting, useRefresh } from "../api/hooks";
import { WithheldBy } from "../parts/AssignLook";
import { alike, GroupImpact, Names } from "../parts/impact";
import { Few, More } from "../parts/More";
import { useNotice } from "../parts/notice";
import { count, extent, moment, Named, NamedAll, number, Sentence } from "../parts/words";
import { ExceptBoard } from "../sheets/conflict/ExceptBoard";
import { useHouse } from "./context";
import { useTo } from "./lens";
import { ProveBoard, proofNeeded } from "./ProveBoard";
import { may, undoWords } from "./rights";

/** The open sill: each change as a sentence, what it does to whom, what blocks it, and the way to apply it. */
export function OpenSill({ draft, onClose }: { draft: Schemas["Draft"]; onClose: () => void }) {
	const { me } = useHouse();
	const { tell, refuse } = useNotice();
	const refresh = useRefresh();
	const to = useTo();
	const [reason, setReason] = useState("");
	const reasonId = useId();
	const input = useRef<HTMLInputElement>(null);
	useEffect(() => input.current?.focus(), []);
	const takeOut = useDrafting(draftTakeOut);
	const discard = useDrafting(draftDiscard);
	const [proving, setProving] = useState(false);
	const apply = useMutation({
		mutationFn: () => data(api.POST("/api/draft/apply", { body: { reason, stamp: draft.stamp } })),
		onSuccess: async (done) => {
			onClose();
			await refresh();
			tell(
				<>
					Revision {done.revision} is applied.{undoWords(me)}
					{done.runs.map((run) => (
						<Link key={run} className="link ml-2 inline-block" to={to(`/worklists/log/${run}`)}>
							What became of each
						</Link>
					))}
				</>,
			);
		},
		onError: async (error) => {
			if (error instanceof Refusal && error.type === proofNeeded) {
				setProving(true);
				return;
			}
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
			<div className="grid min-h-0 grow grid-cols-[minmax(0,5fr)_minmax(0,7fr)] max-[900px]:grid-cols-1 max-[900px]:overflow-auto">
				<div className="min-h-0 overflow-auto border-r-[3px] border-[var(--beam)] p-[18px]">
					<h2 className="text-[15px] font-bold">What changes</h2>
					<ol className="mt-2">
						{draft.edits.map((e) => (
							<li key={e.id} className="flex gap-3 border-b border-hair py-2">
								<div className="grow">
									{e.undoes ? <p className="text-[12px] font-semibold text-ochre">Undoes revision {e.undoes}</p> : null}
									<Sentences of={e} />
									{e.sentences.length === 0 && (
										<p className="text-quiet">Nothing is left to change: it is already so.</p>
									)}
									{e.meanwhile.map((m) => (
										<Beneath key={`${m.object.kind}${m.object.id}`} edit={e.id} meanwhile={m} />
									))}
								</div>
								<button
									type="button"
									className="link shrink-0 self-start"
									onClick={() => takeOut.mutate(e.id, { onError: refuse })}
								>
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
					{draft.critical.length > 0 && draft.blocks.length === 0 && (
						<div className="mb-4 border-l-8 border-ochre-line bg-plaster p-3">
							<p className="font-bold text-ochre">Critical: your password may be asked once more</p>
							<ul className="mt-1 list-disc pl-5">
								{draft.critical.map((c) => (
									<li key={c}>{c}</li>
								))}
							</ul>
						</div>
					)}
					<SideEffects draft={draft} />
					<h2 className="text-[15px] font-bold">Who gains and who loses</h2>
					{draft.people.length === 0 && (
						<p className="mt-2 text-quiet">
							Nobody’s effective permissions change{draft.later.length > 0 ? " now" : ""}.
						</p>
					)}
					{alike(draft.people).map((group) => (
						<GroupImpact key={group[0].user.id} people={group} />
					))}
					{draft.later.length > 0 && (
						<section aria-label="Later" className="mt-4">
							<h3 className="font-bold">Later</h3>
							<ul>
								{draft.later.map((l) => (
									<li key={`${l.user.id}${l.from}`} className="border-b border-hair py-1.5">
										<Named of={l.user} /> <b className="text-moss">▲ gains</b>{" "}
										<span className="font-semibold text-ochre">
											{[l.from && `from ${moment(l.from)}`, !l.live && "once live"].filter(Boolean).join(", ")}
										</span>
										<span className="block pl-4 text-[12px]">
											<Few of={l.gains} most={6}>
												{(gains, more) => (
													<>
														{gains.map((h) => (
															<span key={`${h.permission}${h.area.id}${h.reach}`} className="block">
																<span className="font-mono">{h.permission}</span>{" "}
																<span className="text-quiet">{extent(h)}</span>
															</span>
														))}
														{more}
													</>
												)}
											</Few>
										</span>
									</li>
								))}
							</ul>
						</section>
					)}
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
				<button
					type="button"
					className="action danger"
					onClick={() => discard.mutate(undefined, { onError: refuse, onSuccess: onClose })}
				>
					Discard all
				</button>
				<button
					type="submit"
					className="action main"
					disabled={apply.isPending || draft.blocks.length > 0 || reason.trim() === ""}
				>
					{apply.isPending ? "Applying …" : `Apply ${count(draft.edits.length, "change", "changes")}`}
				</button>
			</form>
			{proving && (
				<ProveBoard
					why={draft.critical}
					onClose={() => setProving(false)}
					onProven={() => {
						setProving(false);
						apply.mutate();
					}}
				/>
			)}
		</section>
	);
}

/** What somebody else applied beneath a change of the draft: both are seen, and where they clash, one is chosen. */
function Beneath({ edit, meanwhile: m }: { edit: string; meanwhile: Schemas["Meanwhile"] }) {
	const { refuse } = useNotice();
	const keep = useDrafting(draftKeep);
	return (
		<div className="mt-1 border-l-[3px] border-ochre-line pl-3 text-[12px]">
			<p className="font-semibold text-ochre">
				Meanwhile {m.who ?? "somebody"} changed the same{m.revision ? `, revision ${m.revision}` : ""}
				{m.at && `, ${moment(m.at)}`}:
			</p>
			{m.sentences.map((s) => (
				<p key={s.map((p) => p.text).join("")}>
					<Sentence parts={s} />
				</p>
			))}
			{m.clashes.length === 0 ? (
				<p className="text-quiet">The two are compatible: yours is applied on top of theirs.</p>
			) : (
				<p className="font-semibold text-ox">{m.clashes.join(". ")}.</p>
			)}
			<button type="button" className="link" onClick={() => keep.mutate(edit, { onError: refuse })}>
				{m.clashes.length > 0 ? "Keep mine" : "I have seen it"}
			</button>
			{m.clashes.length > 0 && <span className="text-quiet"> or remove yours, and theirs stands.</span>}
		</div>
	);
}

/** What the draft does beside giving and taking: conflicts, licences, and what else it touches. */
function SideEffects({ draft }: { draft: Schemas["Draft"] }) {
	const [excepting, setExcepting] = useState<Schemas["Clash"] | null>(null);
	const { me } = useHouse();
	const rises = useAsk({
		queryKey: [...design, "draft-ceilings", draft.stamp],
		queryFn: (ask: Ask) => data(ask.GET("/api/draft/ceilings")),
		enabled: draft.touches.length > 0 && may(me, "design:view"),
	});
	const besides = [
		draft.conflicts,
		draft.guarantees,
		draft.withheld,
		draft.warnings,
		draft.licences,
		draft.seats,
		draft.touches,
		draft.reviews,
	];
	if (besides.every((list) => list.length === 0)) return null;
	return (
		<ul className="mb-4 border-b border-hair pb-2">
			{[
				...Map.groupBy(
					draft.conflicts,
					(c) => `${c.conflict.id} ${c.cleared} ${c.excepted} ${c.from} ${c.live}`,
				).entries(),
			].map(([key, list]) => {
				const c = list[0];
				return (
					<li key={key} className="py-0.5">
						<b className={c.cleared ? "text-moss" : c.excepted ? "text-ochre" : "text-ox"}>
							{[
								c.cleared ? "✓ Conflict cleared" : c.excepted ? "Conflict, excepted" : "✕ New conflict",
								c.from && `from ${moment(c.from)}`,
								!c.live && "once live",
							]
								.filter(Boolean)
								.join(", ")}
							:{" "}
						</b>
						<Named of={c.conflict} />{" "}
						<span className="narrow font-mono text-[12px] text-quiet">{c.items.join(" + ")}</span>
						<span className="block pl-4">
							<Names people={list.map((x) => x.user)} />
							{!c.cleared && !c.excepted && (
								<>
									{" "}
									{list.slice(0, 5).map((x) => (
										<button
											key={x.user.id}
											type="button"
											className="link ml-2 text-[12px]"
											onClick={() => setExcepting(x)}
										>
											Except {list.length > 1 ? x.user.name : "for a time"} …
										</button>
									))}
								</>
							)}
						</span>
					</li>
				);
			})}
			{excepting && <Except clash={excepting} onClose={() => setExcepting(null)} />}
			{draft.guarantees.map((p) => (
				<li key={p.guarantee.id} className="py-0.5">
					<b className={p.strict ? "text-ox" : "text-ochre"}>
						{p.strict ? "✕ Breaks a guarantee: " : "! Breaks a guarantee that is not strict: "}
					</b>
					<Named of={p.guarantee} />
					{!p.strict && <span className="block pl-4">{p.says}</span>}
				</li>
			))}
			{rises.data?.map((r) => (
				<li key={r.delegate.id} className="py-0.5">
					<b className="text-ox">▲ {r.before > 0 ? "A ceiling rises" : "A ceiling becomes too high"}: </b>
					<Named of={r.delegate} /> could bring about {count(r.after, "permission", "permissions")} that they neither
					hold nor could assign
					{r.before > 0 && `, ${number(r.before)} until now`}, by <Named of={r.delegation} />
				</li>
			))}
			{draft.seats.map((l) => (
				<li key={l.licence.id} className="py-0.5">
					{l.more !== 0 && (
						<b className={l.more < 0 ? "text-moss" : "text-ochre"}>
							{l.more < 0
								? `▲ Frees ${count(-l.more, "seat", "seats")} of `
								: `▼ Takes ${count(l.more, "seat", "seats")} of `}
						</b>
					)}
					{l.spare > 0 && (
						<b className="text-moss">
							{l.more !== 0 && "and "}
							{count(l.spare, "person needs no seat any longer of", "people need no seat any longer of")}{" "}
						</b>
					)}
					<Named of={l.licence} />
				</li>
			))}
			{draft.withheld.length > 0 && (
				<li>
					<WithheldBy of={draft.withheld} />
				</li>
			)}
			{draft.warnings.map((w) => (
				<li key={`${w.thing.id} ${w.said}`} className="py-0.5">
					<b className="text-ochre">▲ Probably a mistake: </b>
					<Named of={w.thing} />: {w.said}
				</li>
			))}
			{draft.licences.map((l) => (
				<li key={l.licence.id}>
					<b className="text-ochre">Licence short: </b>
					{l.licence.name}
					{l.seats !== undefined && l.used > l.seats && `, ${l.used} seats taken of ${l.seats}`}
					{l.lacking > 0 &&
						`: ${count(l.lacking, "person lacks it and gains", "people lack it and gain")} less than they are given`}
					<span className="block pl-4">
						<Few of={l.waiting} most={12}>
							{(people, more) => (
								<>
									<NamedAll of={people} /> {more}
								</>
							)}
						</Few>
					</span>
				</li>
			))}
			{draft.touches.map((t) => (
				<li key={t.id}>
					<b>Touches the delegation</b> <Named of={t} />
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

/** What one act does: the first of it and, once that is asked for, all. */
function Sentences({ of }: { of: Schemas["DraftEdit"] }) {
	const [limit, setLimit] = useState(0);
	const all = useAsk({
		queryKey: [...design, "draft edit", of.id, limit, of.sentences.length, of.more],
		queryFn: (ask: Ask) =>
			data(ask.GET("/api/draft/edits/{id}", { params: { path: { id: of.id }, query: { limit } } })),
		enabled: limit > 0,
		placeholderData: keepPreviousData,
	});
	const shown = (limit > 0 && all.data) || of;
	return (
		<>
			{shown.sentences.map((s) => (
				<p key={s.map((p) => p.text).join("")}>
					<Sentence parts={s} />
				</p>
			))}
			{limit < 10_000 ? (
				<More n={shown.more} onOpen={() => setLimit(limit ? 10_000 : 500)} />
			) : (
				shown.more > 0 && <p className="text-quiet">and {number(shown.more)} more</p>
			)}
		</>
	);
}

/** An exception for somebody who would come to break a conflict, drafted from where it is told. */
function Except({ clash, onClose }: { clash: Schemas["Clash"]; onClose: () => void }) {
	const sheet = useConflict(clash.conflict.id);
	if (!sheet.data) return null;
	return <ExceptBoard conflict={sheet.data.conflict} user={clash.user} onClose={onClose} />;
}

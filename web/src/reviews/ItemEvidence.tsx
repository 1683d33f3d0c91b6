import type { Schemas } from "../api/client";
import { useReviewItem } from "../api/hooks";
import { alike, GroupImpact } from "../parts/impact";
import { Loaded } from "../parts/loading";
import { Scroll } from "../parts/Scroll";
import { count, day, extent, lastDay, moment, Named, Risk, Sentence } from "../parts/words";

/** What is needed to decide an item: since when, by whom, how it is used, who else has it, and what would really go away. */
export function ItemEvidence({ item }: { item: Schemas["ReviewItem"] }) {
	const detail = useReviewItem(item.id);
	const e = item.evidence;
	const access = item.ask === "";
	const idle = detail.data?.idleDays ?? e?.idleDays ?? 0; // as of today, once that is known
	return (
		<>
			{e && (
				<dl className="mt-3 grid grid-cols-4 border-y-[3px] border-[var(--beam)]">
					{access ? <OfAccess evidence={e} idle={idle} /> : <OfOther item={item} evidence={e} idle={idle} />}
				</dl>
			)}
			{e && e.doubts.length > 0 && (
				<p className="mt-2 font-semibold text-ochre">Against keeping it: {e.doubts.join("; ")}.</p>
			)}
			{e?.suggested && (
				<p className="mt-2">
					The evidence speaks for{" "}
					<b className={e.suggested === "keep" ? "text-moss" : "text-ox"}>
						{e.suggested === "keep" ? "keeping" : "revoking"}
					</b>{" "}
					it: {e.because} <span className="text-quiet">The decision is yours.</span>
				</p>
			)}
			<Loaded query={detail}>
				{(d) => (
					<>
						{e && d.lastUse && d.lastUse !== e.lastUse && (
							<p className="mt-2 font-semibold text-moss">
								Used since the review was opened: {day(d.lastUse)}, {count(d.idleDays, "day", "days")} ago.
							</p>
						)}
						{d.effect ? <EffectOf detail={d} effect={d.effect} /> : <Ways detail={d} />}
						<Trail steps={d.trail} />
					</>
				)}
			</Loaded>
		</>
	);
}

type Facts = { evidence: Schemas["Evidence"]; idle: number };

/** What is known of a role or set that a person has. */
function OfAccess({ evidence: e, idle }: Facts) {
	return (
		<>
			<Fact
				title="Held since"
				value={e.since ? day(e.since) : "not on record"}
				note={[e.givenBy && `by ${e.givenBy}`, e.givenWhy && `“${e.givenWhy}”`].filter(Boolean).join(", ")}
			/>
			<Fact
				title="Last used"
				value={e.lastUse ? `${count(idle, "day", "days")} ago` : e.never ? "never" : "not known"}
				note={
					e.lastUse
						? `${day(e.lastUse)}; ${e.idleDays} at opening`
						: e.never
							? "the uses of others are known"
							: "its systems report no uses"
				}
				bad={idle >= 90 || e.never}
			/>
			<Fact
				title="Peers who have it"
				value={e.peers > 0 ? `${e.alike} of ${e.peers}` : "no peers"}
				note="same title and department"
				bad={e.peers >= 4 && e.alike * 5 <= e.peers}
			/>
			<Fact
				title="Risk"
				value={["none", "elevated", "high", "critical"][e.risk]}
				note={
					e.conflicts.length > 0
						? `conflicts: ${e.conflicts.map((c) => c.name).join(", ")}`
						: `${count(e.gives, "permission", "permissions")}, no conflict`
				}
				bad={e.risk === 3 || e.conflicts.length > 0}
			/>
		</>
	);
}

/** What is known of anything else that a review asks about. */
function OfOther({ item, evidence: e, idle }: Facts & { item: Schemas["ReviewItem"] }) {
	const one = item.ask === "accounts" || item.ask === "exceptions";
	return (
		<>
			<Fact
				title="So since"
				value={e.since ? day(e.since) : "not on record"}
				note={[e.givenBy && `by ${e.givenBy}`, e.givenWhy && `“${e.givenWhy}”`].filter(Boolean).join(", ")}
			/>
			{one ? (
				<Fact
					title="Last used"
					value={e.lastUse ? `${count(idle, "day", "days")} ago` : e.never ? "never" : "not asked"}
					note={e.lastUse ? `${day(e.lastUse)}, anything at all` : e.never ? "nothing at all" : ""}
					bad={idle >= 90 || e.never}
				/>
			) : (
				<Fact
					title={item.ask === "delegations" ? "Given to" : item.ask === "groups" ? "Members" : "Held by"}
					value={e.holders ? count(e.holders, "person", "people") : "nobody"}
					note={
						item.ask === "delegations"
							? ""
							: e.tells
								? `${e.lately ?? 0} used it within 90 days`
								: "its use is not on record"
					}
					bad={e.tells && (e.lately ?? 0) * 10 <= (e.holders ?? 0)}
				/>
			)}
			<Fact
				title="Ends by itself"
				value={e.ends ? lastDay(e.ends) : "never"}
				note={e.needless ? "without it, nothing is violated" : ""}
				bad={e.needless}
			/>
			<Fact
				title="Risk"
				value={["none", "elevated", "high", "critical"][e.risk]}
				note={e.gives > 0 ? count(e.gives, "permission", "permissions") : ""}
				bad={e.risk === 3}
			/>
		</>
	);
}

/** What a revocation would do, and of a delegation what could come of it. */
function EffectOf({ detail: d, effect: e }: { detail: Schemas["ItemDetail"]; effect: Schemas["Effect"] }) {
	return (
		<div className="mt-4 grid grid-cols-2 gap-6">
			<div>
				<h3 className="border-b-[3px] border-[var(--beam)] font-bold">What a revocation would do</h3>
				{d.item.task && (
					<p className="py-1.5">
						It cannot be carried out by itself: it leaves a task,{" "}
						{d.item.subject.kind === "group" ? "for the owner of the group" : "since a directory keeps the account"}.
					</p>
				)}
				{e.trouble && <p className="py-1.5 font-semibold text-ox">✕ {e.trouble}</p>}
				{e.sentences.map((s) => (
					<p key={s.map((p) => p.text).join("")} className="border-b border-hair py-1.5">
						<Sentence parts={s} />
					</p>
				))}
				{e.sentences.length > 0 && (
					<p className={`py-1.5 font-semibold ${e.losing > 0 ? "text-ox" : "text-quiet"}`}>
						{e.losing > 0 ? `▼ ${count(e.losing, "person loses", "people lose")} something` : "Nobody loses anything."}
					</p>
				)}
				{alike(e.people)
					.slice(0, 6)
					.map((g) => (
						<GroupImpact key={g[0].user.id} people={g} />
					))}
			</div>
			{d.ceiling && (
				<div>
					<h3 className="border-b-[3px] border-[var(--beam)] font-bold">What could come of it</h3>
					{d.ceiling.count === 0 ? (
						<p className="py-1.5 text-moss">✓ Nothing that {d.ceiling.of.name} neither holds nor could assign.</p>
					) : (
						<p className="py-1.5 font-semibold text-ox">
							{count(d.ceiling.count, "permission", "permissions")} that {d.ceiling.of.name} neither holds nor could
							assign:
						</p>
					)}
					<ul className="max-h-[320px] overflow-auto">
						{d.ceiling.rows.map((w) => (
							<li key={w.held.permission + w.held.area.id + w.held.reach} className="border-b border-hair py-1.5">
								<p className="flex items-baseline gap-2">
									<span className="narrow truncate font-mono text-[12px] text-ox">{w.held.permission}</span>
									<span className="narrow grow truncate text-[12px] text-quiet">{extent(w.held)}</span>
									<Risk level={w.held.risk} />
								</p>
								<ol className="list-decimal pl-5 text-[12px]">
									{w.steps.map((s) => (
										<li key={s.map((p) => p.text).join("")}>
											<Sentence parts={s} />
										</li>
									))}
								</ol>
							</li>
						))}
					</ul>
				</div>
			)}
		</div>
	);
}

/** What was decided about an item, step by step, if that was more than once. */
function Trail({ steps }: { steps: Schemas["Step"][] }) {
	if (steps.length === 0) return null;
	return (
		<section aria-label="What was decided" className="mt-4">
			<h3 className="border-b-[3px] border-[var(--beam)] font-bold">What was decided</h3>
			<ol>
				{steps.map((s) => (
					<li
						key={`${s.at}${s.decision}${s.handedTo?.id}`}
						className="flex items-baseline gap-3 border-b border-hair py-1"
					>
						<span className="w-[150px] shrink-0 text-[12px] text-quiet">{moment(s.at)}</span>
						<span className="min-w-0">
							<b>{s.by ? s.by.name : "Nobody: it was decided at the end"}</b>{" "}
							{s.handedTo ? `handed it on to ${s.handedTo.name}` : said[s.decision]}
							{s.reason && ` — “${s.reason}”`}
						</span>
					</li>
				))}
			</ol>
		</section>
	);
}

const said: Record<string, string> = { keep: "kept it", revoke: "revoked it", "": "took the decision back" };

function Fact({ title, value, note, bad }: { title: string; value: string; note: string; bad?: boolean }) {
	return (
		<div className="border-r border-hair px-3 py-1.5 first:pl-0 last:border-r-0">
			<dt className="text-[12px] text-quiet">{title}</dt>
			<dd className={`text-[15px] font-bold ${bad ? "text-ochre" : ""}`}>{value}</dd>
			<dd className="text-[12px] text-quiet">{note}</dd>
		</div>
	);
}

function Ways({ detail: d }: { detail: Schemas["ItemDetail"] }) {
	const { item } = d;
	return (
		<div className="mt-4 grid grid-cols-2 gap-6">
			<div>
				<h3 className="border-b-[3px] border-[var(--beam)] font-bold">How it is held</h3>
				{d.direct.map((t) => (
					<p key={t.id} className="border-b border-hair py-1.5">
						<b>By hand</b>, {t.note}
						{t.reason && <span className="text-quiet"> — “{t.reason}”</span>}
					</p>
				))}
				{d.given.map((g) => (
					<p key={g.terms.id} className="border-b border-hair py-1.5">
						By the group <Named of={g.subject} />, {g.terms.note}{" "}
						<span className="text-quiet">— this stays: the group’s owner decides</span>
					</p>
				))}
				{d.direct.length + d.given.length === 0 && <p className="py-1.5 text-quiet">It is not held any longer.</p>}
				{d.stays.length > 0 && (
					<>
						<h3 className="mt-4 border-b-[3px] border-[var(--beam)] font-bold">What stays all the same</h3>
						<p className="py-1 text-[12px] text-quiet">
							{count(d.stays.length, "permission", "permissions")} of {item.target.name}, by{" "}
							{d.staysBy.map((r) => r.name).join(", ")}
						</p>
						<Holdings list={d.stays} look="text-quiet" />
					</>
				)}
			</div>
			<div>
				<h3 className="border-b-[3px] border-[var(--beam)] font-bold">What really goes away if it is revoked</h3>
				{d.loses.length === 0 && (
					<p className="py-1.5 text-quiet">
						{d.direct.length === 0
							? "Nothing by this decision alone: a group gives it."
							: "Nothing: all of it is held by another way too."}
					</p>
				)}
				<Holdings list={d.loses} look="text-ox" />
				{d.losesAll.length > d.loses.length && (
					<>
						<h3 className="mt-4 border-b-[3px] border-[var(--beam)] font-bold">
							And if the group’s owner takes it away too
						</h3>
						<Holdings
							list={d.losesAll.filter(
								(a) =>
									!d.loses.some((l) => l.permission === a.permission && l.area.id === a.area.id && l.reach === a.reach),
							)}
							look="text-ochre"
						/>
					</>
				)}
			</div>
		</div>
	);
}

function Holdings({ list, look }: { list: Schemas["Holding"][]; look: string }) {
	return (
		<Scroll className="max-h-[220px]">
			<ul>
				{list.map((h) => (
					<li
						key={`${h.permission}${h.area.id}${h.reach}`}
						className="flex items-baseline gap-2 border-b border-hair py-[3px]"
					>
						<span className={`narrow truncate font-mono text-[12px] ${look}`}>{h.permission}</span>
						<span className="narrow grow truncate text-[12px] text-quiet">{extent(h)}</span>
						<Risk level={h.risk} />
					</li>
				))}
			</ul>
		</Scroll>
	);
}

import { useMutation } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { at } from "../api/at";
import { api, data, type Schemas } from "../api/client";
import { useRefresh, useReview, useReviewAfter, useReviewOutcome } from "../api/hooks";
import { useHouse } from "../house/context";
import { useSet, useTo, useWhere } from "../house/lens";
import { undoWords } from "../house/rights";
import { Downloads } from "../parts/Downloads";
import { now } from "../parts/days";
import { Board } from "../parts/dialog";
import { TextField } from "../parts/fields";
import { Loaded } from "../parts/loading";
import { More } from "../parts/More";
import { useNotice } from "../parts/notice";
import { Elsewhere, Part } from "../parts/sheet";
import { Tabbed, TabList, TabPanel } from "../parts/tabs";
import { useProven } from "../parts/useProven";
import { count, day, moment, Named, number, Sentence } from "../parts/words";
import { ReviewDesk } from "./ReviewDesk";
import { ReviewGrid } from "./ReviewGrid";
import { Progress } from "./Reviews";
import { halfTime } from "./SeriesPage";

type View = "desk" | "grid" | "progress";

/** One review: the reviewer's desk, the same as a grid, and for who runs it the progress and the outcome. */
export function ReviewPage() {
	const { id = "" } = useParams();
	const review = useReview(Number(id), useWhere());
	return <Loaded query={review}>{(d) => <Shown detail={d} />}</Loaded>;
}

function Shown({ detail }: { detail: Schemas["ReviewDetail"] }) {
	const { review: r } = detail;
	const { setAside } = useHouse();
	const [params] = useSearchParams();
	const set = useSet();
	const [closing, setClosing] = useState(false);
	const mine = r.mine > 0;
	const at = (params.get("view") ?? (detail.all && (!mine || r.closed) ? "progress" : "desk")) as View;
	useEffect(() => {
		setAside(`${count(r.items, "item", "items")}, ${r.kept} kept, ${r.revoked} revoked`);
		return () => setAside("");
	}, [setAside, r]);
	return (
		<Tabbed at={at} onChoose={(view) => set({ view })}>
			<div className="flex h-full flex-col">
				<header className="shrink-0 border-b border-hair px-[18px] pt-2">
					<div className="flex items-center gap-6">
						<div className="min-w-0 grow">
							<h1 className="truncate text-[20px] font-bold">{r.name}</h1>
							<p className="truncate text-[12px] text-quiet">
								<Sentence parts={r.about} /> · decided by {r.deciders} · what nobody decides is{" "}
								{r.fate === "keep" ? "kept" : "revoked"} ·{" "}
								{r.closed ? (
									`closed ${day(r.closed)}`
								) : r.overdue ? (
									<b className="text-ox">overdue since {day(r.due)}</b>
								) : (
									`due ${day(r.due)}`
								)}
							</p>
						</div>
						<div className="w-[220px] shrink-0">
							<Progress review={r} />
							<p className="text-[12px] text-quiet">
								{r.kept} kept · {r.revoked} revoked · {r.items - r.kept - r.revoked} undecided
							</p>
						</div>
						{detail.mayRun && !r.closed && (
							<button type="button" className="action main" onClick={() => setClosing(true)}>
								Close the review …
							</button>
						)}
					</div>
					<div className="mt-1">
						<TabList
							label="Ways to look at the review"
							tabs={[
								{ id: "desk" as View, name: r.closed ? "Items" : "One at a time" },
								{ id: "grid" as View, name: "As a grid" },
								...(detail.all ? [{ id: "progress" as View, name: r.closed ? "Outcome and report" : "Progress" }] : []),
							]}
						/>
					</div>
				</header>
				{detail.elsewhere > 0 && at !== "progress" && (
					<div className="shrink-0 border-b border-hair bg-sunk px-[18px]">
						<Elsewhere n={detail.elsewhere} one="item is about a person" many="items are about people" />
					</div>
				)}
				{detail.all && (
					<TabPanel id="progress" className="flex min-h-0 grow flex-col">
						<Running detail={detail} />
					</TabPanel>
				)}
				<TabPanel id="grid" className="flex min-h-0 grow flex-col">
					<ReviewGrid detail={detail} paused={closing} />
				</TabPanel>
				<TabPanel id="desk" className="flex min-h-0 grow flex-col">
					<ReviewDesk detail={detail} paused={closing} />
				</TabPanel>
				{closing && <CloseBoard detail={detail} onClose={() => setClosing(false)} />}
			</div>
		</Tabbed>
	);
}

/** For who runs it: from opening to closing, the stragglers, the letters, the tasks, the report. */
function Running({ detail }: { detail: Schemas["ReviewDetail"] }) {
	const { review: r } = detail;
	const to = useTo();
	const refresh = useRefresh();
	const { tell, refuse } = useNotice();
	const [letter, setLetter] = useState<Schemas["Letter"] | null>(null);
	const remind = useMutation({
		mutationFn: () => data(api.POST("/api/reviews/{id}/remind", { params: { path: { id: r.id } } })),
		onSuccess: async (done) => {
			await refresh();
			tell(
				done.letters === 0
					? "Nobody is missing."
					: `${count(done.letters, "reminder is", "reminders are")} in the outbox.`,
			);
		},
		onError: refuse,
	});
	const undecided = r.items - r.kept - r.revoked;
	const steps = [
		{
			name: "Opened",
			when: day(r.opened),
			note: `by ${r.opener.name}, ${count(r.items, "item", "items")}`,
			done: true,
		},
		{
			name: "Decided",
			when: `${r.kept + r.revoked} of ${r.items}`,
			note: undecided === 0 ? "all of it" : `${undecided} missing`,
			done: undecided === 0 || !!r.closed,
		},
		{
			name: "Half time",
			when: day(halfTime(r.opened, r.due) ?? r.due),
			note: r.reminded ? `last reminded ${day(r.reminded)}` : "everybody who is behind gets a letter",
			done: !!r.closed || Date.parse(halfTime(r.opened, r.due) ?? r.due) <= now(),
		},
		{ name: "Due", when: day(r.due), note: r.overdue ? "overdue" : "", done: !!r.closed || r.overdue },
		{
			name: "Closed",
			when: r.closed ? day(r.closed) : "not yet",
			note: r.closed ? (r.revision ? `revision ${r.revision}` : "nothing was assigned by hand") : "",
			done: !!r.closed,
		},
		...(r.tasks > 0
			? [
					{
						name: "Settled by owners",
						when: `${r.settled} of ${r.tasks}`,
						note: "what came by groups",
						done: r.settled === r.tasks,
					},
				]
			: []),
	];
	return (
		<div className="min-h-0 grow overflow-auto px-[18px] py-4">
			<ol
				aria-label="From opening to closing"
				className="mb-6 grid auto-cols-fr grid-flow-col border-t-[3px] border-[var(--beam)]"
			>
				{steps.map((s) => (
					<li key={s.name} className="relative pt-3 pr-3">
						<span
							aria-hidden="true"
							className={`absolute top-[-8px] left-0 h-[13px] w-[13px] border-[1.5px] border-[var(--beam)] ${s.done ? "bg-moss" : "bg-raised"}`}
						/>
						<p className="font-bold">
							{s.done ? "✓ " : ""}
							{s.name}
						</p>
						<p>{s.when}</p>
						<p className="text-[12px] text-quiet">{s.note}</p>
					</li>
				))}
			</ol>
			<div className="grid grid-cols-2 gap-8">
				<div>
					<Part
						title="Reviewers"
						count={detail.reviewers.length}
						act={
							detail.mayRun &&
							!r.closed &&
							undecided > 0 && (
								<button type="button" className="link" disabled={remind.isPending} onClick={() => remind.mutate()}>
									Remind those who are behind
								</button>
							)
						}
					>
						<ul>
							{detail.reviewers.map((s) => (
								<li key={s.reviewer.id} className="flex items-center gap-3 border-b border-hair py-1.5">
									<span className="min-w-0 grow truncate font-semibold">{s.reviewer.name}</span>
									<span aria-hidden="true" className="h-[8px] w-[140px] border border-[var(--beam)]">
										<span
											className="block h-full bg-moss"
											style={{ width: `${(100 * (s.items - s.waiting)) / Math.max(1, s.items)}%` }}
										/>
									</span>
									<span className={`w-[110px] text-right ${s.waiting > 0 && !r.closed ? "text-ochre" : "text-quiet"}`}>
										{s.waiting > 0
											? `${s.waiting} of ${s.items} ${r.closed ? "not decided" : "missing"}`
											: `✓ all ${s.items}`}
									</span>
								</li>
							))}
						</ul>
						{r.reminded && <p className="py-1 text-[12px] text-quiet">Last reminded {moment(r.reminded)}.</p>}
					</Part>
					<Part title="Outbox" count={detail.letters.length}>
						{detail.letters.length === 0 && (
							<p className="py-1.5 text-quiet">
								No letter has been written. Reminders go out three days before the end, and when you ask.
							</p>
						)}
						<ul>
							{detail.letters.map((l) => (
								<li
									key={`${l.written}${l.to.id}${l.subject}`}
									className="flex items-baseline gap-3 border-b border-hair py-1.5"
								>
									<button type="button" className="link min-w-0 grow truncate text-left" onClick={() => setLetter(l)}>
										{l.to.name}: {l.subject}
									</button>
									<span className="shrink-0 text-[12px] text-quiet">{moment(l.written)}</span>
								</li>
							))}
						</ul>
					</Part>
				</div>
				<div>
					<Part title="Report">
						<p className="py-1.5 text-quiet">
							{r.closed
								? "What was asked, decided and done, each figure with its items."
								: "What has been decided so far. It is not final until the review is closed."}
						</p>
						<p className="flex items-baseline gap-4">
							<a className="action" href={at(`/api/reviews/${r.id}/report.html`)} target="_blank" rel="noreferrer">
								Read or print
							</a>
							<Downloads path={`/api/sheets/review/${r.id}`} query={{}} />
							<a className="link" href={at(`/api/reviews/${r.id}/pack.zip`)} download>
								All evidence, as ZIP
							</a>
						</p>
					</Part>
					{r.closed && r.revoked > 0 && <DidItHappen review={r.id} />}
					{detail.tasks.length > 0 && (
						<Part title="Left to be done by hand" count={detail.tasks.length}>
							<ul>
								{detail.tasks.map((t) => (
									<li key={t.id} className="border-b border-hair py-1.5">
										<p className="flex items-baseline gap-3">
											<span className="grow">
												<b>{t.subject.name}</b>: {t.keeps}
												{t.group && (
													<>
														, by <b>{t.group.name}</b>
													</>
												)}
											</span>
											{t.decision ? (
												<span className="shrink-0 font-semibold text-moss">✓ {taskWords[t.decision]}</span>
											) : t.may ? (
												<Link className="link shrink-0" to={to(`/review-tasks/${t.id}`)}>
													Settle …
												</Link>
											) : (
												<span className="shrink-0 text-ochre">waits</span>
											)}
										</p>
										<p className="text-[12px] text-quiet">
											for {t.owner.name}
											{t.reason && ` — “${t.reason}”`}
											{t.revision ? `, revision ${t.revision}` : ""}
										</p>
									</li>
								))}
							</ul>
						</Part>
					)}
				</div>
			</div>
			<Board
				open={!!letter}
				onClose={() => setLetter(null)}
				title={letter?.subject ?? ""}
				about={letter ? `To ${letter.to.name}${letter.address ? `, ${letter.address}` : ", who has no address"}` : ""}
			>
				<pre className="font-sans whitespace-pre-wrap">{letter?.body}</pre>
			</Board>
		</div>
	);
}

/** What became of each revocation: whether it is truly gone, and what came back. */
function DidItHappen({ review }: { review: number }) {
	const after = useReviewAfter(review);
	return (
		<Loaded query={after}>
			{(a) => (
				<Part title="Did it happen?" count={a.gone + a.partly + a.left + a.waits + a.back}>
					<p className="py-1.5">
						{(["gone", "partly", "left", "waits", "back"] as const)
							.filter((s) => a[s] > 0)
							.map((s) => `${number(a[s])} ${became[s].words}`)
							.join(" · ")}
					</p>
					<ul className="max-h-[320px] overflow-auto">
						{a.rows.map((row) => (
							<li key={row.item} className="border-b border-hair py-1.5">
								<p className="flex items-baseline gap-3">
									<span className="min-w-0 grow">
										<Named of={row.subject} />: {row.keeps}
									</span>
									<span className={`shrink-0 font-semibold ${became[row.state].look}`}>{became[row.state].words}</span>
								</p>
								{(row.note || row.by || row.byName) && (
									<p className="text-[12px] text-quiet">
										{[row.note, (row.by?.name ?? row.byName) && `${row.by?.name ?? row.byName}`, row.at && day(row.at)]
											.filter(Boolean)
											.join(" · ")}
									</p>
								)}
							</li>
						))}
					</ul>
				</Part>
			)}
		</Loaded>
	);
}

const became: Record<Schemas["After"]["state"], { words: string; look: string }> = {
	gone: { words: "gone", look: "text-moss" },
	partly: { words: "still held in part", look: "text-ochre" },
	left: { words: "left as it is", look: "text-ochre" },
	waits: { words: "waiting for somebody", look: "text-ochre" },
	back: { words: "came back", look: "text-ox" },
};

export const taskWords: Record<string, string> = {
	person: "taken out of the group",
	grant: "grant taken off",
	leave: "left for a reason",
};

function CloseBoard({ detail, onClose }: { detail: Schemas["ReviewDetail"]; onClose: () => void }) {
	const { me } = useHouse();
	const { review: r } = detail;
	const refresh = useRefresh();
	const set = useSet();
	const { tell } = useNotice();
	const [alone, setAlone] = useState("");
	const [busy, setBusy] = useState(false);
	const [proven, proving] = useProven(); // to change delegations is critical
	const close = async () => {
		setBusy(true);
		await proven(async () => {
			const done = await data(
				api.POST("/api/reviews/{id}/close", {
					params: { path: { id: r.id } },
					body: { alone: alone.trim() || undefined },
				}),
			);
			onClose();
			await refresh();
			set({ view: "progress" });
			tell(
				`The review is closed. ${done.revision ? `Revision ${done.revision} takes away what was revoked.` : "Nothing that was revoked goes away automatically."}${
					done.tasks > 0 ? ` ${count(done.tasks, "task is", "tasks are")} left for somebody to do.` : ""
				}`,
			);
		});
		setBusy(false);
	};
	const undecided = r.items - r.kept - r.revoked;
	const [limit, setLimit] = useState(200);
	const outcome = useReviewOutcome(r.id, limit);
	return (
		<Board
			open
			onClose={onClose}
			title="Close the review"
			about={`Closing makes one revision of what was revoked, except what comes through groups.${undoWords(me)}`}
		>
			{undecided > 0 && (
				<p className="mb-3 font-semibold text-ochre">
					{count(undecided, "item is", "items are")} undecided, and {undecided === 1 ? "is" : "are"}{" "}
					{r.fate === "keep" ? "kept" : "revoked"}, as was chosen at opening.
				</p>
			)}
			<Loaded query={outcome}>
				{(o) => (
					<>
						{o.asides > 0 && (
							<p className="mb-3">
								{count(o.asides, "finding is", "findings are")} no longer set aside, and can be seen again.
							</p>
						)}
						{o.byHand > 0 && (
							<p className="mb-3">
								{count(o.byHand, "revocation", "revocations")} can be carried out by nobody but a person, and{" "}
								{o.byHand === 1 ? "is" : "are"} left as tasks.
							</p>
						)}
						{o.total === 0 ? (
							o.asides + o.byHand === 0 && <p>Nothing goes away by itself.</p>
						) : (
							<ul className="max-h-[36vh] overflow-auto">
								{o.sentences.map((s) => (
									<li key={s.map((p) => p.text).join("")} className="border-b border-hair py-1.5">
										<Sentence parts={s} />
									</li>
								))}
								<li className="py-1.5 empty:hidden">
									<More n={o.total - o.sentences.length} onOpen={() => setLimit(10_000)} />
								</li>
							</ul>
						)}
						{o.toOwners > 0 && (
							<p className="mt-3">
								{count(o.toOwners, "revocation comes by a group and is", "revocations come by groups and are")} left to
								the owners, with what each choice does.
							</p>
						)}
						{o.spare.map((s) => (
							<p key={s.licence.id} className="mt-3">
								<b className="text-moss">
									{count(s.seats, "seat of which nobody has need", "seats of which nobody has need")}
								</b>{" "}
								any longer: {s.licence.name}. The desk of seats gathers {s.seats === 1 ? "it" : "them"} to be freed.
							</p>
						))}
					</>
				)}
			</Loaded>
			{detail.alone && (
				<div className="mt-3">
					<p className="mb-2 font-semibold text-ochre">
						You opened this review and made every decision in it. If you close it too, nobody else has looked: only an
						owner may do that, with a reason.
					</p>
					<TextField
						label="Why one person is enough here (the report repeats it)"
						value={alone}
						onChange={setAlone}
						max={1000}
					/>
				</div>
			)}
			<div className="mt-4 flex justify-end gap-3">
				<button type="button" className="action" onClick={onClose}>
					Not yet
				</button>
				<button
					type="button"
					className="action main"
					disabled={busy || !outcome.data || (detail.alone && !alone.trim())}
					onClick={close}
				>
					Close it{outcome.data && outcome.data.total > 0 && ` and revoke ${number(outcome.data.total)}`}
				</button>
			</div>
			{proving}
		</Board>
	);
}

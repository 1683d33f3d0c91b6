import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { type Ask, useAsk } from "../api/ask";
import { api, data, type Schemas } from "../api/client";
import { design, useRefresh } from "../api/hooks";
import { useHouse } from "../house/context";
import { useTo } from "../house/lens";
import { now, sayDay } from "../parts/days";
import { Loaded } from "../parts/loading";
import { useNotice } from "../parts/notice";
import { count, day, moment, Named, Sentence } from "../parts/words";
import { OpenReview } from "./OpenReview";
import { ruleWords } from "./Returning";

type Series = Schemas["Series"];

export const useAllSeries = () =>
	useAsk({ queryKey: [...design, "series"], queryFn: (ask: Ask) => data(ask.GET("/api/series")) });

/** How a series stands, in a word: when it opens next, or why it does not. */
export function SeriesState({ of: s }: { of: Series }) {
	if (s.ended) return <span className="text-quiet">ended {day(s.ended)}</span>;
	if (s.trouble) return <b className="text-ox">✕ cannot continue</b>;
	if (s.paused) return <b className="text-ochre">paused since {day(s.paused)}</b>;
	return <span className="text-quiet">{s.next[0] ? `next ${day(s.next[0])}` : "no more rounds"}</span>;
}

/** A review that returns by itself: its sentence, when it returns, and what came of each round. */
export function SeriesPage() {
	const id = Number(useParams().id);
	const one = useAsk({
		queryKey: [...design, "series", id],
		queryFn: (ask: Ask) => data(ask.GET("/api/series/{id}", { params: { path: { id } } })),
	});
	return (
		<div className="h-full overflow-auto px-[18px] py-3">
			<Loaded query={one}>{(s) => <Shown series={s} />}</Loaded>
		</div>
	);
}

function Shown({ series: s }: { series: Series }) {
	const { me } = useHouse();
	const { refuse, tell } = useNotice();
	const refresh = useRefresh();
	const alter = useMutation({
		mutationFn: (does: NonNullable<Schemas["Altered"]["does"]>) =>
			data(api.PATCH("/api/series/{id}", { params: { path: { id: s.id } }, body: { does } })),
		onError: refuse,
		onSuccess: async (_, does) => {
			tell(
				`${s.name}: ${{ pause: "paused", resume: "resumed", end: "ended", "take-over": "yours now", "": "" }[does]}.`,
			);
			await refresh();
		},
	});
	const [ending, setEnding] = useState(false);
	const [changing, setChanging] = useState(false);
	const d = s.said.discover;
	const act = (does: NonNullable<Schemas["Altered"]["does"]>, words: string, look = "") => (
		<button type="button" className={`action ${look}`} disabled={alter.isPending} onClick={() => alter.mutate(does)}>
			{words}
		</button>
	);
	return (
		<>
			<div className="flex flex-wrap items-baseline gap-3">
				<h1 className="min-w-0 grow text-[22px] font-bold">{s.name}</h1>
				<SeriesState of={s} />
				{s.may && !s.ended && (
					<>
						{s.owner.id !== me.user.id && act("take-over", "Take it over")}
						{!changing && (
							<button type="button" className="action" onClick={() => setChanging(true)}>
								Change it …
							</button>
						)}
						{s.paused ? act("resume", "Resume", "main") : act("pause", "Pause")}
						{ending ? (
							<>
								{act("end", "End it", "danger")}
								<button type="button" className="action" onClick={() => setEnding(false)}>
									Keep it
								</button>
							</>
						) : (
							<button type="button" className="action danger" onClick={() => setEnding(true)}>
								End it …
							</button>
						)}
					</>
				)}
			</div>
			<p className="mt-1 max-w-[900px] text-[15px]">
				{ruleWords(s.said.rule)[0].toUpperCase() + ruleWords(s.said.rule).slice(1)} from{" "}
				{sayDay(s.said.from.slice(0, 10))}
				{d &&
					`, ${d.ahead === 0 ? "as it opens" : d.ahead === 1 ? "the day before" : `${d.ahead} days before`} finding who has not used it for ${count(d.days, "day", "days")}${d.most > 0 ? `, at most ${d.most}` : ""}`}
				: ask {s.deciders} about <Sentence parts={s.about} />, for {count(s.said.days, "day", "days")}
				{s.said.escalate ? `; after ${s.said.escalate} % of that, what is undecided goes to the fallback` : ""}; what
				nobody decides {s.said.review.fate === "revoke" ? "is revoked" : "is kept"}.
			</p>
			<p className="mt-1 text-quiet">
				Run by <Named of={s.owner} />.
			</p>
			{changing && (
				<>
					<OpenReview of={s} onDone={() => setChanging(false)} />
					<p className="mt-1 text-[12px] text-quiet">Existing rounds stay as they are; later ones are run by you.</p>
				</>
			)}
			{s.trouble && (
				<p role="alert" className="mt-3 max-w-[900px] border-l-8 border-ox bg-raised px-3 py-2 font-semibold">
					{s.trouble}
				</p>
			)}
			{s.next.length > 0 && (
				<section aria-label="What comes" className="mt-4">
					<h2 className="border-b-[3px] border-[var(--beam)] text-[15px] font-bold">What comes</h2>
					<ol className="flex flex-wrap gap-x-6 gap-y-1 py-2">
						{s.next.map((at) => (
							<li key={at}>{moment(at)}</li>
						))}
					</ol>
				</section>
			)}
			<section aria-label="Round by round" className="mt-4">
				<h2 className="border-b-[3px] border-[var(--beam)] text-[15px] font-bold">Round by round</h2>
				{s.rounds.length === 0 && <p className="py-2 text-quiet">No round has been due yet.</p>}
				<ol>
					{s.rounds.map((r) => (
						<RoundLine key={r.opens} round={r} series={s} />
					))}
				</ol>
			</section>
		</>
	);
}

/** When half of the time of a review is over. */
export const halfTime = (opened?: string, due?: string) =>
	opened && due ? new Date((Date.parse(opened) + Date.parse(due)) / 2).toISOString() : undefined;

/** One round: its way from discovery to closing, and what came of it. */
function RoundLine({ round: r, series: s }: { round: Schemas["Round"]; series: Series }) {
	const to = useTo();
	const share = s.said.escalate ?? 0;
	const half = halfTime(r.opened, r.due);
	const middle = half && { at: half, name: "half time", said: "" };
	const handed = share > 0 && { at: r.escalated, name: "handed on", said: "" };
	const steps = [
		s.said.discover && { at: r.discovered, name: "discovery", said: r.discovered && `found ${r.found}` },
		{ at: r.opened, name: "opening", said: r.late ? "late" : "" },
		...(share > 0 && share < 50 ? [handed, middle] : [middle, handed]),
		{ at: r.closed ?? r.due, name: r.closed ? "closed" : "end", said: "" },
	].filter((x) => !!x);
	return (
		<li
			data-round={r.opens.slice(0, 10)}
			className="grid grid-cols-[150px_minmax(0,3fr)_minmax(0,2fr)] items-center gap-4 border-b border-hair py-2"
		>
			{r.review ? (
				<Link className="link" to={to(`/reviews/${r.review}`)}>
					{day(r.opens)}
				</Link>
			) : (
				<span className="font-semibold">{day(r.opens)}</span>
			)}
			{r.missed ? (
				<p className="text-ochre">Missed: nobody was there to open it, and the next one was due.</p>
			) : (
				<ol className="relative flex" aria-label="Its way">
					<span aria-hidden="true" className="absolute top-[7px] right-0 left-0 border-t-[3px] border-[var(--beam)]" />
					{steps.map((x) => {
						const done = !!x.at && (!!r.closed || (x.name !== "end" && Date.parse(x.at) <= now()));
						return (
							<li key={x.name} className="relative min-w-0 flex-1 text-[12px]">
								<span
									aria-hidden="true"
									className={`block h-[16px] w-[16px] border-[3px] border-[var(--beam)] ${done ? "bg-moss" : "bg-raised"}`}
								/>
								<span className={done ? "font-semibold" : "text-quiet"}>{x.name}</span>
								<span className="block truncate text-quiet">
									{x.at && day(x.at)}
									{x.said && <b className="text-ochre"> {x.said}</b>}
								</span>
							</li>
						);
					})}
				</ol>
			)}
			<p className="text-right text-[12px]">
				{r.opened && r.items === 0 && <span className="text-quiet">Nothing to review.</span>}
				{r.items > 0 && (
					<>
						{count(r.items, "item", "items")}: <span className="text-moss">{r.kept} kept</span> ·{" "}
						<span className="text-ox">{r.revoked} revoked</span>
						{r.items > r.kept + r.revoked && ` · ${r.items - r.kept - r.revoked} undecided`}
						{r.cameBack > 0 && (
							<b className="block text-ochre">{r.cameBack} of what was revoked is held all the same</b>
						)}
					</>
				)}
			</p>
		</li>
	);
}

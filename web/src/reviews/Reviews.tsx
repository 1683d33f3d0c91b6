import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { useReviews, useTasks } from "../api/hooks";
import { useHouse } from "../house/context";
import { useTo, useWhere } from "../house/lens";
import { mayEither } from "../house/rights";
import { Downloads } from "../parts/Downloads";
import { Loaded } from "../parts/loading";
import { count, day, Sentence } from "../parts/words";
import { OpenReview } from "./OpenReview";
import { ruleWords } from "./Returning";
import { SeriesState, useAllSeries } from "./SeriesPage";

/** All reviews, the sentence by which a new one is opened, and what waits for the owners of groups. */
export function Reviews() {
	const { me } = useHouse();
	const where = useWhere();
	const reviews = useReviews(where);
	const runs = mayEither(me, "review:run", "review");
	return (
		<div className="h-full overflow-auto px-[18px] py-3">
			<div className="flex items-baseline">
				<h1 className="grow text-[22px] font-bold">Reviews</h1>
				{(reviews.data?.length ?? 0) > 0 && <Downloads path="/api/lists/review" query={{ where }} />}
			</div>
			{runs && <OpenReview />}
			{me.tasks > 0 && <Tasks />}
			{!me.day && <AllSeries />}
			<Loaded query={reviews}>
				{(list) => (
					<>
						<Shelf
							title="Open"
							list={list.filter((r) => !r.closed)}
							empty={
								me.day
									? "No review was open on that day."
									: where
										? "No open review is about people in the area chosen above."
										: runs
											? "No review is open. Write the sentence above to open one."
											: "No review is waiting for you."
							}
						/>
						<Shelf
							title="Closed"
							list={list.filter((r) => r.closed)}
							empty={where ? "No closed review was about people in that area." : "None has been closed yet."}
						/>
					</>
				)}
			</Loaded>
		</div>
	);
}

/** Reviews that return by themselves. */
function AllSeries() {
	const to = useTo();
	const all = useAllSeries();
	if (!all.data?.length) return null;
	return (
		<section className="mt-5">
			<h2 className="border-b-[3px] border-[var(--beam)] text-[15px] font-bold">By themselves</h2>
			<ul>
				{all.data.map((s) => (
					<li
						key={s.id}
						className="grid grid-cols-[minmax(0,4fr)_minmax(0,3fr)_minmax(0,3fr)] items-center gap-4 border-b border-hair py-2"
					>
						<div className="min-w-0">
							<Link className="link text-[14px]" to={to(`/series/${s.id}`)}>
								{s.name}
							</Link>
							<p className="truncate text-[12px] text-quiet">
								<Sentence parts={s.about} /> · by {s.deciders} · {ruleWords(s.said.rule)}
							</p>
						</div>
						<p className="text-[12px] text-quiet">
							{s.rounds.length === 0
								? "No round yet."
								: `${count(s.rounds.length, "round", "rounds")}, ${s.rounds.reduce((n, r) => n + r.revoked, 0)} revoked`}
						</p>
						<p className="text-right">
							<SeriesState of={s} />
						</p>
					</li>
				))}
			</ul>
		</section>
	);
}

/** What was revoked but comes by a group of one's own. */
function Tasks() {
	const tasks = useTasks();
	const to = useTo();
	return (
		<section className="mt-5">
			<h2 className="border-b-[3px] border-[var(--beam)] text-[15px] font-bold">For you to settle</h2>
			<ul>
				{tasks.data?.map((t) => (
					<li key={t.id} className="flex items-baseline gap-4 border-b border-hair py-2">
						<p className="grow">
							{t.group ? (
								<>
									<b>{t.target.name}</b> was revoked from <b>{t.subject.name}</b>, but <b>{t.group.name}</b> gives it.
								</>
							) : (
								<>
									<b>{t.subject.name}</b> should not keep {t.keeps}, which only somebody can do.
								</>
							)}{" "}
							<span className="text-quiet">“{t.why}”</span>
						</p>
						<Link className="action main" to={to(`/review-tasks/${t.id}`)}>
							Settle …
						</Link>
					</li>
				))}
			</ul>
		</section>
	);
}

function Shelf({ title, list, empty }: { title: string; list: Schemas["Review"][]; empty: string }) {
	const to = useTo();
	return (
		<section className="mt-5">
			<h2 className="border-b-[3px] border-[var(--beam)] text-[15px] font-bold">{title}</h2>
			{list.length === 0 && <p className="py-2 text-quiet">{empty}</p>}
			<ul>
				{list.map((r) => {
					const open = r.items - r.kept - r.revoked;
					return (
						<li
							key={r.id}
							className="grid grid-cols-[minmax(0,4fr)_minmax(0,3fr)_minmax(0,3fr)] items-center gap-4 border-b border-hair py-2"
						>
							<div className="min-w-0">
								<Link className="link text-[14px]" to={to(`/reviews/${r.id}`)}>
									{r.name}
								</Link>
								<p className="truncate text-[12px] text-quiet">
									<Sentence parts={r.about} /> · by {r.deciders} · opened by {r.opener.name}, {day(r.opened)}
								</p>
							</div>
							<div>
								<Progress review={r} />
								<p className="text-[12px] text-quiet">
									<span className="text-moss">{r.kept} kept</span> ·{" "}
									<span className="text-ox">{r.revoked} revoked</span> · {open} undecided
									{r.tasks > 0 && ` · ${r.settled} of ${r.tasks} tasks settled`}
								</p>
							</div>
							<p className="text-right">
								{r.waiting > 0 && (
									<Link className="action main mr-3 inline-block" to={to(`/reviews/${r.id}`)}>
										Decide {count(r.waiting, "item", "items")}
									</Link>
								)}
								<span className={r.overdue ? "font-semibold text-ox" : "text-quiet"}>
									{r.closed
										? `closed ${day(r.closed)}${r.revision ? `, revision ${r.revision}` : ""}`
										: r.overdue
											? `overdue since ${day(r.due)}`
											: `due ${day(r.due)}`}
								</span>
							</p>
						</li>
					);
				})}
			</ul>
		</section>
	);
}

export function Progress({ review: r }: { review: Schemas["Review"] }) {
	const part = (n: number) => `${r.items ? (100 * n) / r.items : 0}%`;
	return (
		<div
			role="img"
			aria-label={`${r.kept} kept, ${r.revoked} revoked of ${r.items}`}
			className="flex h-[12px] border-[1.5px] border-[var(--beam)] bg-raised"
		>
			<div className="bg-moss" style={{ width: part(r.kept) }} />
			<div className="bg-ox" style={{ width: part(r.revoked) }} />
		</div>
	);
}

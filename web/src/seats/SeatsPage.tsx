import { keepPreviousData, useInfiniteQuery, useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import { type Ask, paged, useAsk, useLens } from "../api/ask";
import { api, data, type Schemas } from "../api/client";
import { design, useDrafting } from "../api/hooks";
import { useHouse } from "../house/context";
import { useSet, useTo } from "../house/lens";
import { acting, may } from "../house/rights";
import { Loaded } from "../parts/loading";
import { Few } from "../parts/More";
import { useNotice } from "../parts/notice";
import { Choice, Rooms } from "../parts/tabs";
import { count, day, Named, number } from "../parts/words";

type Pool = Schemas["SeatPool"];
type Part = "waiting" | "idle" | "lesser" | "taken";

const atOnce = 100;

/** The desk of seats: each licence a beam that carries its load, and behind it who sits, who waits, and what could come free. */
export function SeatsPage() {
	const set = useSet();
	const [params] = useSearchParams();
	const { me } = useHouse();
	const days = Number(params.get("days")) || 90;
	const pools = useAsk({
		queryKey: [...design, "seats", days],
		queryFn: (ask: Ask) => data(ask.GET("/api/seats", { params: { query: { days } } })),
		placeholderData: keepPreviousData,
	});
	return (
		<Loaded query={pools}>
			{(list) => {
				const chosen = list.find((p) => p.licence.id === params.get("licence")) ?? list[0];
				return (
					<div className="flex h-full flex-col px-[18px] pt-3">
						<div className="flex items-baseline gap-6">
							<Rooms />
							<span className="grow" />
							<label className="flex items-center gap-2 whitespace-nowrap text-quiet">
								A seat is idle if not used for
								<input
									type="number"
									aria-label="Days without use"
									min={1}
									max={3650}
									className="field !w-[76px]"
									defaultValue={days}
									onBlur={(e) => set({ days: e.target.value === "90" ? null : e.target.value })}
									onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
								/>
								days
							</label>
						</div>
						{list.length === 0 ? (
							<p className="mt-4 max-w-[560px] border-l-8 border-ochre-line bg-raised p-3">
								No licence has a limited number of seats. Add one under Licences, and set on each system which licence
								it needs.
							</p>
						) : (
							<div className="mt-3 grid min-h-0 grow grid-cols-[minmax(0,5fr)_minmax(0,6fr)] max-[900px]:grid-cols-1 max-[900px]:overflow-auto">
								<nav
									aria-label="Pools"
									className="min-h-0 overflow-auto border-r-[3px] border-[var(--beam)] pr-[18px] pb-4"
								>
									{!may(me, "design:view") && (
										<p className="mb-2 px-3 text-quiet">
											You see part of the organisation: only people in it are named as using a seat or waiting for one.
										</p>
									)}
									{list.map((p) => (
										<Load
											key={p.licence.id}
											pool={p}
											chosen={p === chosen}
											onChoose={() => set({ licence: p.licence.id })}
										/>
									))}
								</nav>
								<PoolRows key={chosen.licence.id} pool={chosen} days={days} />
							</div>
						)}
					</div>
				);
			}}
		</Loaded>
	);
}

/** A pool as a beam: what is in use, what lies idle, what is free; and who hangs below it, waiting. */
function Load({ pool: p, chosen, onChoose }: { pool: Pool; chosen: boolean; onChoose: () => void }) {
	const all = Math.max(p.seats ?? 0, p.used + p.others, 1);
	const share = (n: number) => `${(100 * n) / all}%`;
	const working = p.used - p.idle - p.noUse;
	const short = p.free === 0 && p.lacking > 0;
	return (
		<button
			type="button"
			data-pool={p.licence.id}
			aria-pressed={chosen}
			onClick={onChoose}
			className={`mb-4 block w-full px-3 py-2 text-left ${chosen ? "bg-sunk shadow-[inset_4px_0_0_var(--slate)]" : "hover:bg-sunk"}`}
		>
			<span className="flex items-baseline gap-3">
				<b className="min-w-0 grow truncate text-[15px]">{p.licence.name}</b>
				<span className={short ? "font-bold text-ox" : p.free === 0 ? "font-bold text-ochre" : "text-quiet"}>
					{p.seats === undefined
						? `${number(p.used + p.others)} taken, no end`
						: `${number(p.used + p.others)} of ${number(p.seats)} taken · ${number(p.free ?? 0)} free`}
				</span>
			</span>
			<span className="mt-1 flex h-[20px] border-[2px] border-[var(--beam)] bg-raised" aria-hidden>
				<span className="h-full bg-moss" style={{ width: share(working) }} />
				<span className="h-full border-l border-[var(--beam)] bg-quiet/40" style={{ width: share(p.noUse) }} />
				<span className="hatched h-full border-l border-[var(--beam)]" style={{ width: share(p.idle) }} />
				<span className="h-full border-l border-[var(--beam)] bg-sunk" style={{ width: share(p.others) }} />
			</span>
			<span className="mt-1 flex flex-wrap gap-x-4 text-[12px] text-quiet">
				<span>
					<b className="text-moss">{number(working)}</b> in use
				</span>
				{p.idle > 0 && (
					<span>
						<b className="text-ochre">{number(p.idle)}</b> idle
					</span>
				)}
				{p.noUse > 0 && (
					<span>
						<b className="text-ink">{number(p.noUse)}</b> no use known
					</span>
				)}
				{p.others > 0 && (
					<span>
						<b className="text-ink">{number(p.others)}</b> of people outside your part
					</span>
				)}
				{p.lesser > 0 && (
					<span>
						<b className="text-ochre">{number(p.lesser)}</b> could do with less
					</span>
				)}
				{p.lacking > 0 && (
					<span>
						<b className={short ? "text-ox" : "text-ochre"}>{number(p.lacking)}</b> {p.lacking === 1 ? "waits" : "wait"}
					</span>
				)}
				<span className="min-w-0 truncate">for {p.systems.join(", ") || "no system"}</span>
			</span>
		</button>
	);
}

/** Who sits in a pool and who waits, in the order that tells whose turn it is; and what can be done about it. */
function PoolRows({ pool: p, days }: { pool: Pool; days: number }) {
	const { me } = useHouse();
	const { tell, refuse } = useNotice();
	const to = useTo();
	const set = useSet();
	const navigate = useNavigate();
	const lens = useLens();
	const [params] = useSearchParams();
	const part = (params.get("part") as Part | null) ?? (p.lacking > 0 ? "waiting" : "taken");
	const [n, setN] = useState(1);
	const id = p.licence.id;
	const pages = useInfiniteQuery({
		...paged(lens, [...design, "seats", id, part, days], (ask: Ask, offset: number) =>
			data(ask.GET("/api/seats/{id}", { params: { path: { id }, query: { part, days, offset, limit: atOnce } } })),
		),
		initialPageParam: 0,
		getNextPageParam: (last, all) => {
			const got = all.reduce((sum, x) => sum + x.rows.length, 0);
			return got < last.match ? got : undefined;
		},
	});
	const rows = pages.data?.pages.flatMap((x) => x.rows) ?? [];
	const match = pages.data?.pages[0]?.match ?? 0;
	const give = useDrafting((seats: number) => data(api.POST("/api/draft/seats", { body: { licence: id, seats } })));
	const gather = useMutation({
		mutationFn: (which: "idle" | "lesser") =>
			data(api.POST("/api/seats/{id}/worklist", { params: { path: { id }, query: { part: which, days } } })),
		onSuccess: (head) => navigate(to(`/worklists/${head.id}`)),
		onError: refuse,
	});
	const may = p.may && acting(me);
	const most = Math.min(p.free ?? p.lacking, p.lacking);
	const ways: { id: Part; name: string }[] = [
		{ id: "waiting", name: `Waiting ${number(p.lacking)}` },
		{ id: "idle", name: `Idle ${number(p.idle)}` },
		{ id: "lesser", name: `Could do with less ${number(p.lesser)}` },
		{ id: "taken", name: `All seats ${number(p.used)}` },
	];
	return (
		<section aria-label={p.licence.name} className="flex min-h-0 flex-col pl-[18px]">
			<div className="flex items-baseline gap-4">
				<h2 className="min-w-0 grow truncate text-[18px] font-bold">
					<Named of={p.licence} />
				</h2>
				{p.covers.length > 0 && (
					<span className="truncate text-[12px] text-quiet">covers {p.covers.map((c) => c.name).join(", ")}</span>
				)}
			</div>
			<div className="mt-1 border-b-[3px] border-[var(--beam)]">
				<Choice label="Part of the pool" ways={ways} at={part} onChoose={(x) => set({ part: x })} />
			</div>
			{may && (
				<div className="flex flex-wrap items-center gap-3 bg-sunk px-3 py-2">
					{part === "waiting" &&
						(p.lacking === 0 ? (
							<span className="text-quiet">Everybody who needs a seat has one.</span>
						) : most === 0 ? (
							<span className="font-semibold text-ox">
								No seat is free.{" "}
								{p.idle > 0 ? (
									<button type="button" className="link" onClick={() => set({ part: "idle" })}>
										{count(p.idle, "seat lies", "seats lie")} idle
									</button>
								) : (
									"None is idle either: take one from somebody, or add seats on the licence’s sheet."
								)}
							</span>
						) : (
							<form
								className="flex items-center gap-2"
								onSubmit={(e) => {
									e.preventDefault();
									give.mutate(Math.max(1, Math.min(n, most)), {
										onError: refuse,
										onSuccess: () => tell("The seats are in your draft."),
									});
								}}
							>
								Give the next
								<input
									type="number"
									aria-label="How many seats"
									min={1}
									max={most}
									className="field !w-[72px]"
									value={n}
									onChange={(e) => setN(Number(e.target.value))}
								/>
								of {count(most, "seat", "seats")} to who has waited longest
								<button type="submit" className="action main" disabled={give.isPending}>
									Put into the draft
								</button>
							</form>
						))}
					{(part === "idle" || part === "lesser") &&
						((part === "idle" ? p.idle : p.lesser) > 0 ? (
							<>
								<span className="grow">
									{part === "idle"
										? "People who lose a seat keep their roles: what needs the seat is withheld until they have one again."
										: "They hold nothing that needs this licence."}
								</span>
								<button
									type="button"
									className="action main"
									disabled={gather.isPending}
									onClick={() => gather.mutate(part)}
								>
									Gather them to free the seats …
								</button>
							</>
						) : (
							<span className="text-quiet">None.</span>
						))}
					{part === "taken" && (
						<Link className="link" to={to(`/people?q=${encodeURIComponent(`licences eq "${id}"`)}`)}>
							As a list of people
						</Link>
					)}
				</div>
			)}
			<div className="min-h-0 grow overflow-auto">
				{pages.error && <p className="py-2 font-semibold text-ox">✕ {pages.error.message}</p>}
				{pages.data && rows.length === 0 && <p className="py-3 text-quiet">Nobody.</p>}
				<ol>
					{rows.map((r, i) => (
						<li key={r.user.id} data-seat={r.user.id} className="flex items-baseline gap-3 border-b border-hair py-1.5">
							{part === "waiting" && <span className="w-[28px] shrink-0 text-right text-quiet">{i + 1}</span>}
							<span className="min-w-0 grow">
								<Named of={r.user} />{" "}
								<span className="text-[12px] text-quiet">{[r.title, r.home].filter(Boolean).join(" · ")}</span>
								{r.lacking > 0 && (
									<span className="narrow block font-mono text-[11.5px] text-quiet">
										<Few of={r.lacks} most={3} total={r.lacking}>
											{(lacks, more) => (
												<>
													{lacks.join(", ")} {more}
												</>
											)}
										</Few>
									</span>
								)}
							</span>
							<span className="shrink-0 text-quiet">
								{part === "waiting"
									? r.since
										? `since ${day(r.since)}`
										: "by your draft"
									: part === "lesser"
										? r.lesser
											? `${r.lesser.name} would do`
											: "needs none"
										: r.lastUse
											? `used ${day(r.lastUse)}`
											: r.never
												? "never used"
												: "no use known"}
							</span>
						</li>
					))}
				</ol>
				{pages.hasNextPage && (
					<button
						type="button"
						className="action my-3"
						disabled={pages.isFetchingNextPage}
						onClick={() => pages.fetchNextPage()}
					>
						{pages.isFetchingNextPage ? "One moment …" : `${number(match - rows.length)} more`}
					</button>
				)}
			</div>
		</section>
	);
}

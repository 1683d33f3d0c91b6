import { useState } from "react";
import { useSearchParams } from "react-router";
import type { Schemas } from "../api/client";
import { repairFindings, useDrafting, useFindings } from "../api/hooks";
import { useHouse } from "../house/context";
import { useSet } from "../house/lens";
import { acting, may } from "../house/rights";
import { Downloads } from "../parts/Downloads";
import { Loaded } from "../parts/loading";
import { More } from "../parts/More";
import { useNotice } from "../parts/notice";
import { count, kindWords, lastDay, Name, Named, number } from "../parts/words";
import { AsideBoard } from "./AsideBoard";
import { drawing } from "./Drawn";
import { Bars, Trend } from "./Trend";

type Kind = Schemas["FindingKind"];
type Row = Schemas["FindingRow"];

/** How many findings are shown at once. */
const shown = 200;

/** The marks of the weights, the gravest first. */
export const weights: Record<number, { mark: string; words: string; look: string }> = {
	3: { mark: "▮▮▮", words: "grave", look: "text-ox" },
	2: { mark: "▮▮▯", words: "worth a look", look: "text-ochre" },
	1: { mark: "▮▯▯", words: "to tidy up", look: "text-quiet" },
	0: { mark: "▯▯▯", words: "nothing", look: "text-quiet" },
};

/** What is loose in the design, kind by kind, each with what mends it. */
export function FindingsPage() {
	const [params] = useSearchParams();
	const kind = params.get("kind") ?? "";
	const aside = params.get("aside") === "yes";
	const about = params.get("about") ?? "";
	const here = `${kind}${about}${aside}`;
	const [opened, setOpened] = useState({ here, most: shown });
	const most = opened.here === here ? opened.most : shown;
	const findings = useFindings({
		kind: kind || undefined,
		about: about || undefined,
		aside: aside || undefined,
		limit: most,
	});
	return (
		<Loaded query={findings}>
			{(f) => (
				<Shown
					key={here}
					of={f}
					kind={kind}
					about={about}
					aside={aside}
					onMore={most < 10_000 ? () => setOpened({ here, most: Math.min(10_000, most * 5) }) : undefined}
				/>
			)}
		</Loaded>
	);
}

function Shown({
	of,
	kind,
	about,
	aside,
	onMore,
}: {
	of: Schemas["Findings"];
	kind: string;
	about: string;
	aside: boolean;
	onMore?: () => void;
}) {
	const set = useSet();
	const { me } = useHouse();
	const { refuse, tell } = useNotice();
	const [chosen, setChosen] = useState<string[]>([]);
	const [setting, setSetting] = useState<string[] | null>(null);
	const mend = useDrafting(repairFindings);
	const all = of.kinds.reduce((n, k) => n + (aside ? k.aside : k.count), 0);
	const here = of.kinds.find((k) => k.kind === kind);
	const sums = of.weeks.map((_, i) => of.kinds.reduce((n, k) => n + (k.weeks?.[i] ?? 0), 0));
	const [aboutKind, ...aboutId] = about.split(":");
	const rows = of.rows;
	const picked = rows.filter((r) => chosen.includes(r.id));
	const mendable = picked.length > 0 && picked.every((r) => r.repairs.length > 0);
	const act = (ids: string[]) =>
		mend.mutate(
			{ ids, repair: 0 },
			{
				onSuccess: () => {
					setChosen([]);
					tell(`${count(ids.length, "change is", "changes are")} in the draft. Look at the impact, then apply it.`);
				},
				onError: refuse,
			},
		);
	return (
		<div className="grid h-full grid-cols-[300px_minmax(0,1fr)]">
			<nav aria-label="Kinds of finding" className="min-h-0 overflow-auto border-r-[3px] border-[var(--beam)] py-3">
				<h1 className="px-[18px] pb-2 text-[22px] font-bold">Findings</h1>
				<ul>
					<KindLine
						name="All findings"
						n={all}
						weight={Math.max(0, ...of.kinds.map((k) => k.weight))}
						here={!kind}
						onGo={() => set({ kind: "" })}
					/>
					{of.kinds.map((k) => (
						<KindLine
							key={k.kind}
							name={k.name}
							n={aside ? k.aside : k.count}
							weight={k.weight}
							here={k.kind === kind}
							weeks={aside ? undefined : k.weeks}
							onGo={() => set({ kind: k.kind })}
						/>
					))}
				</ul>
				<p className="px-[18px] pt-3">
					<button type="button" className="link" onClick={() => set({ aside: aside ? "" : "yes" })}>
						{aside
							? "Show all findings"
							: `Show what is set aside (${number(of.kinds.reduce((n, k) => n + k.aside, 0))})`}
					</button>
				</p>
			</nav>
			<section aria-label="What is found" className="flex min-h-0 flex-col">
				<header className="flex shrink-0 items-center gap-4 border-b-[3px] border-[var(--beam)] px-[18px] py-3">
					<div className="min-w-0 grow">
						<h2 className="text-[18px] font-bold">
							{here?.name ?? "All findings"}
							{aside && ", set aside"} <span className="font-normal text-quiet">{number(of.match)}</span>
						</h2>
						{about && (
							<p>
								About <Name kind={aboutKind} id={aboutId.join(":")}>{`this ${kindWords[aboutKind] ?? "thing"}`}</Name>{" "}
								only.{" "}
								<button type="button" className="link" onClick={() => set({ about: "" })}>
									Show all
								</button>
							</p>
						)}
						<p className="text-quiet">
							{here?.means ?? "The most serious first. A finding disappears when its cause does."}
						</p>
					</div>
					{!aside && !about && (here ? here.weeks : true) && (
						<Trend weeks={of.weeks} counts={here ? (here.weeks ?? []) : sums} now={here ? here.count : all} />
					)}
					<Downloads
						path="/api/findings/table"
						query={{ kind: kind || undefined, about: about || undefined, aside: aside ? "true" : undefined }}
					/>
				</header>
				<ul aria-label="Findings" className="min-h-0 grow overflow-auto px-[18px]">
					{rows.map((r) => (
						<Line
							key={r.id}
							row={r}
							kinds={of.kinds}
							named={!kind}
							acts={acting(me)}
							chosen={chosen.includes(r.id)}
							onChoose={(on) => setChosen(on ? [...chosen, r.id] : chosen.filter((id) => id !== r.id))}
							onMend={() => act([r.id])}
							onAside={may(me, "design:edit") ? () => setSetting([r.id]) : undefined}
						/>
					))}
					{rows.length === 0 && (
						<li className="py-4 text-quiet">
							{aside ? "Nothing is set aside." : "There are no findings here. That is how it should be."}
						</li>
					)}
					{of.match > rows.length && (
						<li className="py-3">
							{onMore ? (
								<More n={of.match - rows.length} onOpen={onMore} />
							) : (
								<span className="text-quiet">
									The first {number(rows.length)} of {number(of.match)}: choose a kind, or take the table.
								</span>
							)}
						</li>
					)}
				</ul>
				{acting(me) && rows.length > 0 && (
					<footer className="flex shrink-0 items-center gap-3 border-t-[3px] border-[var(--beam)] px-[18px] py-2">
						<button
							type="button"
							className="link"
							onClick={() => setChosen(chosen.length === rows.length ? [] : rows.map((r) => r.id))}
						>
							{chosen.length === rows.length ? "Choose none" : `Choose all ${rows.length}`}
						</button>
						<span className="grow text-quiet">{chosen.length > 0 && `${number(chosen.length)} chosen`}</span>
						{may(me, "design:edit") && (
							<button
								type="button"
								className="action"
								disabled={chosen.length === 0}
								onClick={() => setSetting(chosen)}
							>
								{aside ? "No longer aside …" : "Set aside …"}
							</button>
						)}
						<button
							type="button"
							className="action main"
							disabled={!mendable || mend.isPending}
							onClick={() => act(chosen)}
						>
							Repair in the draft
						</button>
					</footer>
				)}
			</section>
			{setting && (
				<AsideBoard
					ids={setting}
					aside={aside}
					onClose={() => setSetting(null)}
					onDone={() => {
						setSetting(null);
						setChosen([]);
					}}
				/>
			)}
		</div>
	);
}

function KindLine({
	name,
	n,
	weight,
	here,
	weeks,
	onGo,
}: {
	name: string;
	n: number;
	weight: number;
	here: boolean;
	/** How many there were at the ends of the weeks past. */
	weeks?: number[];
	onGo: () => void;
}) {
	const w = weights[n > 0 ? weight : 0];
	return (
		<li>
			<button
				type="button"
				aria-current={here ? "page" : undefined}
				onClick={onGo}
				className={`flex w-full items-baseline gap-2 border-b border-hair px-[18px] py-1.5 text-left ${here ? "bg-slate text-on-slate" : n === 0 ? "text-quiet hover:bg-sunk" : "hover:bg-sunk"}`}
			>
				<span className="min-w-0 grow">{name}</span>
				{weeks?.some((was) => was !== n) && (
					<span className={`self-end pb-[3px] ${here ? "" : "text-quiet"}`}>
						<Bars weeks={weeks.map((_, i) => String(i))} counts={weeks} now={n} height={13} step={3} />
					</span>
				)}
				<span className={`shrink-0 text-[11px] ${here ? "" : w.look}`} title={w.words}>
					<span aria-hidden="true">{w.mark}</span>
					<span className="sr-only">{w.words}</span>
				</span>
				<span className="w-[38px] shrink-0 text-right tabular-nums">{number(n)}</span>
			</button>
		</li>
	);
}

function Line({
	row,
	kinds,
	named,
	acts,
	chosen,
	onChoose,
	onMend,
	onAside,
}: {
	row: Row;
	kinds: Kind[];
	named: boolean;
	acts: boolean;
	chosen: boolean;
	onChoose: (on: boolean) => void;
	onMend: () => void;
	onAside?: () => void;
}) {
	const w = weights[row.weight];
	const [open, setOpen] = useState(false);
	const drawn = drawing(row);
	return (
		<li className="grid grid-cols-[auto_auto_minmax(0,1fr)_auto] items-baseline gap-x-3 border-b border-hair py-2">
			{acts ? (
				<input
					type="checkbox"
					className="shrink-0 translate-y-[2px]"
					aria-label={`Choose: ${row.says}`}
					checked={chosen}
					onChange={(e) => onChoose(e.target.checked)}
				/>
			) : (
				<span />
			)}
			<span className={`shrink-0 text-[11px] ${w.look}`} title={w.words}>
				<span aria-hidden="true">{w.mark}</span>
				<span className="sr-only">{w.words}</span>
			</span>
			<div className="min-w-0">
				<p>{row.says}</p>
				<p className="flex flex-wrap gap-x-3 text-[12px] text-quiet">
					{named && <span>{kinds.find((k) => k.kind === row.kind)?.name}</span>}
					{row.objects.map((o) => (
						<Named key={`${o.kind}${o.id}`} of={o} />
					))}
					{row.aside && (
						<span>
							set aside until the end of {lastDay(row.aside.until)} by {row.aside.by.name}: “{row.aside.reason}”
						</span>
					)}
				</p>
			</div>
			<span className="flex gap-3">
				{drawn && (
					<button
						type="button"
						className="link shrink-0"
						aria-expanded={open}
						aria-label={`${open ? "Hide" : "Show"}: ${row.says}`}
						onClick={() => setOpen(!open)}
					>
						{open ? "Hide" : "Show"}
					</button>
				)}
				{acts && row.repairs.length > 0 && (
					<button type="button" className="link max-w-[230px] text-left" title={row.repairs[0]} onClick={onMend}>
						{row.repairs[0].replace(/\.$/, "")}
					</button>
				)}
				{acts && onAside && (
					<button type="button" className="link shrink-0" aria-label={`Set aside: ${row.says}`} onClick={onAside}>
						{row.aside ? "No longer aside" : "Set aside"}
					</button>
				)}
			</span>
			{open && (
				<div data-drawn className="col-[3/5] mt-2 min-w-0 border-l-[3px] border-[var(--beam)] py-1 pl-3">
					{drawn}
				</div>
			)}
		</li>
	);
}

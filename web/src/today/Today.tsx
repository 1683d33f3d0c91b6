import { type KeyboardEvent, type ReactNode, useEffect, useRef } from "react";
import { Link, useNavigate } from "react-router";
import { type Ask, useAsk } from "../api/ask";
import { api, data, type Schemas } from "../api/client";
import { design, useFindings, useRefresh } from "../api/hooks";
import { weights } from "../findings/FindingsPage";
import { useHouse } from "../house/context";
import { typing } from "../house/Keys";
import { useTo } from "../house/lens";
import { acting, sees } from "../house/rights";
import { Loaded } from "../parts/loading";
import { useNotice } from "../parts/notice";
import { count, day, lastDay, moment, number } from "../parts/words";

type Waits = Schemas["Waits"];

/** How many findings that end soon are told. */
const endsShown = 4;

/** The first page: what waits, what ends soon, what changed, and what is loose, read from top to bottom and done by keys. */
export function Today() {
	const today = useAsk({
		queryKey: [...design, "today"],
		queryFn: (ask: Ask) => data(ask.GET("/api/today")),
	});
	return <Loaded query={today}>{(t) => <Shown today={t} />}</Loaded>;
}

function Shown({ today: t }: { today: Schemas["Today"] }) {
	const { me, setAside } = useHouse();
	const navigate = useNavigate();
	const to = useTo();
	const root = useRef<HTMLDivElement>(null);
	const waiting = t.waits.length;
	useEffect(() => {
		setAside(waiting === 0 ? "Nothing waits for you" : `${count(waiting, "thing waits", "things wait")} for you`);
		return () => setAside("");
	}, [setAside, waiting]);
	const lines = () => [...(root.current?.querySelectorAll<HTMLElement>("[data-line]") ?? [])];
	/** Arrows go from line to line; Enter opens, as on any link. */
	const press = (e: KeyboardEvent) => {
		if (typing(e.nativeEvent) || e.ctrlKey || e.metaKey || e.altKey) return;
		if (e.key.toLowerCase() === "f" && sees(me)) {
			e.preventDefault();
			navigate(to("/frame"));
			return;
		}
		const all = lines();
		const at = all.indexOf(document.activeElement as HTMLElement);
		const next = { ArrowDown: at + 1, ArrowUp: Math.max(0, at - 1), Home: 0, End: all.length - 1 }[e.key];
		if (next === undefined || all.length === 0) return;
		e.preventDefault();
		all[Math.min(next, all.length - 1)].focus();
	};
	// biome-ignore lint/correctness/useExhaustiveDependencies: as the page opens
	useEffect(() => {
		if (document.activeElement === document.body) (lines()[0] ?? root.current)?.focus({ preventScroll: true });
	}, []);
	return (
		// biome-ignore lint/a11y/noStaticElementInteractions: what is in it are links and buttons; the keys are theirs too
		<div ref={root} tabIndex={-1} onKeyDown={press} className="h-full overflow-auto px-[18px] py-3 outline-none">
			<div className="flex items-baseline gap-4">
				<h1 className="grow text-[22px] font-bold">Today</h1>
				{sees(me) && (
					<Link className="link" to={to("/frame")}>
						To the frame <kbd>F</kbd>
					</Link>
				)}
			</div>
			<Post name="Waiting for you">
				{t.waits.length === 0 && <p className="py-1.5 text-quiet">Nothing waits for you.</p>}
				{t.waits.map((w) => (
					<Waiting key={w.kind + w.id} of={w} />
				))}
			</Post>
			{sees(me) && !me.day ? (
				<Loose own={t.ends} />
			) : (
				t.ends.length > 0 && (
					<Post name="Ending soon">
						{t.ends.map((e) => (
							<OwnEnd key={e.target.id + e.at} end={e} />
						))}
					</Post>
				)
			)}
			<Changes today={t} />
		</div>
	);
}

/** A part of the page: its name on the post at the left, its lines beside it. */
function Post({ name, act, children }: { name: string; act?: ReactNode; children: ReactNode }) {
	return (
		<section
			aria-label={name}
			className="mt-3 grid grid-cols-[150px_minmax(0,1fr)] border-t-[3px] border-[var(--beam)] max-[700px]:grid-cols-1"
		>
			<div className="border-r-[3px] border-[var(--beam)] pt-1.5 pr-3 max-[700px]:border-r-0">
				<h2 className="text-[15px] font-bold">{name}</h2>
				{act}
			</div>
			<div className="min-w-0 pl-4 max-[700px]:pl-0">{children}</div>
		</section>
	);
}

/** One line that leads somewhere. */
function Line({ to, mark, look, aside, children }: LineProps) {
	const address = useTo();
	return (
		<Link
			data-line
			to={address(to)}
			className="flex min-h-[30px] items-baseline gap-3 border-b border-hair px-2 py-1 hover:bg-sunk focus:bg-sunk"
		>
			<span aria-hidden="true" className={`w-[30px] shrink-0 text-[11px] tracking-tight ${look ?? ""}`}>
				{mark}
			</span>
			<span className="min-w-0 grow">{children}</span>
			{aside && <span className={`shrink-0 text-[12px] ${look ?? "text-quiet"}`}>{aside}</span>}
		</Link>
	);
}
type LineProps = { to: string; mark?: string; look?: string; aside?: ReactNode; children: ReactNode };

/** Something that waits: where it is done, and what it is. */
function Waiting({ of: w }: { of: Waits }) {
	const n = w.count;
	const words: Record<Waits["kind"], { to: string; says: ReactNode; aside?: string }> = {
		begin: {
			to: "/upgrade",
			says: (
				<>
					<b>Import what can be granted</b>: the catalogue of a first system, then people, or a whole model file
				</>
			),
		},
		review: {
			to: `/reviews/${w.id}?view=desk`,
			says: (
				<>
					<b>Decide {count(n, "item", "items")}</b> of {w.name}
					{w.of && w.of > n ? `, ${w.of - n} of your ${w.of} are decided` : ""}
				</>
			),
			aside: w.at && (w.late ? `overdue since ${day(w.at)}` : `due ${day(w.at)}`),
		},
		close: {
			to: `/reviews/${w.id}?view=progress`,
			says: (
				<>
					<b>Close {w.name}</b>: {n === 0 ? "everything is decided" : `${n} of ${w.of} items are undecided`}
				</>
			),
			aside: w.at && (w.late ? `overdue since ${day(w.at)}` : `due ${day(w.at)}`),
		},
		task: {
			to: "/reviews",
			says: (
				<>
					<b>Settle {count(n, "revocation", "revocations")}</b> that could not be carried out by{" "}
					{n === 1 ? "itself" : "themselves"}
				</>
			),
		},
		request: {
			to: "/requests",
			says: (
				<>
					<b>Answer {count(n, "request", "requests")}</b> of others
				</>
			),
		},
		draft: {
			to: "/frame",
			says: (
				<>
					<b>{count(n, "change lies", "changes lie")} in your draft</b>, not applied: look through{" "}
					{n === 1 ? "it" : "them"} on the beam below
				</>
			),
		},
		invitation: {
			to: "/invitations",
			says: (
				<>
					<b>{count(n, "invitation", "invitations")}</b> failed: run out, or returned
				</>
			),
		},
		letter: {
			to: "/invitations",
			says: (
				<>
					<b>{count(n, "invitation", "invitations")}</b> not sent yet
				</>
			),
		},
		series: {
			to: `/series/${w.id}`,
			says: (
				<>
					<b>{w.name}</b> cannot go on by itself: {w.says}
				</>
			),
		},
		worklist: {
			to: `/worklists/${w.id}`,
			says: (
				<>
					Your worklist <b>{w.name}</b>
				</>
			),
			aside: w.at && `last changed ${day(w.at)}`,
		},
	};
	const { to, says, aside } = words[w.kind];
	return (
		<Line to={to} mark={w.late ? "!" : "▸"} look={w.late ? "font-bold text-ox" : undefined} aside={aside}>
			{says}
		</Line>
	);
}

function OwnEnd({ end: e }: { end: Schemas["EndsSoon"] }) {
	return (
		<Line to="/own" mark="▸" aside={`until ${lastDay(e.at)}`}>
			Your <b>{e.target.name}</b> {e.where}
		</Line>
	);
}

/** What ends soon, and what is loose, by weight. It is counted for the whole house, so the rest does not wait for it. */
function Loose({ own }: { own: Schemas["EndsSoon"][] }) {
	const findings = useFindings({ kind: "ending", limit: endsShown });
	const f = findings.data;
	const kinds = [...(f?.kinds.filter((k) => k.count > 0 && k.kind !== "ending") ?? [])].sort(
		(a, b) => b.weight - a.weight,
	);
	const shown = kinds.slice(0, kindsShown);
	const rest = kinds.slice(kindsShown);
	const ending = f?.kinds.find((k) => k.kind === "ending")?.count ?? 0;
	return (
		<>
			{(own.length > 0 || ending > 0) && (
				<Post name="Ending soon">
					{own.map((e) => (
						<OwnEnd key={e.target.id + e.at} end={e} />
					))}
					{f?.rows.map((r) => (
						<Line key={r.id} to="/findings?kind=ending" mark="▸">
							{r.says}
						</Line>
					))}
					{ending > (f?.rows.length ?? 0) && (
						<Line to="/findings?kind=ending">
							<span className="text-quiet">and {number(ending - (f?.rows.length ?? 0))} more</span>
						</Line>
					)}
				</Post>
			)}
			<Post name="Loose ends">
				{findings.isPending && <p className="py-1.5 text-quiet">Looking for findings …</p>}
				{findings.error && <p className="py-1.5 text-ox">{findings.error.message}</p>}
				{f && kinds.length === 0 && <p className="py-1.5 text-moss">✓ Nothing needs attention.</p>}
				{shown.map((k) => (
					<Line
						key={k.kind}
						to={`/findings?kind=${k.kind}`}
						mark={weights[k.weight].mark}
						look={weights[k.weight].look}
						aside={number(k.count)}
					>
						<b>{k.name}</b> <span className="text-quiet">{k.means}</span>
					</Line>
				))}
				{rest.length > 0 && (
					<Line to="/findings" aside={number(rest.reduce((n, k) => n + k.count, 0))}>
						<span className="text-quiet">and {count(rest.length, "kind more", "kinds more")} to tidy up</span>
					</Line>
				)}
			</Post>
		</>
	);
}

/** How many kinds of findings are told one by one. */
const kindsShown = 6;

/** What others applied since one last looked. */
function Changes({ today: t }: { today: Schemas["Today"] }) {
	const { me } = useHouse();
	const refresh = useRefresh();
	const { refuse } = useNotice();
	if (!me.rights.includes("fachwerk:history:view")) return null;
	const looked = async () => {
		try {
			await data(api.PUT("/api/today/looked", { body: { revision: t.latest } }));
			await refresh();
		} catch (error) {
			refuse(error);
		}
	};
	return (
		<Post
			name="Changed"
			act={
				<p className="text-[12px] text-quiet">
					{t.looked ? `since you looked, ${moment(t.looked)}` : "of late"}
					{acting(me) && t.changes.length > 0 && (
						<button type="button" className="link block" onClick={looked}>
							I have seen it
						</button>
					)}
				</p>
			}
		>
			{t.changes.length === 0 && <p className="py-1.5 text-quiet">Nobody else has changed anything.</p>}
			{t.changes.map((r) => (
				<Line key={r.number} to={`/history?revision=${r.number}`} mark={String(r.number)} aside={day(r.at)}>
					<b>{r.who}</b>: {r.why || (r.sentences[0] ?? []).map((p) => p.text).join("")}
				</Line>
			))}
			{t.more > 0 && (
				<Line to="/history">
					<span className="text-quiet">and {number(t.more)} more</span>
				</Line>
			)}
		</Post>
	);
}

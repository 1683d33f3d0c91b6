import { type ReactNode, useEffect } from "react";
import { Link, useSearchParams } from "react-router";
import { type Ask, useAsk } from "../api/ask";
import { data, type Schemas } from "../api/client";
import { usePerson } from "../api/hooks";
import { useHouse } from "../house/context";
import { useSet, useTo } from "../house/lens";
import { acting } from "../house/rights";
import { Grants } from "../parts/Grants";
import { Loaded } from "../parts/loading";
import { Line, Part } from "../parts/sheet";
import { Rooms } from "../parts/tabs";
import { Wall } from "../parts/Wall";
import { count, day, lastDay, Named } from "../parts/words";
import { useRequest, useRequests } from "../requests/hooks";
import { Need } from "../requests/Need";
import { stateWords } from "../requests/RequestsPage";
import { TracePanel } from "../sheets/person/TracePanel";

/** One's own page: what one can do and why, what waits, what one asked for, and what one belongs to. */
export function OwnPage() {
	const { me } = useHouse();
	const [params] = useSearchParams();
	const person = usePerson(me.user.id, params.get("where") ?? undefined);
	return <Loaded query={person}>{(p) => <Own person={p} />}</Loaded>;
}

function Own({ person }: { person: Schemas["Person"] }) {
	const { me, setAside } = useHouse();
	const set = useSet();
	const [params] = useSearchParams();
	const permission = params.get("permission");
	const held = person.systems.reduce((n, s) => n + s.held, 0);
	useEffect(() => {
		setAside(`You hold ${count(held, "permission", "permissions")}`);
		return () => setAside("");
	}, [setAside, held]);
	return (
		<div className="flex h-full flex-col">
			<header className="flex shrink-0 items-baseline gap-6 border-b border-hair px-[18px] pt-2 pb-1">
				<Rooms />
				<p className="min-w-0 grow truncate text-quiet">
					<b className="text-ink">{person.user.name}</b>
					{[person.object.title, person.area.name].filter(Boolean).map((t) => ` · ${t}`)}
					{person.manager && ` · reports to ${person.manager.name}`}
					{person.licences.length > 0 && ` · ${person.licences.map((l) => l.name).join(", ")}`}
					{person.validity && ` · ${person.validity}`}
				</p>
			</header>
			<div className="grid min-h-0 grow grid-cols-[minmax(0,1fr)_460px] max-[900px]:grid-cols-1 max-[900px]:overflow-auto">
				<Wall
					label="What you can do"
					systems={person.systems}
					chosen={permission}
					everything={params.get("all") === "1"}
					empty="You hold nothing here. Show what is not held, or say what you need, to request it."
					onChoose={(key) => set({ permission: key === permission ? null : key })}
					onEverything={(all) => set({ all: all ? "1" : null })}
				/>
				<section
					aria-label="About you"
					// biome-ignore lint/a11y/noNoninteractiveTabindex: it scrolls, and may hold nothing else to stop at
					tabIndex={0}
					className="min-h-0 overflow-auto border-l-[3px] border-[var(--beam)] px-[18px] py-3"
				>
					{permission ? (
						<TracePanel
							person={person}
							permission={permission}
							where={params.get("where") ?? undefined}
							onClose={() => set({ permission: null })}
						/>
					) : (
						<>
							{acting(me) && <Need />}
							{acting(me) && <Again />}
							<Waiting />
							{acting(me) && <Asked />}
							<Standing person={person} />
							{acting(me) && <Letters />}
						</>
					)}
				</section>
			</div>
		</div>
	);
}

/** From a letter that something ends: offers to ask for it again. */
function Again() {
	const [params] = useSearchParams();
	const again = Number(params.get("again")) || undefined;
	const request = useRequest(again);
	if (!request.data?.mine) return null;
	return (
		<div className="mb-4 border-l-8 border-ochre-line bg-sunk px-3 py-2">
			<p>
				{request.data.what}
				{request.data.ends && ` ends on ${lastDay(request.data.ends)}`}. Do you still need it then?
			</p>
			<Need again={request.data} />
		</div>
	);
}

/** What waits for one's decision. */
function Waiting() {
	const { me } = useHouse();
	const to = useTo();
	const rows: [number, ReactNode][] = [
		[
			me.waiting,
			<Link key="reviews" className="link" to={to("/reviews")}>
				{count(me.waiting, "item of a review waits", "items of reviews wait")} for your decision
			</Link>,
		],
		[
			me.tasks,
			<Link key="tasks" className="link" to={to("/reviews")}>
				{count(me.tasks, "thing is", "things are")} left to settle in groups that you own
			</Link>,
		],
		[
			me.asked,
			<Link key="asked" className="link" to={to("/requests")}>
				{count(me.asked, "request waits", "requests wait")} for your answer
			</Link>,
		],
	];
	const waits = rows.filter(([n]) => n > 0);
	if (waits.length === 0) return null;
	return (
		<Part title="Waits for you">
			<ul>
				{waits.map(([, row], i) => (
					// biome-ignore lint/suspicious/noArrayIndexKey: the rows have no other identity
					<Line key={i}>{row}</Line>
				))}
			</ul>
		</Part>
	);
}

const shown = 5;

function Asked() {
	const to = useTo();
	const requests = useRequests();
	const mine = requests.data?.mine ?? [];
	if (mine.length === 0) return null;
	return (
		<Part
			title="You asked for"
			count={mine.length}
			act={
				mine.length > shown && (
					<Link className="link" to={to("/requests")}>
						All
					</Link>
				)
			}
		>
			<ul>
				{mine.slice(0, shown).map((r) => (
					<Line key={r.id} aside={<span className={stateWords[r.state][1]}>{stateWords[r.state][0]}</span>}>
						<Link className="link" to={to(`/requests/${r.id}`)}>
							{r.what}
						</Link>
						{r.state === "granted" && r.ends && (
							<span className="text-[12px] text-quiet"> ends by itself on {lastDay(r.ends)}</span>
						)}
					</Line>
				))}
			</ul>
		</Part>
	);
}

/** What one belongs to, owns and is given by hand. */
function Standing({ person }: { person: Schemas["Person"] }) {
	const { me } = useHouse();
	const to = useTo();
	const groups = person.groups.filter((g) => g.group.id !== "everyone" && g.group.id !== "public");
	return (
		<>
			<Part title="Your groups" count={groups.length}>
				{groups.length === 0 && <p className="py-1.5 text-quiet">None beside everyone.</p>}
				<ul>
					{groups.map((g) => (
						<Line key={g.group.id} aside={g.direct ? undefined : "through another"}>
							<Named of={g.group} />
						</Line>
					))}
				</ul>
			</Part>
			{person.assignments.length > 0 && (
				<Part title="Given to you by hand" count={person.assignments.length}>
					<Grants grants={person.assignments} from="subject" empty="" />
				</Part>
			)}
			{me.delegated.length > 0 && (
				<Part title="Delegated to you">
					<p className="py-1.5">
						You may {me.delegated.join(", ")}, within bounds.{" "}
						<Link className="link" to={to("/delegations")}>
							What exactly
						</Link>
					</p>
				</Part>
			)}
			{person.owns.length > 0 && (
				<Part title="You own" count={person.owns.length}>
					<ul>
						{person.owns.map((r) => (
							<Line key={`${r.kind}${r.id}`} aside={r.kind}>
								<Named of={r} />
							</Line>
						))}
					</ul>
				</Part>
			)}
			{person.conflicts.length > 0 && (
				<Part title="You hold both, and should not" count={person.conflicts.length}>
					<ul>
						{person.conflicts.map((c) => (
							<Line key={c.conflict.id} aside={c.excepted ? "excepted" : undefined}>
								<Named of={c.conflict} />: {c.items.join(" + ")}
							</Line>
						))}
					</ul>
				</Part>
			)}
		</>
	);
}

function Letters() {
	const { me } = useHouse();
	const to = useTo();
	const box = useAsk({ queryKey: ["mailbox"], queryFn: (ask: Ask) => data(ask.GET("/api/me/mailbox")) });
	const mine = (box.data?.letters ?? []).filter((l) => l.to.id === me.signedIn.id).slice(0, 3);
	if (mine.length === 0) return null;
	return (
		<Part
			title="Your last letters"
			act={
				<Link className="link" to={to("/letters")}>
					All
				</Link>
			}
		>
			<ul>
				{mine.map((l) => (
					<Line key={l.id} aside={day(l.at)}>
						<Link className="link" to={to(`/letters/${l.id}`)}>
							{l.subject}
						</Link>
					</Line>
				))}
			</ul>
		</Part>
	);
}

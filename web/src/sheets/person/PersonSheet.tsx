import { useEffect } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import type { Schemas } from "../../api/client";
import { usePerson } from "../../api/hooks";
import { useHouse } from "../../house/House";
import { may, mayDraft } from "../../house/rights";
import { Loaded } from "../../parts/loading";
import { Name } from "../../parts/words";
import { TracePanel } from "./TracePanel";
import { Wall } from "./Wall";

/** The sheet of one person: who they are, the wall of what they may do, and behind each brick the way by which it got there. */
export function PersonSheet() {
	const { id = "" } = useParams();
	const [params] = useSearchParams();
	const person = usePerson(id, params.get("where") ?? undefined);
	return <Loaded query={person}>{(p) => <Sheet person={p} />}</Loaded>;
}

function Sheet({ person }: { person: Schemas["Person"] }) {
	const { me, setAside } = useHouse();
	const [params, setParams] = useSearchParams();
	const permission = params.get("permission");
	const everything = params.get("all") === "1";
	const set = (name: string, value: string | null) =>
		setParams(
			(p) => {
				const next = new URLSearchParams(p);
				if (value) next.set(name, value);
				else next.delete(name);
				return next;
			},
			{ replace: true },
		);
	const held = person.systems.reduce((n, s) => n + s.held, 0);
	const total = person.systems.reduce((n, s) => n + s.total, 0);
	useEffect(() => {
		setAside(`${person.user.name} holds ${held} of ${total} permissions`);
		return () => setAside("");
	}, [setAside, person.user.name, held, total]);
	const mine = me.user.id === person.user.id;
	return (
		<div className="flex h-full flex-col">
			<header className="flex shrink-0 items-baseline gap-4 border-b border-hair px-[18px] py-2">
				<h1 className="min-w-0 truncate text-[26px] leading-[34px] font-bold" title={person.user.name}>
					{person.user.name}
				</h1>
				<span className={`font-bold ${person.live ? "text-moss" : "text-ox"}`}>
					{person.live ? "active" : person.state === "active" ? "not live" : person.state}
				</span>
				<p className="min-w-0 grow truncate text-quiet">
					{[person.title, person.area.name].filter(Boolean).join(" · ")}
					{person.manager && (
						<>
							{" · reports to "}
							{may(me, "design:view") ? (
								<Name kind="user" id={person.manager.id}>
									{person.manager.name}
								</Name>
							) : (
								person.manager.name
							)}
						</>
					)}
					{person.licences.length > 0 && ` · ${person.licences.map((l) => l.name).join(", ")}`}
					{person.validity && ` · ${person.validity}`}
				</p>
				{may(me, "design:view") && (
					<Link className="link shrink-0" to={`/?focus=${encodeURIComponent(`user:${person.user.id}`)}`}>
						See in the frame
					</Link>
				)}
			</header>
			{mine && <p className="shrink-0 bg-sunk px-[18px] py-1 text-[12px]">This is your own sheet: what you can do, and why.</p>}
			<div className="grid min-h-0 grow grid-cols-[minmax(0,1fr)_460px]">
				<Wall
					person={person}
					chosen={permission}
					everything={everything}
					onChoose={(key) => set("permission", key === permission ? null : key)}
					onEverything={(all) => set("all", all ? "1" : null)}
				/>
				<div className="min-h-0 overflow-auto border-l-[3px] border-[var(--beam)] px-[18px] py-3">
					{permission ? (
						<TracePanel
							person={person}
							permission={permission}
							where={params.get("where") ?? undefined}
							drafting={mayDraft(me)}
							onClose={() => set("permission", null)}
						/>
					) : (
						<Footing person={person} linked={may(me, "design:view")} />
					)}
				</div>
			</div>
		</div>
	);
}

/** What the wall stands on: groups and assignments. */
function Footing({ person, linked }: { person: Schemas["Person"]; linked: boolean }) {
	const direct = person.groups.filter((g) => g.direct);
	const through = person.groups.filter((g) => !g.direct);
	const name = (r: Schemas["Ref"]) =>
		linked ? (
			<Name kind={r.kind} id={r.id}>
				{r.name}
			</Name>
		) : (
			<b>{r.name}</b>
		);
	return (
		<>
			<h2 className="text-[15px] font-bold">What this stands on</h2>
			<p className="text-[12px] text-quiet">Choose a brick of the wall to see every way by which it is held, or why it is not.</p>
			<h3 className="mt-4 border-b-[3px] border-[var(--beam)] font-bold">Given by hand</h3>
			{person.assignments.length === 0 && <p className="py-2 text-quiet">Nothing: all comes through groups, so one removal is the whole removal.</p>}
			<ul>
				{person.assignments.map((a) => (
					<li key={a.terms.id} className="border-b border-hair py-1.5">
						{name(a.target)} <span className="text-quiet">{a.target.kind === "set" ? "permission set, by itself" : "role"}</span>
						<p className="text-[12px] text-quiet">
							{a.terms.note}
							{a.terms.reason && ` — “${a.terms.reason}”`}
						</p>
					</li>
				))}
			</ul>
			<h3 className="mt-4 border-b-[3px] border-[var(--beam)] font-bold">Member of</h3>
			<ul>
				{direct.map((g) => (
					<li key={g.group.id} className="border-b border-hair py-1.5">
						{name(g.group)}
					</li>
				))}
			</ul>
			{through.length > 0 && (
				<>
					<h3 className="mt-4 border-b-[3px] border-[var(--beam)] font-bold">And through these, of</h3>
					<ul>
						{through.map((g) => (
							<li key={g.group.id} className="border-b border-hair py-1.5">
								{name(g.group)}
							</li>
						))}
					</ul>
				</>
			)}
		</>
	);
}

import { useEffect, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { api, data, type Schemas } from "../../api/client";
import { draftCut, draftJoin, putPerson, useDrafting, useLately, usePerson } from "../../api/hooks";
import { Record } from "../../history/Record";
import { useHouse } from "../../house/context";
import { useSet, useTo } from "../../house/lens";
import { acting, may } from "../../house/rights";
import { AssignBoard } from "../../parts/AssignBoard";
import { DeleteBoard } from "../../parts/DeleteBoard";
import { Downloads } from "../../parts/Downloads";
import { Grants } from "../../parts/Grants";
import { Loaded } from "../../parts/loading";
import { Menu, MenuItem } from "../../parts/Menu";
import { useNotice } from "../../parts/notice";
import { Picker } from "../../parts/Picker";
import { Line, Part } from "../../parts/sheet";
import { Tabbed, TabList, TabPanel } from "../../parts/tabs";
import { Wall } from "../../parts/Wall";
import { day, Mark, Named } from "../../parts/words";
import { EditPerson } from "./EditPerson";
import { InvitationBoard } from "./InvitationBoard";
import { Ties } from "./Ties";
import { TimeBands } from "./TimeBands";
import { TracePanel } from "./TracePanel";

type Person = Schemas["Person"];
type Tab = "access" | "time" | "record";

/** The sheet of one person: who they are, the wall of what they may do, and behind each brick the way by which it got there. */
export function PersonSheet() {
	const { id = "" } = useParams();
	const [params] = useSearchParams();
	const person = usePerson(id, params.get("where") ?? undefined);
	return <Loaded query={person}>{(p) => <Sheet key={id} person={p} />}</Loaded>;
}

function Sheet({ person }: { person: Person }) {
	const { me, setAside } = useHouse();
	const to = useTo();
	const set = useSet();
	const [params] = useSearchParams();
	const [board, setBoard] = useState<"edit" | "delete" | "assign" | "like" | "invite" | null>(null);
	const permission = params.get("permission");
	const tab = (params.get("tab") ?? "access") as Tab;
	const held = person.systems.reduce((n, s) => n + s.held, 0);
	const total = person.systems.reduce((n, s) => n + s.total, 0);
	useEffect(() => {
		setAside(`${person.user.name} holds ${held} of ${total} permissions`);
		return () => setAside("");
	}, [setAside, person.user.name, held, total]);
	const mine = me.user.id === person.user.id;
	const o = person.object;
	return (
		<Tabbed at={tab} onChoose={(t) => set({ tab: t === "access" ? null : t })}>
			<div className="flex h-full flex-col">
				<header className="shrink-0 border-b border-hair px-[18px] pt-2">
					<div className="flex items-baseline gap-4">
						<h1 className="min-w-0 truncate text-[24px] leading-[32px] font-bold" title={person.user.name}>
							{person.user.name}
						</h1>
						<span className={`shrink-0 font-bold ${person.live ? "text-moss" : "text-ox"}`}>
							{person.live ? "active" : person.state === "active" ? "not live" : person.state}
						</span>
						<Mark draft={person.draft} />
						<p className="min-w-0 grow truncate text-quiet">
							{[o.title, person.area.name].filter(Boolean).join(" · ")}
							{person.manager && (
								<>
									{" · reports to "}
									<Named of={person.manager} />
								</>
							)}
							{person.licences.length > 0 && ` · ${person.licences.map((l) => l.name).join(", ")}`}
							{person.validity && ` · ${person.validity}`}
						</p>
						{person.may.includes("assign") && person.draft !== "gone" && (
							<button type="button" className="action main shrink-0" onClick={() => setBoard("assign")}>
								Assign …
							</button>
						)}
						{person.draft !== "gone" && <Deeds person={person} onBoard={setBoard} />}
					</div>
					<div className="mt-1 flex items-baseline gap-6">
						<TabList
							label="Parts of the sheet"
							tabs={[
								{ id: "access" as Tab, name: "Access" },
								...(may(me, "history:view") && person.whole ? [{ id: "time" as Tab, name: "Over time" }] : []),
								...(may(me, "history:view") ? [{ id: "record" as Tab, name: "Record" }] : []),
							]}
						/>
						<span className="grow" />
						<Downloads path={`/api/sheets/user/${encodeURIComponent(person.user.id)}`} query={{}} />
						{person.whole && (
							<>
								{acting(me) && !mine && (
									<Link
										className="link shrink-0"
										to={`/people/${encodeURIComponent(person.user.id)}?as=${encodeURIComponent(person.user.id)}`}
									>
										See as this person
									</Link>
								)}
								<Link
									className="link shrink-0"
									to={to(`/compare?things=${encodeURIComponent(`user:${person.user.id}`)}`)}
								>
									Compare …
								</Link>
								<Link
									className="link shrink-0"
									to={to(`/findings?about=${encodeURIComponent(`user:${person.user.id}`)}`)}
								>
									Findings
								</Link>
								<Link className="link shrink-0" to={to(`/frame?focus=${encodeURIComponent(`user:${person.user.id}`)}`)}>
									See in the frame
								</Link>
							</>
						)}
					</div>
				</header>
				{person.lock?.gone && (
					<p className="shrink-0 border-l-8 border-ochre-line bg-sunk px-[18px] py-1 text-[12px]">
						<b>{person.lock.why}</b> {person.lock.instead}
					</p>
				)}
				{mine && (
					<p className="shrink-0 bg-sunk px-[18px] py-1 text-[12px]">
						{me.user.id === me.signedIn.id
							? "This is your own sheet: what you can do, and why."
							: "This is their own sheet, as they see it: what they can do, and why."}
					</p>
				)}
				{may(me, "history:view") && person.whole && (
					<TabPanel id="time" className="flex min-h-0 grow flex-col">
						<TimeBands person={person.user} />
					</TabPanel>
				)}
				{may(me, "history:view") && (
					<TabPanel id="record" className="min-h-0 grow overflow-auto px-[18px] py-3">
						<Record search={{ user: person.user.id }} empty="Nothing that was applied here concerns this person." />
					</TabPanel>
				)}
				<TabPanel id="access" className="flex min-h-0 grow flex-col">
					<div className="grid min-h-0 grow grid-cols-[minmax(0,1fr)_460px]">
						<Wall
							label={`The wall of ${person.user.name}`}
							systems={person.systems}
							chosen={permission}
							everything={params.get("all") === "1"}
							empty={`${person.live ? "Nothing is held here, and nothing is withheld." : `${person.user.name} is not live, and no grant is waiting for them.`} Show what is not held to ask why.`}
							onChoose={(key) => set({ permission: key === permission ? null : key })}
							onEverything={(all) => set({ all: all ? "1" : null })}
						/>
						<section
							aria-label="Behind the wall"
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
								<Footing person={person} />
							)}
						</section>
					</div>
				</TabPanel>
				{board === "edit" && <EditPerson of={person} onClose={() => setBoard(null)} />}
				{board === "like" && <EditPerson like={person} onClose={() => setBoard(null)} />}
				{board === "invite" && <InvitationBoard user={person.user} onClose={() => setBoard(null)} />}
				{board === "delete" && <DeleteBoard of={person.user} onClose={() => setBoard(null)} />}
				{board === "assign" && (
					<AssignBoard subjects={[person.user]} area={person.area.id} onClose={() => setBoard(null)} />
				)}
			</div>
		</Tabbed>
	);
}

/** What can be done with a person, none of it by one stray click: all goes into the draft. */
function Deeds({
	person,
	onBoard,
}: {
	person: Person;
	onBoard: (board: "edit" | "delete" | "like" | "invite") => void;
}) {
	const { refuse } = useNotice();
	const navigate = useNavigate();
	const to = useTo();
	const put = useDrafting(putPerson);
	const back = useDrafting(() => data(api.POST("/api/draft/back", { body: { user: person.user.id } })));
	const state = (state: string) => () =>
		put.mutate({ before: person.object, after: { ...person.object, state } }, { onError: refuse });
	const s = person.state;
	const deeds = [
		{
			name: "Invitation …",
			run: () => onBoard("invite"),
			shown: person.may.includes("invite") && s === "invited" && person.draft !== "new",
		},
		{
			name: "Edit …",
			run: () => onBoard("edit"),
			shown: ["edit", "move", "seat", "lock"].some((a) => person.may.includes(a)),
		},
		{ name: "Lock", run: state("locked"), shown: person.may.includes("lock") && s === "active" },
		{ name: "Unlock", run: state("active"), shown: person.may.includes("lock") && s === "locked" },
		{
			name: "Deactivate, keeping everything in place",
			run: state("deactivated"),
			shown: person.may.includes("deactivate") && (s === "active" || s === "locked" || s === "invited"),
		},
		{
			name: "Moves …",
			run: () => navigate(to(`/people/${encodeURIComponent(person.user.id)}/moving`)),
			shown: person.may.includes("move") && person.draft !== "new" && s !== "deleted",
		},
		{
			name: "Leaves …",
			run: () => navigate(to(`/people/${encodeURIComponent(person.user.id)}/leaving`)),
			shown: person.may.includes("deactivate") && person.draft !== "new" && (s === "active" || s === "locked"),
		},
		{
			name: "Bring back",
			run: () => back.mutate(undefined, { onError: refuse }),
			shown: person.may.includes("deactivate") && s === "deactivated",
		},
		{ name: "Invite somebody alike …", run: () => onBoard("like"), shown: person.may.includes("invite") },
		{ name: "Delete …", run: () => onBoard("delete"), shown: person.may.includes("delete") && s !== "deleted" },
	].filter((d) => d.shown);
	if (deeds.length === 0) return null;
	return (
		<Menu face="Do" look="action shrink-0" width="w-[260px]">
			{deeds.map((d) => (
				<MenuItem key={d.name} onSelect={d.run} look={d.name === "Delete …" ? "border-t border-hair text-ox" : ""}>
					{d.name}
				</MenuItem>
			))}
			{person.whole && (
				<MenuItem
					onSelect={() =>
						navigate(`/people/${encodeURIComponent(person.user.id)}?as=${encodeURIComponent(person.user.id)}`)
					}
					look="border-t border-hair"
				>
					See as this person
				</MenuItem>
			)}
		</Menu>
	);
}

/** What the wall stands on: assignments and groups; and what else hangs on the person. */
function Footing({ person }: { person: Person }) {
	const { refuse } = useNotice();
	const join = useDrafting(draftJoin);
	const cut = useDrafting(draftCut);
	const lately = useLately("user", person.user.id).data;
	const direct = person.groups.filter((g) => g.direct);
	const through = person.groups.filter((g) => !g.direct);
	const end = { kind: "user" as const, id: person.user.id };
	return (
		<>
			<p className="mb-3 text-[12px] text-quiet">
				Choose a brick to see every way in which it is held, or why it is not.
			</p>
			{person.coming.length > 0 && (
				<Part title="Comes by itself" count={person.coming.length}>
					<ul>
						{person.coming.map((c) => (
							<Line key={c.said} aside={<b className="text-ochre">{day(c.at)}</b>}>
								{c.said}
							</Line>
						))}
					</ul>
				</Part>
			)}
			{person.conflicts.length > 0 && (
				<Part title="Conflicts" count={person.conflicts.length}>
					<ul>
						{person.conflicts.map((c) => (
							<li key={c.conflict.id} className="border-b border-hair py-1.5">
								<p className="flex items-baseline gap-3">
									<b className={c.excepted ? "text-ochre" : "text-ox"}>{c.excepted ? "excepted" : "✕ broken"}</b>
									<span className="grow">
										<Named of={c.conflict} />
									</span>
								</p>
								<p className="text-[12px] text-quiet">
									{c.items.join(" + ")}
									{c.area && `, at ${c.area.name}`}
								</p>
							</li>
						))}
					</ul>
				</Part>
			)}
			<Part title="Given by hand" count={person.assignments.length}>
				<Grants
					grants={person.assignments}
					from="subject"
					words={lately?.words}
					empty="Nothing: all of it comes through groups, so removing the person from a group removes it."
				/>
			</Part>
			<Part title="Member of" count={direct.length}>
				<ul>
					{direct.map((g) => (
						<Line
							key={g.group.id}
							aside={
								g.draft === "cut" ? (
									<button
										type="button"
										className="link"
										aria-label={`Put ${person.user.name} back into ${g.group.name}`}
										onClick={() =>
											join.mutate({ from: end, to: { kind: "group", id: g.group.id } }, { onError: refuse })
										}
									>
										Put back
									</button>
								) : g.may ? (
									<button
										type="button"
										className="font-bold text-ox"
										aria-label={`Take ${person.user.name} out of ${g.group.name}`}
										onClick={() =>
											cut.mutate({ from: end, to: { kind: "group", id: g.group.id } }, { onError: refuse })
										}
									>
										✕
									</button>
								) : undefined
							}
						>
							<span className={g.draft === "cut" ? "line-through" : ""}>
								<Named of={g.group} />
							</span>{" "}
							<Mark draft={g.draft} />
						</Line>
					))}
				</ul>
				{person.may.includes("membership") && person.draft !== "gone" && (
					<div className="mt-2">
						<Picker
							kinds={["group"]}
							label="Add to a group"
							placeholder="add to a group …"
							mine="membership"
							without={["everyone", "public", ...direct.filter((g) => g.draft !== "cut").map((g) => g.group.id)]}
							onPick={(r) => join.mutate({ from: end, to: { kind: "group", id: r.id } }, { onError: refuse })}
						/>
					</div>
				)}
			</Part>
			{through.length > 0 && (
				<Part title="And through these, of" count={through.length}>
					<ul>
						{through.map((g) => (
							<Line key={g.group.id}>
								<Named of={g.group} /> <Mark draft={g.draft} />
							</Line>
						))}
					</ul>
				</Part>
			)}
			<Part title="Who">
				<ul>
					<Line aside="user name">{person.object.userName}</Line>
					{person.object.email && <Line aside="e-mail">{person.object.email}</Line>}
					{person.object.department && <Line aside="department">{person.object.department}</Line>}
					{person.object.userType && <Line aside="kind">{person.object.userType}</Line>}
					<Line aside="home">
						<Named of={person.area} />
					</Line>
					{(person.object.qualifications ?? []).map((q) => (
						<Line key={q.type} aside={q.until ? `until ${q.until.slice(0, 10)}` : "qualification"}>
							{q.type}
							{q.level !== undefined && `, level ${q.level}`}
						</Line>
					))}
					{person.lock && <Line aside="kept by">{person.lock.directory ?? "a directory"}</Line>}
				</ul>
			</Part>
			<Ties person={person} />
			{person.reports.length > 0 && (
				<Part title="Line: report to them" count={person.reports.length}>
					<ul>
						{person.reports.map((r) => (
							<Line key={r.id}>
								<Named of={r} />
							</Line>
						))}
					</ul>
				</Part>
			)}
			{person.owns.length > 0 && (
				<Part title="Owner of" count={person.owns.length}>
					<ul>
						{person.owns.map((r) => (
							<Line key={`${r.kind}${r.id}`} aside={r.kind}>
								<Named of={r} />
							</Line>
						))}
					</ul>
				</Part>
			)}
		</>
	);
}

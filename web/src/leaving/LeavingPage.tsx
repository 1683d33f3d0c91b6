import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { type Ask, useAsk } from "../api/ask";
import { api, data, type Schemas } from "../api/client";
import { design, useDrafting } from "../api/hooks";
import { useTo } from "../house/lens";
import { DayField } from "../parts/DayField";
import { endOf, lastDayOf, plus, sayDay, today } from "../parts/days";
import { Loaded } from "../parts/loading";
import { useNotice } from "../parts/notice";
import { Picker } from "../parts/Picker";
import { addressOf, count, lastDay, Named, NamedAll } from "../parts/words";

type Leaver = Schemas["LeavingPerson"];
type Ref = Schemas["Ref"];

/** Has somebody leave on a day: what they answer for and hold by hand, each with a successor, and what ends by itself. */
export function LeavingPage() {
	const { id = "" } = useParams();
	const leaver = useAsk({
		queryKey: [...design, "leaver", id],
		queryFn: (ask: Ask) => data(ask.GET("/api/people/{id}/leaving", { params: { path: { id } } })),
	});
	return <Loaded query={leaver}>{(l) => <Board key={id} leaver={l} />}</Loaded>;
}

const keyOf = (kind: string, id: string) => `${kind} ${id}`;
const items = "items";

/** The last day of the month, or of the next one near its end. */
function monthsEnd(): string {
	const first = `${plus(today(), 2).slice(0, 7)}-01`;
	return plus(plus(first, 0, 1), -1);
}

function Board({ leaver: l }: { leaver: Leaver }) {
	const to = useTo();
	const navigate = useNavigate();
	const { tell, refuse } = useNotice();
	const [on, setOn] = useState(l.planned ? lastDayOf(l.planned.on) : monthsEnd());
	const [takes, setTakes] = useState<Record<string, Ref | undefined>>({});
	const take = (key: string, who?: Ref) => setTakes((t) => ({ ...t, [key]: who }));
	const keys = [...l.duties.map((d) => keyOf(d.kind, d.id)), ...(l.items > 0 && l.mayHand ? [items] : [])];
	const open = keys.filter((k) => !takes[k]).length;
	const draft = useDrafting(() =>
		data(
			api.POST("/api/draft/leaving", {
				body: {
					user: l.user.id,
					on: endOf(on) ?? "",
					duties: l.duties.flatMap((d) => {
						const who = takes[keyOf(d.kind, d.id)];
						return who ? [{ kind: d.kind as "role", id: d.id, to: who.id }] : [];
					}),
					grants: l.grants.flatMap((g) => {
						const who = takes[keyOf("grant", g.id)];
						return who ? [{ id: g.id, to: who.id }] : [];
					}),
					items: takes[items]?.id,
				},
			}),
		),
	);
	const back = useDrafting(() => data(api.POST("/api/draft/back", { body: { user: l.user.id } })));
	const sort = (title: string, about: string, list: Schemas["LeavingDuty"][]) =>
		list.length > 0 && (
			<Side title={title} about={about} n={list.length}>
				{list.map((d) => (
					<Beam
						key={keyOf(d.kind, d.id)}
						name={<Named of={d} />}
						note={d.note || (d.kind === "user" ? "" : d.kind === "set" ? "permission set" : d.kind)}
						label={`Who takes over ${d.name}`}
						who={takes[keyOf(d.kind, d.id)]}
						without={[l.user.id]}
						onWho={(who) => take(keyOf(d.kind, d.id), who)}
					/>
				))}
			</Side>
		);
	return (
		<form
			className="flex h-full flex-col"
			onSubmit={(e) => {
				e.preventDefault();
				draft.mutate(undefined, {
					onError: refuse,
					onSuccess: () => {
						tell(`That ${l.user.name} leaves is in your draft.`);
						navigate(to(addressOf("user", l.user.id) ?? "/people"));
					},
				});
			}}
		>
			<header className="shrink-0 border-b border-hair px-[18px] py-2">
				<div className="flex flex-wrap items-baseline gap-x-4 gap-y-1">
					<h1 className="min-w-0 truncate text-[24px] leading-[32px] font-bold" title={l.user.name}>
						<Link className="hover:underline" to={to(addressOf("user", l.user.id) ?? "/people")}>
							{l.user.name}
						</Link>{" "}
						leaves after
					</h1>
					<DayField
						label="The last day"
						inline
						required
						last
						className="board w-full px-2 py-1 pr-8 text-[18px] font-bold text-slate"
						value={on}
						onChange={setOn}
					/>
					<p className="min-w-0 grow truncate text-quiet">
						{[l.title, l.home].filter(Boolean).join(" · ")}
						{l.state !== "active" && ` · ${l.state}`}
					</p>
					<button type="submit" className="action main" disabled={draft.isPending || !on}>
						Put into the draft
					</button>
				</div>
				{l.planned && (
					<p className="mt-1 border-l-8 border-ochre-line bg-sunk px-3 py-1">
						{l.planned.gone ? "They have left" : "They leave"} after <b>{lastDay(l.planned.on)}</b>, as{" "}
						{l.planned.by.name} planned it with revision {l.planned.revision}.{" "}
						<button
							type="button"
							className="link"
							disabled={back.isPending}
							onClick={() =>
								back.mutate(undefined, {
									onError: refuse,
									onSuccess: () => tell("It is in your draft: everything that was to end continues."),
								})
							}
						>
							{l.planned.gone ? "Bring them back" : "They stay after all"}
						</button>
					</p>
				)}
			</header>
			<div className="grid min-h-0 grow grid-cols-[minmax(0,3fr)_minmax(0,2fr)] max-[900px]:grid-cols-1 max-[900px]:overflow-auto">
				<div className="min-h-0 overflow-auto border-r-[3px] border-[var(--beam)] px-[18px] py-3">
					{keys.length > 0 && (
						<div className="mb-4 flex flex-wrap items-center gap-3 bg-sunk px-3 py-2">
							<span className={open > 0 ? "font-semibold text-ochre" : "font-semibold text-moss"}>
								{open > 0
									? `${count(open, "thing has", "things have")} no successor yet`
									: "✓ Everything has a successor"}
							</span>
							<span className="grow" />
							{l.manager && (
								<button
									type="button"
									className="action"
									onClick={() =>
										setTakes((t) => ({ ...t, ...Object.fromEntries(keys.map((k) => [k, t[k] ?? l.manager])) }))
									}
								>
									The rest to {l.manager.name}
								</button>
							)}
							<Picker
								kinds={["user"]}
								label="All of it to"
								placeholder="all of it to …"
								className="field max-w-[200px]"
								without={[l.user.id]}
								onPick={(who) => setTakes((t) => ({ ...t, ...Object.fromEntries(keys.map((k) => [k, who])) }))}
							/>
						</div>
					)}
					{keys.length + l.grants.length === 0 && (
						<p className="py-2 text-quiet">
							They own, manage, decide and administer nothing, and were assigned nothing by hand: there is nothing to
							hand over.
						</p>
					)}
					{sort(
						"Owns",
						"goes over at once",
						l.duties.filter((d) => d.field === "owner"),
					)}
					{sort(
						"Manages",
						"they report to the successor at once",
						l.duties.filter((d) => d.field === "manager"),
					)}
					{l.told.length > 0 && (
						<Side
							title="Reports to them by a directory"
							about="their new manager comes from there too"
							n={l.told.length}
						>
							<li className="py-1.5">
								<NamedAll of={l.told} />
							</li>
						</Side>
					)}
					{l.items > 0 && l.mayHand && (
						<Side title="Decides" about="goes over at once" n={l.items}>
							<Beam
								name={<b>{count(l.items, "item of an open review waits", "items of open reviews wait")} for them</b>}
								note=""
								label="Who decides what waits for them"
								who={takes[items]}
								without={[l.user.id]}
								onWho={(who) => take(items, who)}
							/>
						</Side>
					)}
					{sort(
						"Administers",
						"goes over on the day",
						l.duties.filter((d) => d.field === "delegate"),
					)}
					{l.grants.length > 0 && (
						<Side
							title="Holds by hand"
							about="ends on the day; a successor is given it from then on"
							n={l.grants.length}
						>
							{l.grants.map((g) => (
								<Beam
									key={g.id}
									name={<Named of={g.target} />}
									note={g.terms.note}
									label={`Who is given ${g.target.name} ${g.terms.where}`}
									who={takes[keyOf("grant", g.id)]}
									without={[l.user.id]}
									nobody="nobody"
									onWho={(who) => take(keyOf("grant", g.id), who)}
								/>
							))}
						</Side>
					)}
				</div>
				<section aria-label="What happens" className="min-h-0 overflow-auto px-[18px] py-3">
					<h2 className="border-b-[3px] border-[var(--beam)] text-[14px] font-bold">
						Until the end of {on ? sayDay(on) : "that day"}
					</h2>
					<p className="py-2">
						{l.user.name} keeps all they have. {keys.length > 0 && "Whoever takes over is responsible from today."}
					</p>
					<h2 className="mt-3 border-b-[3px] border-[var(--beam)] text-[14px] font-bold">
						After {on ? sayDay(on) : "that day"}
					</h2>
					<ul>
						<li className="border-b border-hair py-1.5">
							<b className="text-ox">▼ Access ends.</b> The account expires, and is deactivated.
						</li>
						{l.grants.length > 0 && (
							<li className="border-b border-hair py-1.5">
								<b className="text-ox">▼ {count(l.grants.length, "assignment ends", "assignments end")}.</b>
							</li>
						)}
						{l.groups.length > 0 && (
							<li className="border-b border-hair py-1.5">
								<b className="text-ox">▼ Leaves {count(l.groups.length, "group", "groups")}:</b>{" "}
								<NamedAll of={l.groups} />
							</li>
						)}
						{l.kept.length > 0 && (
							<li className="border-b border-hair py-1.5">
								<b className="text-ochre">! A directory keeps them</b> in <NamedAll of={l.kept} />: it takes them out
								itself.
							</li>
						)}
						{l.seats.map((s) => (
							<li key={s.licence.id} className="border-b border-hair py-1.5">
								<b className="text-moss">▲ A seat of {s.licence.name} comes free.</b>{" "}
								{s.waiting > 0 && `${count(s.waiting, "person waits", "people wait")} for one.`}
							</li>
						))}
					</ul>
					<p className="mt-3 text-quiet">
						All of it comes back with <b>Bring back</b>, except what others have taken over by then.
					</p>
				</section>
			</div>
		</form>
	);
}

function Side({ title, about, n, children }: { title: string; about: string; n: number; children: React.ReactNode }) {
	return (
		<section aria-label={title} className="mb-5">
			<h2 className="flex items-baseline gap-3 border-b-[3px] border-[var(--beam)]">
				<span className="text-[14px] font-bold">
					{title} <span className="ml-1 font-normal text-quiet">{n}</span>
				</span>
				<span className="text-[12px] text-quiet">{about}</span>
			</h2>
			<ul>{children}</ul>
		</section>
	);
}

/** One thing that is handed over: the beam is whole once it has a successor. */
function Beam(p: {
	name: React.ReactNode;
	note: string;
	label: string;
	who?: Ref;
	without: string[];
	nobody?: string;
	onWho: (who?: Ref) => void;
}) {
	return (
		<li className="grid grid-cols-[minmax(0,1fr)_44px_210px] items-center border-b border-hair py-1.5">
			<span className="min-w-0">
				<span className="block truncate">{p.name}</span>
				<span className="block truncate text-[12px] text-quiet">{p.note}</span>
			</span>
			<span
				aria-hidden
				className={`mx-1 ${p.who ? "border-t-[5px] border-moss" : p.nobody ? "border-t-[3px] border-dotted border-quiet" : "border-t-[5px] border-dashed border-ochre-line"}`}
			/>
			{p.who ? (
				<span className="flex items-center gap-2 border-[1.5px] border-[var(--beam)] bg-raised px-2 py-[3px] font-semibold">
					<span className="min-w-0 grow truncate">{p.who.name}</span>
					<button
						type="button"
						aria-label={`Take out ${p.who.name}`}
						className="font-bold text-ox"
						onClick={() => p.onWho(undefined)}
					>
						✕
					</button>
				</span>
			) : (
				<Picker
					kinds={["user"]}
					label={p.label}
					placeholder={p.nobody ?? "a successor …"}
					without={p.without}
					onPick={p.onWho}
				/>
			)}
		</li>
	);
}

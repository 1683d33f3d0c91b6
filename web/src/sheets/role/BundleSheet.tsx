import { useEffect, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import type { Schemas } from "../../api/client";
import {
	draftCut,
	draftJoin,
	draftTick,
	putRole,
	putSet,
	useBundle,
	useDraft,
	useDrafting,
	useLately,
} from "../../api/hooks";
import { useHouse } from "../../house/context";
import { useTo, useWhere } from "../../house/lens";
import { mayEither } from "../../house/rights";
import { AssignBoard } from "../../parts/AssignBoard";
import { DeleteBoard } from "../../parts/DeleteBoard";
import { Grants } from "../../parts/Grants";
import { alike, GroupImpact } from "../../parts/impact";
import { Loaded } from "../../parts/loading";
import { useNotice } from "../../parts/notice";
import { Picker } from "../../parts/Picker";
import { Scroll } from "../../parts/Scroll";
import { Line, LockNote, Part, SheetHead } from "../../parts/sheet";
import { addressOf, count, day, Named, NamedAll, Risk } from "../../parts/words";
import { AskFor } from "../../requests/AskFor";
import { BundleWall } from "./BundleWall";
import { EditBundle } from "./EditBundle";

type Sheet = Schemas["BundleSheet"];

/** The workshop of a role or set: the stack that it is built of, the wall by layer, and who has it. */
export function BundleSheet({ kind }: { kind: "role" | "set" }) {
	const { id = "" } = useParams();
	const sheet = useBundle(kind, id, useWhere());
	return <Loaded query={sheet}>{(s) => <Shown key={`${kind}${id}`} kind={kind} sheet={s} />}</Loaded>;
}

function Shown({ kind, sheet }: { kind: "role" | "set"; sheet: Sheet }) {
	const lately = useLately(kind, sheet.ref.id).data;
	const { me, setAside } = useHouse();
	const [params] = useSearchParams();
	const supplements = kind === "set" ? params.get("beside") : null;
	const beside = useBundle("set", supplements ?? "", undefined, !!supplements);
	const navigate = useNavigate();
	const to = useTo();
	const [board, setBoard] = useState<"edit" | "delete" | "assign" | "supplement" | "build" | "copy" | null>(null);
	const { ref } = sheet;
	useEffect(() => {
		setAside(
			`${ref.name} gives ${count(sheet.given, "permission", "permissions")}, to ${count(sheet.holders, "person", "people")}`,
		);
		return () => setAside("");
	}, [setAside, ref.name, sheet.given, sheet.holders]);
	const close = () => setBoard(null);
	const editable = sheet.may && !sheet.lock && sheet.draft !== "gone";
	return (
		<div className="flex h-full flex-col">
			<SheetHead
				table={{ kind: sheet.ref.kind, id: sheet.ref.id }}
				kind={kind === "role" ? "role" : "permission set"}
				name={ref.name}
				draft={sheet.draft}
				marks={
					<>
						{sheet.state === "retired" && <b className="text-ochre">retired, gives nothing</b>}
						{sheet.role?.protected && <b className="text-ochre">protected</b>}
						{sheet.set?.system && <b className="text-quiet">supplied {sheet.set.version}</b>}
					</>
				}
				about={
					<>
						{sheet.role?.description ?? sheet.set?.description}
						{sheet.owner && (
							<>
								{" "}
								Owned by <Named of={sheet.owner} />.
							</>
						)}
						{sheet.licences.length > 0 && (
							<>
								{" "}
								Needs a seat of <NamedAll of={sheet.licences} />.
							</>
						)}
					</>
				}
			>
				{sheet.state !== "retired" && <AskFor wanted={ref} />}
				{editable && (
					<button type="button" className="action" onClick={() => setBoard("edit")}>
						Edit …
					</button>
				)}
				{sheet.may && (
					<button type="button" className="action" onClick={() => setBoard(kind === "role" ? "build" : "copy")}>
						{kind === "role" ? "Build on it …" : "Copy …"}
					</button>
				)}
				{sheet.may && kind === "role" && (
					<button type="button" className="action" onClick={() => setBoard("copy")}>
						Copy …
					</button>
				)}
				{editable && (
					<button type="button" className="action danger" onClick={() => setBoard("delete")}>
						Delete …
					</button>
				)}
				<Link className="link ml-2" to={to(`/compare?things=${encodeURIComponent(`${kind}:${ref.id}`)}`)}>
					Compare …
				</Link>
				<Link className="link ml-2" to={to(`/?focus=${encodeURIComponent(`${kind}:${ref.id}`)}`)}>
					In the frame
				</Link>
				<Link className="link ml-2" to={to(`/findings?about=${encodeURIComponent(`${kind}:${ref.id}`)}`)}>
					Findings
				</Link>
			</SheetHead>
			<div className="grid min-h-0 grow grid-cols-[270px_minmax(0,1fr)_300px]">
				<div className="min-h-0 overflow-auto border-r-[3px] border-[var(--beam)] px-[18px] py-3">
					{sheet.lock && (
						<LockNote lock={sheet.lock}>
							{sheet.may && (
								<button
									type="button"
									className="action mt-2"
									onClick={() => setBoard(kind === "role" ? "build" : "supplement")}
								>
									{kind === "role" ? "Build a role on it …" : "Make a supplement …"}
								</button>
							)}
						</LockNote>
					)}
					<Stack kind={kind} sheet={sheet} editable={editable} />
				</div>
				<BundleWall kind={kind} sheet={sheet} editable={editable} beside={beside.data} />
				<div className="min-h-0 overflow-auto border-l-[3px] border-[var(--beam)] px-[18px] py-3">
					<Drafted sheet={sheet} />
					{sheet.usage && sheet.holders > 0 && (
						<p className={sheet.usage.used * 2 < sheet.holders ? "mb-2 font-semibold text-ochre" : "mb-2 text-quiet"}>
							Held by {sheet.holders}, used by {sheet.usage.used} within {sheet.usage.days} days.
						</p>
					)}
					{lately?.last && (
						<p className="mb-2 text-quiet">
							Last reviewed {day(lately.last.at)}:{" "}
							<Link className="link" to={to(`/reviews/${lately.last.review}`)}>
								{lately.last.name}
							</Link>
							, {lately.last.kept} kept, {lately.last.revoked} revoked.
						</p>
					)}
					<Part
						title="Who has it"
						count={sheet.holders}
						act={
							mayEither(me, "assignment:edit", "assign") &&
							sheet.draft !== "gone" && (
								<button type="button" className="link" onClick={() => setBoard("assign")}>
									Assign …
								</button>
							)
						}
					>
						<Grants
							grants={sheet.grants}
							from="target"
							words={lately?.words}
							elsewhere={sheet.elsewhere}
							empty="It is assigned to nobody. People may have it through what builds on it."
						/>
					</Part>
					{sheet.dangerous.length > 0 && (
						<Part title="Dangerous parts" count={sheet.dangerous.length}>
							<ul>
								{sheet.dangerous.slice(0, 20).map((b) => (
									<li key={b.key} className="border-b border-hair py-1.5">
										<p className="flex items-baseline gap-2">
											<Link
												className="link min-w-0 grow truncate font-mono text-[12px]"
												to={to(addressOf("permission", b.key) ?? "/")}
											>
												{b.key}
											</Link>
											<Risk level={b.risk} />
										</p>
										<p className="text-[12px] text-quiet">{b.description || b.label}</p>
									</li>
								))}
							</ul>
						</Part>
					)}
					{sheet.usedBy.length > 0 && (
						<Part title="Where it is used" count={sheet.usedBy.length}>
							<ul>
								{sheet.usedBy.map((r) => (
									<Line key={`${r.kind}${r.id}`} aside={r.kind}>
										<Named of={r} />
									</Line>
								))}
							</ul>
						</Part>
					)}
				</div>
			</div>
			{board === "edit" && <EditBundle kind={kind} of={sheet} onClose={close} />}
			{board === "delete" && <DeleteBoard of={ref} onClose={close} />}
			{board === "assign" && <AssignBoard targets={[ref]} onClose={close} />}
			{board === "supplement" && (
				<EditBundle
					kind="set"
					name={`${ref.name}: additions`}
					onMade={(made) => navigate(to(`/sets/${encodeURIComponent(made.id)}?beside=${encodeURIComponent(ref.id)}`))}
					onClose={close}
				/>
			)}
			{board === "build" && <EditBundle kind="role" built={[ref]} onClose={close} />}
			{board === "copy" && kind === "role" && (
				<EditBundle kind="role" name={`${ref.name}, copy`} like={sheet.role} onClose={close} />
			)}
			{board === "copy" && kind === "set" && (
				<EditBundle kind="set" name={`${ref.name}, copy`} copied={ref} onClose={close} />
			)}
			{sheet.draft === "gone" && (
				<p className="shrink-0 bg-sunk px-[18px] py-1">
					It is deleted in your draft.{" "}
					<button type="button" className="link" onClick={() => navigate(to(kind === "role" ? "/roles" : "/sets"))}>
						Back to the list
					</button>
				</p>
			)}
		</div>
	);
}

/** What a role or set is built of, and what it keeps out. */
function Stack({ kind, sheet, editable }: { kind: "role" | "set"; sheet: Sheet; editable: boolean }) {
	const { refuse } = useNotice();
	const join = useDrafting(draftJoin);
	const cut = useDrafting(draftCut);
	const role = useDrafting(putRole);
	const set = useDrafting(putSet);
	const me = { kind, id: sheet.ref.id };
	const end = (r: Schemas["Ref"]) => ({ kind: r.kind as Schemas["End"]["kind"], id: r.id });
	const own = (sheet.role?.permissions ?? sheet.set?.permissions ?? []).length;
	return (
		<>
			{kind === "role" && (
				<Part title="Built of" count={sheet.layers.length}>
					{sheet.layers.length === 0 && (
						<p className="py-2 text-quiet">
							Nothing yet: add roles to inherit and sets to include, or tick permissions on the wall.
						</p>
					)}
					<ul>
						{sheet.layers.map((l) => (
							<li key={`${l.ref.kind}${l.ref.id}`} className="border-b border-hair py-1.5">
								<p className="flex items-baseline gap-2">
									<span className="min-w-0 grow">
										<Named of={l.ref} />
									</span>
									{editable && (
										<button
											type="button"
											className="font-bold text-ox"
											aria-label={`Take ${l.ref.name} out`}
											onClick={() => cut.mutate({ from: me, to: end(l.ref) }, { onError: refuse })}
										>
											✕
										</button>
									)}
								</p>
								<p className="text-[12px] text-quiet">
									{l.ref.kind === "role" ? "inherited · " : ""}
									{l.state === "retired" ? <b className="text-ochre">retired · </b> : ""}
									{l.gives} permissions, {l.alone} by it alone
								</p>
							</li>
						))}
					</ul>
					{editable && (
						<div className="mt-2">
							<Picker
								kinds={["role", "set"]}
								label="Add a role or set"
								placeholder="add a role or set …"
								without={[sheet.ref.id, ...sheet.layers.map((l) => l.ref.id)]}
								onPick={(r) => join.mutate({ from: me, to: end(r) }, { onError: refuse })}
							/>
						</div>
					)}
				</Part>
			)}
			<p className="mb-5 text-[12px] text-quiet">
				{kind === "role"
					? `${count(own, "permission is", "permissions are")} its own, ticked on the wall.`
					: `${count(own, "permission", "permissions")} ticked; the rest comes with them, since they need it.`}
			</p>
			{sheet.drift && <Drifted sheet={sheet} drift={sheet.drift} />}
			{sheet.excluded.length > 0 && (
				<Part title="Kept out" count={sheet.excluded.length}>
					<ul>
						{sheet.excluded.map((k) => (
							<li key={k} className="flex items-baseline gap-2 border-b border-hair py-1">
								<span className="min-w-0 grow truncate font-mono text-[12px]" title={k}>
									{k.slice(k.indexOf(":") + 1)}
								</span>
								{editable && sheet.role && (
									<button
										type="button"
										className="link shrink-0 text-[12px]"
										aria-label={`Let in ${k} again`}
										onClick={() =>
											sheet.role &&
											role.mutate(
												{
													before: sheet.role,
													after: { ...sheet.role, excludes: sheet.role.excludes?.filter((x) => x !== k) },
												},
												{ onError: refuse },
											)
										}
									>
										Let in
									</button>
								)}
							</li>
						))}
					</ul>
				</Part>
			)}
			{sheet.dangling.length > 0 && (
				<Part title="Dangling" count={sheet.dangling.length}>
					<p className="py-1 text-[12px] text-quiet">Keys that no system has any longer. They give nothing.</p>
					<ul>
						{sheet.dangling.map((k) => (
							<li key={k} className="border-b border-hair py-1 font-mono text-[12px] break-all">
								{k}
							</li>
						))}
					</ul>
					{editable && (
						<button
							type="button"
							className="link mt-1"
							onClick={() => {
								const kept = (list?: string[]) => list?.filter((k) => !sheet.dangling.includes(k));
								if (sheet.set)
									set.mutate(
										{ before: sheet.set, after: { ...sheet.set, permissions: kept(sheet.set.permissions) ?? [] } },
										{ onError: refuse },
									);
								if (sheet.role)
									role.mutate(
										{
											before: sheet.role,
											after: {
												...sheet.role,
												permissions: kept(sheet.role.permissions),
												excludes: kept(sheet.role.excludes),
											},
										},
										{ onError: refuse },
									);
							}}
						>
							Take them out
						</button>
					)}
				</Part>
			)}
		</>
	);
}

/** An own set beside the one that it was begun as a copy of: what either gives alone, to be taken over or out one by one. */
function Drifted({ sheet, drift }: { sheet: Sheet; drift: Schemas["Drift"] }) {
	const { refuse } = useNotice();
	const tick = useDrafting(draftTick);
	const editable = sheet.may && sheet.draft !== "gone";
	const draft = (keys: string[], give: boolean) =>
		tick.mutate({ kind: "set", id: sheet.ref.id, keys, give }, { onError: refuse });
	const alike = drift.missing.length + drift.extra.length === 0;
	const sides = [
		{ title: "only the original gives", keys: drift.missing, look: "text-ox", act: "Take over", give: true },
		{ title: "only this one gives", keys: drift.extra, look: "text-moss", act: "Take out", give: false },
	];
	return (
		<Part title="Copied from">
			<p className="py-1">
				<Named of={drift.original} />{" "}
				<span className="text-quiet">
					{[drift.copied && `copied at ${drift.copied}`, drift.now && `now ${drift.now}`].filter(Boolean).join(", ")}
				</span>
			</p>
			{alike && <p className="text-quiet">Both still give the same.</p>}
			{sides
				.filter((d) => d.keys.length > 0)
				.map((d) => (
					<section key={d.title} aria-label={`${d.title}`} className="py-1">
						<h3 className={`flex items-baseline gap-2 border-b border-[var(--beam)] text-[12px] ${d.look}`}>
							<span className="grow">
								{d.title} <b>{d.keys.length}</b>
							</span>
							{editable && d.keys.length > 1 && (
								<button type="button" className="link" disabled={tick.isPending} onClick={() => draft(d.keys, d.give)}>
									{d.act} all
								</button>
							)}
						</h3>
						<Scroll className="max-h-[220px]">
							<ul>
								{d.keys.map((k) => (
									<li key={k} className="flex items-baseline gap-2 border-b border-hair py-[2px]">
										<span className="min-w-0 grow truncate font-mono text-[12px]" title={k}>
											{k.slice(k.indexOf(":") + 1)}
										</span>
										{editable && (
											<button
												type="button"
												className="link shrink-0 text-[12px]"
												aria-label={`${d.act} ${k}`}
												disabled={tick.isPending}
												onClick={() => draft([k], d.give)}
											>
												{d.act}
											</button>
										)}
									</li>
								))}
							</ul>
						</Scroll>
					</section>
				))}
		</Part>
	);
}

/** While something is drafted here: who would gain and who would lose. */
function Drafted({ sheet }: { sheet: Sheet }) {
	const draft = useDraft(
		sheet.draft !== undefined ||
			sheet.grants.some((g) => g.draft) ||
			sheet.systems.some((s) => s.courses.some((c) => c.bricks.some((b) => b.draft))),
	);
	const d = draft.data;
	if (!d || d.edits.length === 0) return null;
	return (
		<Part title="In your draft">
			<p className="flex gap-4 py-1 font-semibold">
				{d.gaining > 0 && <span className="text-moss">▲ {count(d.gaining, "person gains", "people gain")}</span>}
				{d.losing > 0 && <span className="text-ox">▼ {count(d.losing, "person loses", "people lose")}</span>}
				{d.gaining + d.losing === 0 && <span className="text-quiet">nobody’s access changes</span>}
			</p>
			{alike(d.people)
				.slice(0, 4)
				.map((g) => (
					<GroupImpact key={g[0].user.id} people={g} />
				))}
		</Part>
	);
}

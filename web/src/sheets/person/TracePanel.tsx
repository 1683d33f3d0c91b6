import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { draftCut, useDrafting, useTrace } from "../../api/hooks";
import { useHouse } from "../../house/context";
import { useTo } from "../../house/lens";
import { acting, sees } from "../../house/rights";
import { Loaded } from "../../parts/loading";
import { More } from "../../parts/More";
import { useNotice } from "../../parts/notice";
import { addressOf, count, day, extent, riskWords } from "../../parts/words";
import { AskBoard } from "../../requests/AskBoard";
import { RepairList } from "./RepairList";

type Props = { person: Schemas["Person"]; permission: string; where?: string; onClose: () => void };

/** Behind a brick: the load path from the person down to the permission, every way beside the others; or why it is not held. */
export function TracePanel(p: Props) {
	const trace = useTrace(p.person.user.id, p.permission, p.where);
	return <Loaded query={trace}>{(t) => <Shown {...p} trace={t} />}</Loaded>;
}

function Shown({ person, trace: t, where, onClose }: Props & { trace: Schemas["Trace"] }) {
	const { me } = useHouse();
	const { refuse } = useNotice();
	const to = useTo();
	const [asking, setAsking] = useState(false);
	const may = new Set(person.assignments.filter((g) => g.may && g.draft !== "cut").map((g) => g.terms.id));
	const cut = useDrafting(draftCut);
	const held = t.held.length > 0;
	const cuts = t.ways
		.flatMap((w) => (w.cut && may.has(w.cut.assignment) ? [w] : []))
		.filter((w, i, all) => all.findIndex((x) => x.cut?.assignment === w.cut?.assignment) === i);
	const roots = new Set(t.ways.map((w) => w.joints.find((j) => j.kind === "assignment")?.id));
	return (
		<>
			<div className="flex items-baseline gap-3">
				<h2 className="min-w-0 grow font-mono text-[14px] font-bold break-all">{t.permission.id}</h2>
				{t.risk > 0 && (
					<span className={`font-bold ${t.risk === 3 ? "text-ox" : "text-ochre"}`}>{riskWords[t.risk]}</span>
				)}
				<button type="button" className="link" onClick={onClose}>
					Close
				</button>
			</div>
			<p className="text-quiet">
				{t.label}
				{t.class !== "read" && ` · ${t.class}`}
			</p>
			{t.description && <p className="mt-1 text-[12px] text-quiet">{t.description}</p>}
			{held ? (
				<>
					<p className="mt-3 font-semibold text-moss">
						✓ Held {t.held.map(extent).join("; ")}, by {count(t.ways.length, "way", "ways")}
						{t.more && " or more"}
					</p>
					<p className={t.used?.idle ? "font-semibold text-ochre" : "text-quiet"}>
						{!t.used
							? "When it was last used is not known."
							: t.detailed
								? `${t.used.at ? `Last used ${day(t.used.at)}` : "Never used, as far as is known"}.`
								: `${t.used.at ? `The system was last used ${day(t.used.at)}` : "The system was never used, as far as is known"}; which of its permissions are used is not known.`}
					</p>
					<div className="mt-3 overflow-x-auto pb-2">
						<Ways ways={t.ways} />
					</div>
					<p className="mt-2 font-semibold">
						{roots.size > 1
							? `Remove one of the ${roots.size} grants, and ${person.user.name} still has it by the others.`
							: "It depends on one grant: remove that, and it is gone."}
					</p>
					{cuts.length > 0 && (
						<div className="mt-2 flex flex-wrap gap-2">
							{cuts.map((w) => (
								<button
									key={w.cut?.assignment}
									type="button"
									className="action danger"
									onClick={() =>
										w.cut &&
										cut.mutate({ from: w.cut.from, to: w.cut.to, assignment: w.cut.assignment }, { onError: refuse })
									}
								>
									Cut {w.joints.find((j) => j.kind === "role" || j.kind === "set")?.name}, given by hand
								</button>
							))}
						</div>
					)}
					{person.may.includes("assign") && t.ways.every((w) => !w.cut) && (
						<p className="mt-1 text-quiet">
							All of it comes through groups: remove the person from the group, or the grant, on the group’s sheet.
						</p>
					)}
				</>
			) : (
				<>
					<WhyNot reasons={t.whyNot} name={person.user.name} />
					{person.user.id === me.signedIn.id && acting(me) && (
						<p className="mt-4">
							<button type="button" className="action main" onClick={() => setAsking(true)}>
								Ask for it …
							</button>
						</p>
					)}
					{asking && (
						<AskBoard
							wanted={{ kind: "permission", id: t.permission.id, name: t.permission.id }}
							where={where ?? person.area.id}
							onClose={() => setAsking(false)}
						/>
					)}
					{person.whole && !person.draft && (
						<RepairList person={person.user} permission={t.permission.id} where={where} />
					)}
				</>
			)}
			{sees(me) && (
				<p className="mt-4">
					<Link className="link" to={to(addressOf("permission", t.permission.id) ?? "/")}>
						Who else holds it
					</Link>
				</p>
			)}
		</>
	);
}

const joint = { width: 196, height: 40, gap: 20, column: 216 };

/** What tells a way from the others. */
const title = (w: Schemas["Way"]) => w.joints.map((j) => j.id).join(" ");

/** The ways as beams, side by side. What two neighbouring ways share at their foot stands under both. */
function Ways({ ways }: { ways: Schemas["Way"][] }) {
	const [all, setAll] = useState(false);
	const shown = all ? ways : ways.slice(0, 12);
	const most = Math.max(...shown.map((w) => w.joints.length));
	const width = shown.length * joint.column - (joint.column - joint.width) + 2;
	const step = joint.height + joint.gap;
	const height = most * step - joint.gap + 6;
	// The person stands on top once, the permission at the foot once; what lies between has a column for each way.
	const place = (w: number, j: number): [number, number] => {
		const joints = shown[w].joints;
		if (j === 0) return [0, 0];
		if (j === joints.length - 1) return [0, most - 1];
		return [w, j];
	};
	return (
		<>
			<div className="relative" style={{ width, height }}>
				<svg aria-hidden="true" width={width} height={height} className="absolute inset-0">
					<title>The ways</title>
					{shown.map((way, w) =>
						way.joints.slice(1).map((to, j) => {
							const [c1, r1] = place(w, j);
							const [c2, r2] = place(w, j + 1);
							const cutHere = to.blocked || way.joints[j].blocked;
							const color = cutHere ? "var(--ox)" : way.cut ? "var(--ochre-line)" : "var(--beam)";
							const x1 = c1 * joint.column + (c2 > c1 ? joint.width - 16 : joint.width / 2);
							const x2 = c2 * joint.column + (c1 > c2 ? joint.width - 16 : joint.width / 2);
							const y1 = r1 * step + joint.height + 1;
							const y2 = r2 * step + 1;
							return (
								<g key={`${title(way)}>${to.kind}${to.id}`}>
									<line
										x1={x1}
										y1={y1}
										x2={x2}
										y2={y2}
										stroke={color}
										strokeWidth="3.5"
										strokeDasharray={cutHere ? "3 4" : undefined}
									/>
									<rect
										x={x1 - 4}
										y={y1 - 4}
										width="8"
										height="8"
										fill="var(--raised)"
										stroke={color}
										strokeWidth="1.5"
									/>
									<rect
										x={x2 - 4}
										y={y2 - 4}
										width="8"
										height="8"
										fill="var(--raised)"
										stroke={color}
										strokeWidth="1.5"
									/>
								</g>
							);
						}),
					)}
				</svg>
				{shown.map((way, w) =>
					way.joints.map((j, i) => {
						if (w > 0 && (i === 0 || i === way.joints.length - 1)) return null;
						const [c, r] = place(w, i);
						return (
							<JointBoard
								key={`${title(way)}:${j.kind}${j.id}`}
								joint={j}
								foot={i === way.joints.length - 1}
								hand={!!way.cut}
								left={c * joint.column}
								top={r * step}
							/>
						);
					}),
				)}
			</div>
			<More n={ways.length - shown.length} onOpen={() => setAll(true)} className="sticky left-0 mt-1" />
		</>
	);
}

function JointBoard({
	joint: j,
	foot,
	hand,
	left,
	top,
}: {
	joint: Schemas["Joint"];
	foot: boolean;
	hand: boolean;
	left: number;
	top: number;
}) {
	const path = j.kind === "assignment" ? undefined : addressOf(j.kind, j.id);
	const to = useTo();
	const body = (
		<>
			<span className={`block truncate font-semibold ${j.kind === "permission" ? "narrow font-mono text-[12px]" : ""}`}>
				{j.name}
			</span>
			<span
				className={`narrow block truncate text-[11.5px] ${foot ? "text-on-slate-quiet" : j.blocked ? "font-bold text-ox" : "text-quiet"}`}
			>
				{j.blocked ? `✕ ${j.blocked}` : j.note}
			</span>
		</>
	);
	const look = `absolute block border-[1.5px] px-[8px] py-[3px] leading-[16px] ${
		foot
			? "border-slate bg-slate text-on-slate"
			: j.blocked
				? "border-ox bg-raised"
				: hand && j.kind !== "user"
					? "border-ochre-line bg-raised"
					: "border-[var(--beam)] bg-raised"
	}`;
	const style = { left, top: top + 1, width: joint.width, height: joint.height };
	const title = `${j.name}${j.note ? ` — ${j.note}` : ""}`;
	return path ? (
		<Link to={to(path)} className={`${look} hover:underline`} style={style} title={title}>
			{body}
		</Link>
	) : (
		<div className={look} style={style} title={title}>
			{body}
		</div>
	);
}

function WhyNot({ reasons, name }: { reasons: Schemas["Reason"][]; name: string }) {
	return (
		<>
			<p className="mt-3 font-semibold text-ox">✕ {name} does not hold it</p>
			<ol>
				{reasons.map((r, i) => (
					<li key={`${r.obstacle}${r.text}`} className="border-b border-hair py-3">
						<p>
							<b>{i === 0 && reasons.length > 1 ? "Nearest: " : ""}</b>
							{r.text}
						</p>
						{r.way && (
							<div className="mt-2 overflow-x-auto">
								<Ways ways={[r.way]} />
							</div>
						)}
					</li>
				))}
			</ol>
		</>
	);
}

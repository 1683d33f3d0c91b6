import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { draftCut, useDrafting, useTrace } from "../../api/hooks";
import { useHouse } from "../../house/context";
import { useTo } from "../../house/lens";
import { acting, sees } from "../../house/rights";
import { Loaded } from "../../parts/loading";
import { useNotice } from "../../parts/notice";
import { Ways } from "../../parts/Ways";
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

import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { draftCut, draftPutBack, useDrafting } from "../api/hooks";
import { useTo } from "../house/lens";
import { TermsBoard } from "./AssignBoard";
import { useNotice } from "./notice";
import { Elsewhere } from "./sheet";
import { count, day, Mark, Named, used } from "./words";

/** Assignments, seen from one of their ends: the other end, the terms, and what can be done. */
export function Grants({
	grants,
	from,
	empty,
	elsewhere = 0,
	total = grants.length,
	words,
}: {
	grants: Schemas["Grant"][];
	from: "subject" | "target" | "area";
	empty: string;
	/** How many are left out, since they do not count in the area that is looked at. */
	elsewhere?: number;
	/** How many there are, if these are only the first of them. */
	total?: number;
	/** What reviews last said of them, if that is asked about. */
	words?: Schemas["LastWord"][];
}) {
	const { refuse } = useNotice();
	const cut = useDrafting(draftCut);
	const back = useDrafting(draftPutBack);
	const [editing, setEditing] = useState<Schemas["Grant"] | null>(null);
	const [all, setAll] = useState(false);
	const wordOf = (g: Schemas["Grant"]) =>
		g.subject.kind === "user"
			? words?.find((w) => w.user === g.subject.id && w.target.kind === g.target.kind && w.target.id === g.target.id)
			: undefined;
	const end = (r: Schemas["Ref"]) => ({ kind: r.kind as Schemas["End"]["kind"], id: r.id });
	if (grants.length === 0)
		return elsewhere > 0 ? (
			<Elsewhere n={elsewhere} one="grant counts" many="grants count" />
		) : (
			<p className="py-2 text-quiet">{empty}</p>
		);
	return (
		<>
			<ul>
				{grants.slice(0, all ? undefined : 60).map((g) => (
					<li
						key={g.terms.id}
						data-grant={g.terms.id}
						className={`border-b border-hair py-1.5 ${g.draft === "cut" ? "opacity-80" : ""}`}
					>
						<p className={`flex items-baseline gap-2 ${g.draft === "cut" ? "line-through" : ""}`}>
							<span className="min-w-0 grow">
								{from !== "subject" && <Named of={g.subject} />}
								{from === "area" && <span className="text-quiet"> has </span>}
								{from !== "target" && <Named of={g.target} />}
								{from === "subject" && g.target.kind === "set" && <span className="text-quiet"> set, by itself</span>}
							</span>
							{from !== "subject" && g.subject.kind === "group" && (
								<span className="shrink-0 text-quiet">{count(g.people, "person", "people")}</span>
							)}
						</p>
						<p className="flex items-baseline gap-2 text-[12px] text-quiet">
							<span className="min-w-0 grow">
								{g.terms.note}
								{g.by && (
									<>
										{" · by "}
										<Named of={g.by} />
									</>
								)}
								{g.force === "coming" && <b className="text-ochre"> · not yet in force</b>}
								{g.force === "ended" && <b className="text-ox"> · ended</b>}
								{g.terms.contact && <b> · contact</b>}
								{g.used && <span className={g.used.idle ? "text-ochre" : ""}> · {used(g.used)}</span>}
								<LastWord of={wordOf(g)} />
								{g.terms.reason && ` — “${g.terms.reason}”`} <Mark draft={g.draft} />
							</span>
							{g.may && g.draft === "cut" && (
								<button
									type="button"
									className="link shrink-0"
									aria-label={`Put ${g.target.name} of ${g.subject.name} back`}
									onClick={() => back.mutate(g.terms.id, { onError: refuse })}
								>
									Put back
								</button>
							)}
							{g.may && g.draft !== "cut" && (
								<>
									<button type="button" className="link shrink-0" onClick={() => setEditing(g)}>
										Terms
									</button>
									<button
										type="button"
										className="link shrink-0 !text-ox"
										aria-label={`Take away ${g.target.name} from ${g.subject.name}`}
										onClick={() =>
											cut.mutate(
												{ from: end(g.subject), to: end(g.target), assignment: g.terms.id },
												{ onError: refuse },
											)
										}
									>
										Take away
									</button>
								</>
							)}
						</p>
					</li>
				))}
			</ul>
			{grants.length > 60 && !all && (
				<button type="button" className="link py-2" onClick={() => setAll(true)}>
					Show all {grants.length}
				</button>
			)}
			{total > grants.length && (all || grants.length <= 60) && (
				<p className="py-2 text-quiet">
					And {total - grants.length} more: the sheets of who has them, and of what is granted, list them all.
				</p>
			)}
			<Elsewhere n={elsewhere} one="grant counts" many="grants count" />
			{editing && <TermsBoard grant={editing} onClose={() => setEditing(null)} />}
		</>
	);
}

/** What a review last said of a grant. */
function LastWord({ of: w }: { of?: Schemas["LastWord"] }) {
	const to = useTo();
	if (!w) return null;
	return (
		<>
			{" · "}
			<Link className="link" to={to(`/reviews/${w.review}`)} title={w.name}>
				{w.decision === "keep" ? "kept" : "revoked"}
			</Link>
			{` by ${w.by?.name ?? "fate"}, ${day(w.at)}`}
		</>
	);
}

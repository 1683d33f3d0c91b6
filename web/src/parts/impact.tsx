import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { useTo } from "../house/lens";
import { Few } from "./More";
import { extent, NamedAll, riskWords } from "./words";

/** Puts people together who gain and lose the same, most people first. */
export function alike(people: Schemas["PersonImpact"][]): Schemas["PersonImpact"][][] {
	const key = (list: Schemas["Holding"][]) => list.map((h) => `${h.permission} ${h.area.id} ${h.reach}`).join();
	const groups = Map.groupBy(people, (p) => `${key(p.gains)}|${key(p.losses)}`);
	return [...groups.values()].sort((a, b) => b.length - a.length);
}

const namesShown = 12;
const rowsShown = 6;

/** People by name: the first few, and the others once they are asked for. */
export function Names({ people }: { people: Schemas["Ref"][] }) {
	return (
		<Few of={people} most={namesShown}>
			{(shown, more) => (
				<>
					<NamedAll of={shown} /> {more}
				</>
			)}
		</Few>
	);
}

export function GroupImpact({ people }: { people: Schemas["PersonImpact"][] }) {
	const [open, setOpen] = useState(false);
	const to = useTo();
	const { gains, losses } = people[0];
	const rows = [...gains.map((h) => ({ h, gain: true })), ...losses.map((h) => ({ h, gain: false }))].sort(
		(a, b) => b.h.risk - a.h.risk,
	);
	const more = rows.length > rowsShown;
	return (
		<div className="border-b border-hair py-2">
			<p>
				<Names people={people.map((p) => p.user)} />
				{people.length > 1 && <span className="text-quiet"> — {people.length} people, each:</span>}
			</p>
			<ul className="mt-1">
				{rows.slice(0, open ? undefined : rowsShown).map(({ h, gain }) => (
					<li
						key={`${gain}${h.permission}${h.area.id}${h.reach}`}
						className="flex flex-wrap items-baseline gap-x-3 py-[1px]"
					>
						<span className={`w-[52px] shrink-0 text-[12px] font-semibold ${gain ? "text-moss" : "text-ox"}`}>
							{gain ? "▲ gains" : "▼ loses"}
						</span>
						{people.length === 1 ? (
							<Link
								className="font-mono text-[12px] hover:underline"
								to={to(
									`/people/${encodeURIComponent(people[0].user.id)}?all=1&permission=${encodeURIComponent(h.permission)}`,
								)}
							>
								{h.permission}
							</Link>
						) : (
							<span className="font-mono text-[12px]">{h.permission}</span>
						)}
						<span className="text-quiet">{extent(h)}</span>
						{h.risk > 0 && (
							<span className={`text-[12px] font-semibold ${h.risk === 3 ? "text-ox" : "text-ochre"}`}>
								{riskWords[h.risk]}
							</span>
						)}
					</li>
				))}
			</ul>
			{more && (
				<button type="button" className="link" aria-expanded={open} onClick={() => setOpen(!open)}>
					{open ? "Fold" : `Show all${rows.length > rowsShown ? ` ${rows.length} permissions` : ""}`}
				</button>
			)}
		</div>
	);
}

import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { useHouse } from "../house/context";
import { useTo } from "../house/lens";
import { sees } from "../house/rights";
import { beginOf, dayOf, lastDayOf, sayDay, sayMoment } from "./days";

/** The words for the levels of risk. */
export const riskWords = ["", "elevated", "high", "critical"];

/** The words for kinds of thing. */
export const kindWords: Record<string, string> = {
	user: "person",
	group: "group",
	role: "role",
	set: "permission set",
	permission: "permission",
	area: "area",
	system: "system",
	licence: "licence",
	conflict: "conflict",
	guarantee: "guarantee",
	delegation: "delegation",
	assignment: "assignment",
	organisation: "organisation",
};

const rooms: Record<string, string> = {
	user: "people",
	group: "groups",
	role: "roles",
	set: "sets",
	permission: "permissions",
	area: "areas",
	system: "systems",
	licence: "licences",
	conflict: "conflicts",
	guarantee: "guarantees",
	delegation: "delegations",
};

/** Where a thing's sheet is; undefined if it has none. */
export function addressOf(kind: string, id: string): string | undefined {
	return rooms[kind] && `/${rooms[kind]}/${encodeURIComponent(id)}`;
}

/** A thing's name, as a link to it if it has a sheet. */
export function Name({ kind, id, children }: { kind: string; id: string; children: string }) {
	const { me } = useHouse();
	const to = useTo();
	const path = sees(me) ? addressOf(kind, id) : undefined;
	if (!path) return <span className="font-semibold">{children}</span>;
	return (
		<Link to={to(path)} className={`link break-words ${kind === "permission" ? "font-mono text-[12px]" : ""}`}>
			{children}
		</Link>
	);
}

/** A thing by its name. */
export const Named = ({ of }: { of: Schemas["Ref"] }) => (
	<Name kind={of.kind} id={of.id}>
		{of.name}
	</Name>
);

/** Things by their names, with commas between. */
export const NamedAll = ({ of }: { of: Schemas["Ref"][] }) =>
	of.map((r, i) => (
		<span key={`${r.kind} ${r.id}`}>
			{i > 0 && ", "}
			<Named of={r} />
		</span>
	));

/** The level of a risk, in its word and colour; nothing for none. */
export const Risk = ({ level }: { level: number }) =>
	level > 0 ? (
		<span className={`text-[12px] font-semibold ${level === 3 ? "text-ox" : "text-ochre"}`}>{riskWords[level]}</span>
	) : null;

/** What the draft makes of a thing. */
export const Mark = ({ draft }: { draft?: string }) =>
	draft ? (
		<span className="narrow border border-ochre-line px-1 text-[11px] font-semibold text-ochre">
			{draft === "gone" || draft === "cut" ? "✕ taken out in the draft" : `${draft} in the draft`}
		</span>
	) : null;

/** A sentence with the names in it as links. */
export function Sentence({ parts }: { parts: Schemas["Phrase"][] }) {
	return (
		<span>
			{parts.map((p, i) =>
				p.kind && p.id ? (
					// biome-ignore lint/suspicious/noArrayIndexKey: the parts of a sentence have no other identity
					<Name key={i} kind={p.kind} id={p.id}>
						{p.text}
					</Name>
				) : (
					// biome-ignore lint/suspicious/noArrayIndexKey: as above
					<span key={i} className={p.kind === "filter" ? "font-mono text-[0.87em]" : undefined}>
						{p.text}
					</span>
				),
			)}
		</span>
	);
}

export const day = (instant: string) => sayDay(dayOf(instant));
/** When something ends, after “until” or “on”: the last day, which is still in, or the instant if it ends within a day. */
export const lastDay = (until: string) =>
	beginOf(dayOf(until)) === until.replace(/\.0+Z$/, "Z") ? sayDay(lastDayOf(until)) : sayMoment(until);
export const moment = sayMoment;

/** When something was last used; nothing where that is not known. */
export const used = (u: { at?: string } | undefined) => u && (u.at ? `last used ${day(u.at)}` : "never used");

export const number = (n: number) => n.toLocaleString("en-GB");

export const count = (n: number, one: string, many: string) => `${number(n)} ${n === 1 ? one : many}`;

/** Where a permission is held, in a few words. */
export function extent(h: Schemas["Holding"]): string {
	if (h.whole) return "over the whole organisation";
	return `at ${h.area.name}${h.reach === "own" ? ", own records" : h.reach === "line" ? ", own line" : ""}`;
}

/** Where something is held, all places in one line. */
export const places = (list: Schemas["Holding"][]) =>
	list
		.map((h) =>
			h.whole
				? "everywhere"
				: `${h.area.name}${h.reach === "own" ? ", own records" : h.reach === "line" ? ", own line" : ""}`,
		)
		.join("; ");

import type { ReactNode } from "react";
import type { Schemas } from "../api/client";
import { useSet } from "../house/lens";
import { ToWorklist } from "../worklists/ToWorklist";
import { Downloads } from "./Downloads";
import { count, Mark } from "./words";

/** The kinds of things whose people can be gathered. */
const gathers = ["role", "set", "group", "licence", "area"];

/** The head of a sheet: what it is, and what can be done with it. */
export function SheetHead({
	kind,
	name,
	mono,
	draft,
	marks,
	about,
	table,
	children,
}: {
	kind: string;
	name: string;
	mono?: boolean;
	draft?: string;
	marks?: ReactNode;
	about?: ReactNode;
	/** Of what thing the sheet is, if it can be had as a table. */
	table?: { kind: string; id: string };
	children?: ReactNode;
}) {
	return (
		<header className="shrink-0 border-b border-hair px-[18px] py-2">
			<div className="flex items-baseline gap-4">
				<span className="shrink-0 text-[12px] text-quiet">{kind}</span>
				<h1
					className={`min-w-0 truncate text-[24px] leading-[32px] font-bold ${mono ? "font-mono !text-[20px]" : ""}`}
					title={name}
				>
					{name}
				</h1>
				<span className="flex shrink-0 items-baseline gap-3">
					{marks}
					<Mark draft={draft} />
				</span>
				<span className="grow" />
				{table && gathers.includes(table.kind) && (
					<ToWorklist
						from={{ of: { kind: table.kind as Schemas["End"]["kind"], id: table.id } }}
						name="Gather its people"
					/>
				)}
				{table && <Downloads path={`/api/sheets/${table.kind}/${encodeURIComponent(table.id)}`} query={{}} />}
				<div className="flex shrink-0 items-baseline gap-2">{children}</div>
			</div>
			{about && <div className="line-clamp-2 text-quiet">{about}</div>}
		</header>
	);
}

/** Tells how much is left out since another area is looked at, and shows it. */
export function Elsewhere({ n, one, many }: { n: number; one: string; many: string }) {
	const set = useSet();
	if (n === 0) return null;
	return (
		<p className="py-2 text-quiet">
			{count(n, one, many)} elsewhere.{" "}
			<button type="button" className="link" onClick={() => set({ where: null })}>
				Show all
			</button>
		</p>
	);
}

/** Says why something is not edited here, and what to do instead. */
export function LockNote({ lock, children }: { lock: Schemas["Lock"]; children?: ReactNode }) {
	return (
		<div className="mb-3 border-l-8 border-ochre-line bg-sunk px-3 py-2">
			<p className="font-semibold">{lock.why}</p>
			{lock.instead && <p className="text-[12px]">{lock.instead}</p>}
			{children}
		</div>
	);
}

/** A part of a sheet, under a beam. */
export function Part({
	title,
	count,
	children,
	act,
}: {
	title: string;
	count?: number;
	children: ReactNode;
	act?: ReactNode;
}) {
	return (
		<section className="mb-5">
			<div className="flex items-baseline gap-3 border-b-[3px] border-[var(--beam)]">
				<h2 className="grow text-[14px] font-bold">
					{title}{" "}
					{count !== undefined && <span className="ml-2 font-normal text-quiet">{count.toLocaleString("en-GB")}</span>}
				</h2>
				{act}
			</div>
			{children}
		</section>
	);
}

/** A short row in a part of a sheet. */
export const Line = ({ children, aside }: { children: ReactNode; aside?: ReactNode }) => (
	<li className="flex items-baseline gap-3 border-b border-hair py-1.5">
		<span className="min-w-0 grow">{children}</span>
		{aside && <span className="shrink-0 text-quiet">{aside}</span>}
	</li>
);

/** What can be done to what a sheet is of: it is edited, copied or deleted, each on a board. */
export function SheetActs({ onAct }: { onAct: (act: "edit" | "copy" | "delete") => void }) {
	return (
		<>
			<button type="button" className="action" onClick={() => onAct("edit")}>
				Edit …
			</button>
			<button type="button" className="action" onClick={() => onAct("copy")}>
				Copy …
			</button>
			<button type="button" className="action danger" onClick={() => onAct("delete")}>
				Delete …
			</button>
		</>
	);
}

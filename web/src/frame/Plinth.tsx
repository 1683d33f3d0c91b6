import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { useTo } from "../house/lens";
import { bays, type Node, nameOf, nodeFrom, nodeOf, type Row, same } from "./node";

type Props = {
	picture?: Schemas["Picture"];
	row?: Row;
	drafting: boolean;
	onClear: () => void;
	onOpen: (n: Node) => void;
	onJoin: (to: Node, name: string) => void;
	onCut: (from: Node, to: Node, assignment?: string) => void;
};

const word = (kind: string) => bays.find((b) => b.kind === kind)?.one ?? kind;

const relationWords: Record<string, (from: string, to: string) => string> = {
	member: (f, t) => `${f} is in ${t}`,
	nested: (f, t) => `${f} is nested in ${t}`,
	assigned: (f, t) => `${f} has ${t}`,
	inherits: (f, t) => `${f} inherits ${t}`,
	includes: (f, t) => `${f} includes ${t}`,
	gives: (f, t) => `${f} gives ${t}`,
};

/** Where a house begins in which nothing can be granted yet. */
function Begin() {
	const to = useTo();
	return (
		<>
			<p className="font-bold">Nothing is built here yet</p>
			<p>
				First{" "}
				<Link className="link" to={to("/upgrade")}>
					import what can be granted
				</Link>
				: a system’s catalogue with its sets. Then{" "}
				<Link className="link" to={to("/import")}>
					import the people
				</Link>
				, and join them here by groups and roles.
			</p>
		</>
	);
}

/** Under the bays: what is in focus, and how the row under the cursor is joined to it. */
export function Plinth(p: Props) {
	const focus = p.picture?.focus;
	return (
		<aside
			aria-label="About the focus"
			data-plinth
			className="grid h-[92px] shrink-0 grid-cols-[minmax(0,5fr)_minmax(0,7fr)] border-t-[3px] border-[var(--beam)]"
		>
			{focus ? (
				<>
					<div className="min-w-0 border-r-[3px] border-[var(--beam)] px-[18px] py-2">
						<p className="truncate">
							<span className="text-[12px] text-quiet">{word(focus.kind)} </span>
							<b className="text-[15px]">{focus.name}</b>
						</p>
						<p className="line-clamp-2 text-[12px] text-quiet" title={p.picture?.about}>
							{[p.picture?.note, p.picture?.about].filter(Boolean).join(" · ")}
						</p>
						<p className="mt-1 flex gap-4">
							<button type="button" className="link" onClick={() => p.onOpen(focus as Node)}>
								Open the sheet
							</button>
							<button type="button" className="link" onClick={p.onClear}>
								Clear the focus <kbd>Esc</kbd>
							</button>
						</p>
					</div>
					<Relation {...p} focus={focus} />
				</>
			) : (
				<>
					<div className="border-r-[3px] border-[var(--beam)] px-[18px] py-2">
						{p.picture?.bare && p.drafting ? (
							<Begin />
						) : (
							<>
								<p className="font-bold">Who has what, and by which way</p>
								<p className="text-[12px] text-quiet">
									Choose a person, group, role, set or permission: the beams that run through it light up, and what they
									join comes to the top. Shift-click a second one to see only the paths between the two.
								</p>
							</>
						)}
					</div>
					<Legend drafting={p.drafting} />
				</>
			)}
		</aside>
	);
}

/** How the focus and the row under the cursor are joined, with what can be done about it. */
function Relation(p: Props & { focus: Schemas["Ref"] }) {
	const focus = nodeOf(`${p.focus.kind}:${p.focus.id}`) as Node;
	const row = p.row;
	const direct = row
		? (p.picture?.beams ?? []).filter(
				(b) => (same(b.from, focus) && same(b.to, row)) || (same(b.to, focus) && same(b.from, row)),
			)
		: [];
	if (!row || same(row, focus)) return <Legend drafting={p.drafting} />;
	return (
		<div className="min-w-0 overflow-auto px-[18px] py-2">
			{direct.length === 0 ? (
				<p className="flex items-baseline gap-3">
					<span className="min-w-0 truncate">
						<b>{row.name}</b> is {row.connected ? "connected with" : "not joined to"} {p.focus.name}
						{row.connected ? " through others" : ""}.
					</span>
					{p.drafting && (
						<button type="button" className="link shrink-0" onClick={() => p.onJoin(nodeFrom(row), row.name)}>
							Join them <kbd>J</kbd>
						</button>
					)}
				</p>
			) : (
				direct.map((b) => {
					const from = same(b.from, focus) ? p.focus.name : row.name;
					const to = same(b.from, focus) ? row.name : p.focus.name;
					const mark = b.draft === "new" ? "drafted: " : b.draft === "cut" ? "cut in the draft: " : "";
					const lines = b.terms.length
						? b.terms.map((t) => ({
								key: t.id,
								text: `${relationWords[b.relation](from, to)}, ${t.note}${t.reason ? ` — “${t.reason}”` : ""}`,
								id: t.id,
							}))
						: [{ key: nameOf(b.to), text: relationWords[b.relation](from, to), id: undefined }];
					return lines.map((l) => (
						<p key={l.key} className="flex items-baseline gap-3">
							<span className="min-w-0 truncate" title={l.text}>
								{mark && <b className={b.draft === "new" ? "text-ochre" : "text-ox"}>{mark}</b>}
								{l.text}
							</span>
							{p.drafting && b.draft !== "cut" && b.relation !== "gives" && (
								<button type="button" className="link shrink-0 !text-ox" onClick={() => p.onCut(b.from, b.to, l.id)}>
									Cut <kbd>X</kbd>
								</button>
							)}
							{p.drafting && b.relation === "gives" && b.draft !== "cut" && (
								<button type="button" className="link shrink-0 !text-ox" onClick={() => p.onCut(b.from, b.to)}>
									Take out <kbd>X</kbd>
								</button>
							)}
						</p>
					));
				})
			)}
			{p.drafting && direct.some((b) => b.relation === "assigned") && (
				<button type="button" className="link" onClick={() => p.onJoin(nodeFrom(row), row.name)}>
					Assign once more, on other terms <kbd>J</kbd>
				</button>
			)}
		</div>
	);
}

function Legend({ drafting }: { drafting: boolean }) {
	const sample = (children: React.ReactNode, text: string) => (
		<span className="flex items-center gap-2 whitespace-nowrap">
			<svg width="34" height="8" aria-hidden="true">
				<title>{text}</title>
				{children}
			</svg>
			{text}
		</span>
	);
	return (
		<div className="flex min-w-0 flex-col justify-center gap-1 px-[18px] text-[12px] text-quiet">
			<p className="flex flex-wrap gap-x-5 gap-y-1">
				{sample(<path d="M0 4h34" stroke="var(--beam)" strokeWidth="4" />, "whole organisation")}
				{sample(<path d="M0 4h34" stroke="var(--beam)" strokeWidth="2" />, "one area, or a part")}
				{sample(
					<>
						<path d="M0 4h34" stroke="var(--beam)" strokeWidth="6" />
						<path d="M0 4h34" stroke="var(--plaster)" strokeWidth="3" />
					</>,
					"read-only",
				)}
				{sample(<path d="M0 4h34" stroke="var(--ochre-line)" strokeWidth="3" strokeDasharray="7 5" />, "drafted")}
				{sample(<path d="M0 4h34" stroke="var(--ox)" strokeWidth="3" strokeDasharray="2 4" />, "cut in the draft")}
			</p>
			<p>
				<kbd>↑↓←→</kbd> move · <kbd>Enter</kbd> focus · <kbd>Shift Enter</kbd> second focus
				{drafting && (
					<>
						{" "}
						· <kbd>J</kbd> join · <kbd>X</kbd> cut, or draw with the mouse from one to the other
					</>
				)}{" "}
				· <kbd>/</kbd> filter
			</p>
		</div>
	);
}

import { useVirtualizer } from "@tanstack/react-virtual";
import { useDeferredValue, useEffect, useLayoutEffect, useMemo, useRef } from "react";
import type { Schemas } from "../api/client";
import { bayQuery, type Lookup } from "../api/hooks";
import { usePages } from "../parts/pages";
import { count, riskWords } from "../parts/words";
import { type bays, type Node, nameOf, nodeFrom, type Row, same } from "./node";

const pitch = 41;
const divider = 18;
const pageSize = 100;

type Props = {
	bay: (typeof bays)[number];
	view: Lookup;
	words: string;
	onWords: (words: string) => void;
	active: boolean;
	cursor: number;
	onCursor: (index: number) => void;
	/** Is told the row under the cursor of the active bay. */
	onRow: (row: Row | undefined) => void;
	focus?: Node;
	second?: Node;
	beams?: Schemas["Beam"][];
	onFocus: (n: Node, asSecond: boolean) => void;
	onOpen: (n: Node) => void;
	/** Absent for whoever may not draft. */
	onJoin?: (to: Node, name: string) => void;
	onCut?: (to: Node) => void;
};

/** One of the five lists: what is connected with the focus on boards at the top, the rest below, stepped back. */
export function Bay(p: Props) {
	const scroll = useRef<HTMLDivElement>(null);
	const q = useDeferredValue(p.words.trim());
	const { first, rowAt, need } = usePages((page) => bayQuery(p.bay.kind, p.view, q, page, pageSize), pageSize);
	const matching = first?.matching ?? 0;
	const connected = first?.connected ?? 0;
	const focused = !!p.focus;
	const alone = focused && connected === 0 && matching > 0;
	const list = useVirtualizer({
		count: matching,
		getScrollElement: () => scroll.current,
		estimateSize: (i) => (focused && i === connected - 1 && matching > connected ? pitch + divider : pitch),
		overscan: 6,
		paddingStart: alone ? pitch + divider : 0,
	});
	// biome-ignore lint/correctness/useExhaustiveDependencies: the place of the divider changes with these
	useEffect(() => {
		list.measure();
	}, [connected, matching, focused, alone]);
	// biome-ignore lint/correctness/useExhaustiveDependencies: a new focus is looked at from the top
	useEffect(() => {
		scroll.current?.scrollTo({ top: 0 });
	}, [p.view.focus, p.view.second, p.view.where, q]);

	const items = list.getVirtualItems();
	// How many of those joined to the focus stand below what can be seen.
	const height = list.scrollRect?.height ?? 0;
	const seen = Math.floor(((list.scrollOffset ?? 0) + height - (alone ? pitch + divider : 0) + 6) / pitch);
	const below = focused && height > 0 ? Math.max(0, connected - seen) : 0;
	useEffect(() => need(items));

	const cursor = Math.min(p.cursor, Math.max(0, matching - 1));
	const atCursor = p.active ? rowAt(cursor) : undefined;
	const { onRow, active } = p;
	// Before the row is painted, so that a key pressed on sight of it finds it.
	useLayoutEffect(() => {
		if (active) onRow(atCursor);
	}, [active, atCursor, onRow]);

	const to = (i: number) => {
		const at = Math.min(matching - 1, Math.max(0, i));
		p.onCursor(at);
		list.scrollToIndex(at);
	};
	const press = (e: React.KeyboardEvent) => {
		const page = Math.max(1, Math.floor((scroll.current?.clientHeight ?? 400) / pitch) - 1);
		const steps: Record<string, number> = {
			ArrowDown: cursor + 1,
			ArrowUp: cursor - 1,
			PageDown: cursor + page,
			PageUp: cursor - page,
			Home: 0,
			End: matching - 1,
		};
		if (e.key in steps && !e.altKey && !e.ctrlKey) {
			e.preventDefault();
			to(steps[e.key]);
		}
	};

	const terms = useTerms(p.focus, p.beams);
	const direct = useDirect(p.focus, p.beams);
	return (
		<section aria-label={p.bay.title} className="flex min-h-0 min-w-0 flex-col">
			<div className="flex items-baseline">
				<h2 className="grow truncate text-[15px] font-bold">{p.bay.title}</h2>
				<span className="text-[12px] text-quiet" data-waiting={first ? undefined : true}>
					{focused
						? `${connected} of ${first?.total ?? "…"}`
						: q || p.view.where
							? `${matching} of ${first?.total ?? "…"}`
							: (first?.total ?? "…")}
				</span>
			</div>
			<input
				id={`filter-${p.bay.kind}`}
				aria-label={`Filter ${p.bay.title.toLowerCase()}`}
				className="field mt-1 mb-2 text-[12px]"
				placeholder="filter"
				value={p.words}
				onFocus={() => p.onCursor(0)}
				onChange={(e) => p.onWords(e.target.value)}
			/>
			<div
				ref={scroll}
				id={`bay-${p.bay.kind}`}
				data-list
				role="listbox"
				aria-label={p.bay.title}
				aria-activedescendant={p.active && matching > 0 ? `${p.bay.kind}-${cursor}` : undefined}
				tabIndex={0}
				onFocus={() => !p.active && p.onCursor(0)}
				onKeyDown={press}
				className="min-h-0 grow [scrollbar-width:none] overflow-y-auto px-[6px] -mx-[6px] pt-[3px]"
			>
				{first && matching === 0 && (
					<p className="py-2 text-quiet">
						{q ? `None of the ${p.bay.many} has “${q}” in it.` : `There are no ${p.bay.many} yet.`}
					</p>
				)}
				<div className="relative" style={{ height: list.getTotalSize() }}>
					{alone && (
						<p className="absolute inset-x-0 top-0 h-[47px] border-b border-quiet py-2 text-[12px] text-quiet">
							{q ? "none that matches is joined" : "none is joined"}
						</p>
					)}
					{items.map((i) => {
						const row = rowAt(i.index);
						return (
							<div
								key={i.key}
								className="absolute inset-x-0 top-0 light-up"
								style={{ transform: `translateY(${i.start}px)` }}
							>
								<RowBoard
									id={`${p.bay.kind}-${i.index}`}
									row={row}
									note={row && terms.get(nameOf(row))}
									place={i.index + 1}
									of={matching}
									stepped={focused}
									focused={same(row, p.focus)}
									second={same(row, p.second)}
									cursor={p.active && i.index === cursor}
									onPick={(asSecond) => {
										p.onCursor(i.index);
										if (row) p.onFocus(nodeFrom(row), asSecond);
									}}
									onOpen={() => row && p.onOpen(nodeFrom(row))}
									direct={!!row && direct.has(nameOf(row))}
									onJoin={p.onJoin && row && (() => p.onJoin?.(nodeFrom(row), row.name))}
									onCut={p.onCut && row && (() => p.onCut?.(nodeFrom(row)))}
								/>
								{focused && i.index === connected - 1 && matching > connected && (
									<div className="mt-[10px] border-t border-quiet" />
								)}
							</div>
						);
					})}
				</div>
			</div>
			{below > 0 && (
				// For the mouse only; the keys are those of the list, which says how many there are.
				<button
					type="button"
					tabIndex={-1}
					className="narrow h-[24px] shrink-0 border-t border-quiet text-left text-[12px] font-semibold text-slate"
					onClick={() => to(Math.min(connected - 1, seen + Math.max(1, Math.floor(height / pitch) - 1)))}
				>
					{below} more {below === 1 ? p.bay.one : p.bay.many} below
				</button>
			)}
		</section>
	);
}

/** The terms of the assignments between the focus and each row, in a few words. */
function useTerms(focus: Node | undefined, beams: Schemas["Beam"][] | undefined) {
	return useMemo(() => {
		const notes = new Map<string, string>();
		for (const b of beams ?? []) {
			if (b.relation !== "assigned" || !focus || !(same(b.from, focus) || same(b.to, focus))) continue;
			const more = b.terms.length > 1 ? ` +${b.terms.length - 1}` : "";
			notes.set(nameOf(same(b.from, focus) ? b.to : b.from), (b.terms[0]?.note ?? "") + more);
		}
		return notes;
	}, [focus, beams]);
}

/** Which rows are joined to the focus directly, by a beam that can be cut. */
function useDirect(focus: Node | undefined, beams: Schemas["Beam"][] | undefined) {
	return useMemo(() => {
		const names = new Set<string>();
		for (const b of beams ?? []) {
			if (b.draft === "cut") continue;
			if (same(b.from, focus)) names.add(nameOf(b.to));
			if (same(b.to, focus)) names.add(nameOf(b.from));
		}
		return names;
	}, [focus, beams]);
}

function RowBoard(p: {
	id: string;
	row?: Row;
	note?: string;
	place: number;
	of: number;
	stepped: boolean;
	focused: boolean;
	second: boolean;
	cursor: boolean;
	onPick: (asSecond: boolean) => void;
	onOpen: () => void;
	direct: boolean;
	onJoin?: () => void;
	onCut?: () => void;
}) {
	const { row } = p;
	if (!row) return <div className="h-[36px] animate-pulse bg-sunk/60" />;
	const lit = row.connected;
	const chosen = p.focused || p.second;
	const [system, ...rest] = row.kind === "permission" ? row.name.split(":") : [];
	// What passes through, where that says more than the thing's own size.
	const passes = lit && !chosen && row.of;
	const through = passes
		? count(row.through, row.of === "people" ? "person" : "permission", row.of ?? "")
		: (row.size ?? "");
	return (
		// biome-ignore lint/a11y/useKeyWithClickEvents: the listbox hears the keys
		<div
			id={p.id}
			data-row
			data-node={nameOf(row)}
			data-name={row.name}
			data-lit={lit || undefined}
			role="option"
			tabIndex={-1}
			aria-selected={chosen}
			aria-posinset={p.place}
			aria-setsize={p.of}
			title={`${row.name}${row.note ? ` — ${row.note}` : ""}`}
			onClick={(e) => p.onPick(e.shiftKey)}
			onDoubleClick={p.onOpen}
			className={`relative h-[36px] cursor-pointer touch-none border-[1.5px] px-[8px] py-[2px] leading-[15px] select-none ${
				chosen
					? "border-slate bg-slate text-on-slate"
					: lit
						? "border-[var(--beam)] bg-raised"
						: p.stepped
							? "border-transparent text-quiet"
							: "border-hair bg-raised"
			} ${p.cursor ? "outline-2 outline-offset-1 outline-slate" : ""}`}
		>
			<div
				className={`truncate ${row.kind === "permission" ? "narrow font-mono text-[12px]" : ""} ${p.stepped && !lit ? "" : "font-semibold"}`}
			>
				{row.kind === "permission" ? rest.join(":") : row.name}
			</div>
			<div className={`narrow flex gap-1 text-[11.5px] ${chosen ? "text-on-slate-quiet" : "text-quiet"}`}>
				<span className="truncate empty:hidden">
					{row.state && <b className={chosen ? "" : "text-ochre"}>{row.state} · </b>}
					{row.kind === "permission" ? system : (p.note ?? row.note)}
					{row.risk ? (
						<>
							{" · "}
							<b className={chosen ? "" : row.risk === 3 ? "text-ox" : "text-ochre"}>{riskWords[row.risk]}</b>
						</>
					) : null}
				</span>
				{through && <span className={`shrink-0 ${p.note || row.note || row.state ? "ml-auto" : ""}`}>{through}</span>}
			</div>
			{p.stepped && !chosen && p.onJoin && p.onCut && (
				// For the mouse only; the keys are J and X.
				<span
					aria-hidden="true"
					data-act={p.direct ? "cut" : "join"}
					onPointerDown={(e) => e.stopPropagation()}
					onClick={(e) => {
						e.stopPropagation();
						if (p.direct) p.onCut?.();
						else p.onJoin?.();
					}}
					className={`absolute top-[3px] right-[3px] hidden border bg-raised px-1.5 text-[11.5px] leading-[15px] font-semibold ${p.direct ? "border-ox text-ox" : "border-slate text-slate"}`}
				>
					{p.direct ? "Cut" : "Join"}
				</span>
			)}
		</div>
	);
}

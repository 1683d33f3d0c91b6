import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef, useState } from "react";
import type { Schemas } from "../api/client";

type Row = Schemas["ImportRow"];
type Verdict = Row["verdict"];

const verdicts: { id: Verdict; name: string; mark: string; tone: string }[] = [
	{ id: "error", name: "error", mark: "✕", tone: "text-ox" },
	{ id: "create", name: "new", mark: "+", tone: "text-moss" },
	{ id: "change", name: "change", mark: "≠", tone: "text-ochre" },
	{ id: "same", name: "already so", mark: "=", tone: "text-quiet" },
	{ id: "ignored", name: "ignored", mark: "·", tone: "text-quiet" },
];

const verdictOf = (id: Verdict) => verdicts.find((v) => v.id === id) ?? verdicts[4];

/** A line a row: what it would do, or what is wrong with it, which can be mended on the spot. */
export function Rows({
	file,
	verdict,
	words,
	busy,
	rowAt,
	need,
	onVerdict,
	onWords,
	onCorrect,
}: {
	file: Schemas["Import"];
	verdict?: Verdict;
	words: string;
	busy: boolean;
	rowAt: (i: number) => Row | undefined;
	need: (places: { index: number }[]) => void;
	onVerdict: (verdict: Verdict | null) => void;
	onWords: (words: string) => void;
	onCorrect: (row: number, column: number, text: string, alike?: boolean) => void;
}) {
	const scroll = useRef<HTMLDivElement>(null);
	const list = useVirtualizer({ count: file.match, getScrollElement: () => scroll.current, estimateSize: () => 33, overscan: 8 });
	const items = list.getVirtualItems();
	useEffect(() => need(items));
	// By keys: from fault to fault with the arrows, and on to the next one when a row is mended and its fault is gone.
	const left = useRef<number>(undefined);
	const toFault = (from: number, step: 1 | -1) => {
		const places = [...(scroll.current?.querySelectorAll<HTMLElement>("li:has(form)") ?? [])].sort(
			(a, b) => step * (Number(a.dataset.index) - Number(b.dataset.index)),
		);
		const next = places.find((e) => step * (Number(e.dataset.index) - from) >= 0);
		next?.querySelector<HTMLElement>("[data-suggestion], input:not([type=checkbox])")?.focus();
		return !!next;
	};
	useEffect(() => {
		if (left.current === undefined || busy) return;
		const at = document.activeElement;
		if (at && at !== document.body) {
			if (!scroll.current?.contains(at)) left.current = undefined; // one has gone elsewhere meanwhile
			return;
		}
		if (!toFault(left.current, 1) && !toFault(left.current, -1)) scroll.current?.focus();
		left.current = undefined;
	});
	const press = (e: React.KeyboardEvent) => {
		const place = (e.target as HTMLElement).closest<HTMLElement>("li:has(form)");
		const step = { ArrowDown: 1, ArrowUp: -1 }[e.key] as 1 | -1 | undefined;
		if (!place || !step) return;
		e.preventDefault();
		toFault(Number(place.dataset.index) + step, step);
	};
	const all = verdicts.reduce((n, v) => n + (file.counts[v.id] ?? 0), 0);
	const chip = (on: boolean) => `border-b-[3px] px-1 pb-[2px] ${on ? "border-slate font-bold" : "border-transparent hover:text-ink"}`;
	return (
		<section aria-label="Rows" className="flex min-h-0 flex-col px-[14px]">
			<div className="flex flex-wrap items-baseline gap-x-3 gap-y-1 border-b-2 border-[var(--beam)] pb-1">
				<button type="button" aria-pressed={!verdict} className={chip(!verdict)} onClick={() => onVerdict(null)}>
					{all.toLocaleString("en-GB")} {all === 1 ? "row" : "rows"}
				</button>
				{verdicts
					.filter((v) => (file.counts[v.id] ?? 0) > 0 || v.id === verdict)
					.map((v) => (
						<button
							key={v.id}
							type="button"
							aria-pressed={verdict === v.id}
							data-verdict={v.id}
							className={`${chip(verdict === v.id)} ${v.tone}`}
							onClick={() => onVerdict(verdict === v.id ? null : v.id)}
						>
							{v.mark} {(file.counts[v.id] ?? 0).toLocaleString("en-GB")} {v.name}
						</button>
					))}
				<span className="grow" />
				<input
					aria-label="Words in the rows"
					className="field max-w-[150px]"
					placeholder="words …"
					value={words}
					onChange={(e) => onWords(e.target.value)}
				/>
			</div>
			<section
				ref={scroll}
				// biome-ignore lint/a11y/noNoninteractiveTabindex: the rows are scrolled by keys
				tabIndex={0}
				aria-label="Rows of the file"
				onKeyDown={press}
				aria-busy={busy}
				className={`min-h-0 grow overflow-auto ${busy ? "opacity-60 transition-opacity delay-200" : ""}`}
			>
				{file.match === 0 && <p className="py-3 text-quiet">{verdict === "error" ? "Nothing is wrong with any row." : "No row is of this kind."}</p>}
				<ul className="relative" style={{ height: list.getTotalSize() }}>
					{items.map((i) => {
						const row = rowAt(i.index);
						return (
							<li
								key={i.key}
								ref={list.measureElement}
								data-index={i.index}
								data-row={row?.verdict}
								style={{ transform: `translateY(${i.start}px)` }}
								className="absolute inset-x-0 top-0 border-b border-hair py-[6px]"
							>
								{row ? (
									<Line
										file={file}
										row={row}
										onCorrect={(...correction) => {
											left.current = i.index;
											onCorrect(...correction);
										}}
									/>
								) : (
									"…"
								)}
							</li>
						);
					})}
				</ul>
			</section>
		</section>
	);
}

/** What makes a row one that is left out, in its first cell. */
const out = "#";

function Line({
	file,
	row,
	onCorrect,
}: {
	file: Schemas["Import"];
	row: Row;
	onCorrect: (row: number, column: number, text: string, alike?: boolean) => void;
}) {
	const v = verdictOf(row.verdict);
	const title = (field: string) => file.fields.find((f) => f.name === field)?.title ?? field;
	return (
		<>
			<p className="flex items-baseline gap-2">
				<span className="w-[40px] shrink-0 text-right text-[12px] text-quiet tabular-nums" title="where it stands in the file">
					{row.line}
				</span>
				<span className={`w-[78px] shrink-0 font-semibold ${v.tone}`}>
					{v.mark} {v.name}
				</span>
				<span className={`shrink-0 truncate font-semibold ${row.verdict === "error" ? "grow" : "max-w-[190px]"}`}>{row.about || "—"}</span>
				{row.fixed.map((f) => (
					<span key={f.column} className="flex max-w-[260px] min-w-0 shrink-0 items-baseline gap-2 text-[12px]">
						<span className="truncate text-ochre" title={f.was}>
							{row.cells[f.column] === out ? "left out" : `mended, was ${f.was ? `“${f.was}”` : "empty"}`}
						</span>
						<button type="button" className="link shrink-0" onClick={() => onCorrect(row.row, f.column, f.was)}>
							{row.cells[f.column] === out ? "Take it in" : "As it was"}
						</button>
					</span>
				))}
				<span
					className="min-w-0 truncate text-quiet"
					title={row.changes.map((c) => `${title(c.field)}: ${c.before || "nothing"} → ${c.after || "nothing"}`).join("\n")}
				>
					{row.verdict === "error"
						? ""
						: row.verdict === "create"
							? row.changes
									.filter((c) => c.after && c.field !== "displayName")
									.map((c) => c.after)
									.join(" · ")
							: row.changes.map((c) => `${title(c.field)}: ${c.before || "—"} → ${c.after || "—"}`).join("; ")}
				</span>
				{row.verdict === "error" && (
					<button type="button" className="link shrink-0 text-[12px]" onClick={() => onCorrect(row.row, 0, out)}>
						Leave the row out
					</button>
				)}
			</p>
			{row.faults.map((f) => (
				<Mend key={`${row.row} ${f.column} ${f.message}`} file={file} row={row} fault={f} onCorrect={onCorrect} />
			))}
		</>
	);
}

/** What is wrong with a cell, and a place to say what is right. */
function Mend({
	file,
	row,
	fault,
	onCorrect,
}: {
	file: Schemas["Import"];
	row: Row;
	fault: Schemas["ImportFault"];
	onCorrect: (row: number, column: number, text: string, alike?: boolean) => void;
}) {
	const cell = fault.column >= 0 ? (row.cells[fault.column] ?? "") : "";
	const [text, setText] = useState(cell);
	const [alike, setAlike] = useState(false);
	useEffect(() => setText(cell), [cell]);
	const name = fault.column >= 0 ? file.columns[fault.column]?.title : "";
	// A cell can hold several values, of which one is wrong.
	const right = fault.suggestion && (cell && fault.value ? cell.replace(fault.value, fault.suggestion) : fault.suggestion);
	return (
		<form
			className="mt-1 ml-[48px] flex flex-wrap items-center gap-2 border-l-8 border-ox bg-raised px-2 py-1"
			onSubmit={(e) => {
				e.preventDefault();
				if (text !== cell) onCorrect(row.row, fault.column, text, alike);
			}}
		>
			<span className="min-w-0 grow basis-[160px]">
				{name && <b>{name}: </b>}
				{fault.message}.
			</span>
			{fault.alike > 1 && (
				<label className="flex items-center gap-1 text-[12px]">
					<input type="checkbox" checked={alike} onChange={(e) => setAlike(e.target.checked)} />
					in all {fault.alike.toLocaleString("en-GB")} rows
				</label>
			)}
			{right && (
				<button type="button" className="link" data-suggestion onClick={() => onCorrect(row.row, fault.column, right, alike)}>
					{fault.suggestion}?
				</button>
			)}
			{fault.column >= 0 && (
				<>
					<input aria-label={`${name}, line ${row.line}`} className="field max-w-[140px]" value={text} onChange={(e) => setText(e.target.value)} />
					<button type="submit" className="action" disabled={text === cell}>
						Mend
					</button>
				</>
			)}
		</form>
	);
}

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
	onCorrect: (row: number, column: number, text: string) => void;
}) {
	const scroll = useRef<HTMLDivElement>(null);
	const list = useVirtualizer({ count: file.match, getScrollElement: () => scroll.current, estimateSize: () => 33, overscan: 8 });
	const items = list.getVirtualItems();
	useEffect(() => need(items));
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
			<div
				ref={scroll}
				// biome-ignore lint/a11y/noNoninteractiveTabindex: the rows are scrolled by keys
				tabIndex={0}
				aria-busy={busy}
				className={`min-h-0 grow overflow-auto ${busy ? "opacity-60" : ""}`}
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
								{row ? <Line file={file} row={row} onCorrect={onCorrect} /> : "…"}
							</li>
						);
					})}
				</ul>
			</div>
		</section>
	);
}

function Line({ file, row, onCorrect }: { file: Schemas["Import"]; row: Row; onCorrect: (row: number, column: number, text: string) => void }) {
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
				{row.fixed.length > 0 && <span className="shrink-0 text-[12px] text-ochre">mended</span>}
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
					<button type="button" className="link shrink-0 text-[12px]" onClick={() => onCorrect(row.row, 0, "#")}>
						Leave the row out
					</button>
				)}
			</p>
			{row.faults.map((f) => (
				<Mend key={`${f.column} ${f.message}`} file={file} row={row} fault={f} onCorrect={onCorrect} />
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
	onCorrect: (row: number, column: number, text: string) => void;
}) {
	const cell = fault.column >= 0 ? (row.cells[fault.column] ?? "") : "";
	const [text, setText] = useState(cell);
	useEffect(() => setText(cell), [cell]);
	const name = fault.column >= 0 ? file.columns[fault.column]?.title : "";
	// A cell can hold several values, of which one is wrong.
	const right = fault.suggestion && (cell && fault.value ? cell.replace(fault.value, fault.suggestion) : fault.suggestion);
	return (
		<form
			className="mt-1 ml-[48px] flex flex-wrap items-center gap-2 border-l-8 border-ox bg-raised px-2 py-1"
			onSubmit={(e) => {
				e.preventDefault();
				if (text !== cell) onCorrect(row.row, fault.column, text);
			}}
		>
			<span className="min-w-0 grow basis-[220px]">
				{name && <b>{name}: </b>}
				{fault.message}.
			</span>
			{right && (
				<button type="button" className="link" data-suggestion onClick={() => onCorrect(row.row, fault.column, right)}>
					{fault.suggestion}?
				</button>
			)}
			{fault.column >= 0 && (
				<>
					<input aria-label={`${name}, line ${row.line}`} className="field max-w-[170px]" value={text} onChange={(e) => setText(e.target.value)} />
					<button type="submit" className="action" disabled={text === cell}>
						Mend
					</button>
				</>
			)}
		</form>
	);
}

import { useEffect, useState } from "react";
import type { Schemas } from "../api/client";
import { verdictOf } from "./verdicts";

type Row = Schemas["ImportRow"];

/** What makes a row one that is left out, in its first cell. */
const out = "#";

/** A row: what it would do, or what is wrong with it and a place to mend it. */
export function Line({
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
				<span
					className="w-[40px] shrink-0 text-right text-[12px] text-quiet tabular-nums"
					title="in the order of the file"
				>
					{row.line}
				</span>
				<span className={`w-[78px] shrink-0 font-semibold ${v.tone}`}>
					{v.mark} {v.name}
				</span>
				<span className={`shrink-0 truncate font-semibold ${row.verdict === "error" ? "grow" : "max-w-[190px]"}`}>
					{row.about || "—"}
				</span>
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
					title={row.changes
						.map((c) => `${title(c.field)}: ${c.before || "nothing"} → ${c.after || "nothing"}`)
						.join("\n")}
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
	const right =
		fault.suggestion && (cell && fault.value ? cell.replace(fault.value, fault.suggestion) : fault.suggestion);
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
				<button
					type="button"
					className="link"
					data-suggestion
					onClick={() => onCorrect(row.row, fault.column, right, alike)}
				>
					{fault.suggestion}?
				</button>
			)}
			{fault.column >= 0 && (
				<>
					<input
						aria-label={`${name}, line ${row.line}`}
						className="field max-w-[140px]"
						value={text}
						onChange={(e) => setText(e.target.value)}
					/>
					<button type="submit" className="action" disabled={text === cell}>
						Mend
					</button>
				</>
			)}
		</form>
	);
}

import type { ReactNode } from "react";
import type { Schemas } from "../api/client";
import { Choose } from "../parts/Choose";
import { kinds } from "./ChooseFile";

type Reading = Schemas["Reading"];
type Kind = NonNullable<Schemas["ImportHow"]["kind"]>;

const encodings: NonNullable<Reading["encoding"]>[] = [
	"UTF-8",
	"UTF-16 LE",
	"UTF-16 BE",
	"Windows-1252",
	"Windows-1250",
	"Mac Roman",
];
const delimiters = [
	{ mark: ",", name: "a comma" },
	{ mark: ";", name: "a semicolon" },
	{ mark: "\t", name: "a tab" },
	{ mark: "|", name: "a bar" },
];

/** The file and how it was read, each part of which can be said otherwise. */
export function HowRead({
	file,
	onRead,
	onKind,
	onDays,
	children,
}: {
	file: Schemas["Import"];
	onRead: (reading: Reading) => void;
	onKind?: (kind: Kind) => void;
	onDays?: (days: Schemas["Import"]["days"]) => void;
	children?: ReactNode;
}) {
	const r = file.reading;
	const row = "flex items-center gap-2 py-[3px]";
	return (
		<section aria-label="The file" className="mb-3 shrink-0">
			<h2 className="flex items-baseline gap-3 border-b-2 border-[var(--beam)] pb-1 text-[14px] font-bold">
				<span className="min-w-0 grow truncate" title={file.name}>
					{file.name}
				</span>
				<span className="text-[12px]">{children}</span>
			</h2>
			{onKind && (
				<label className={row}>
					<span className="w-[82px] shrink-0 text-[12px] text-quiet">is about</span>
					<select className="field" value={file.kind} onChange={(e) => onKind(e.target.value as Kind)}>
						{kinds.map((k) => (
							<option key={k.id} value={k.id}>
								{k.name}
							</option>
						))}
					</select>
				</label>
			)}
			{r.form !== "xlsx" && (
				<label className={row}>
					<span className="w-[82px] shrink-0 text-[12px] text-quiet">written in</span>
					<select
						className="field"
						value={r.encoding ?? ""}
						onChange={(e) => onRead({ ...r, encoding: e.target.value as Reading["encoding"] })}
					>
						{!r.encoding && <option value="">…</option>}
						{encodings.map((e) => (
							<option key={e}>{e}</option>
						))}
					</select>
				</label>
			)}
			{r.form === "csv" && (
				<label className={row}>
					<span className="w-[82px] shrink-0 text-[12px] text-quiet">cells end with</span>
					<select
						className="field"
						value={r.delimiter}
						onChange={(e) => onRead({ ...r, delimiter: e.target.value, header: undefined })}
					>
						{delimiters.map((d) => (
							<option key={d.mark} value={d.mark}>
								{d.name}
							</option>
						))}
					</select>
				</label>
			)}
			{r.form === "ldif" && file.sheets.length > 1 && (
				<p className="py-1 text-[12px] text-quiet">
					The file has {file.sheets.find((s) => s !== r.sheet)} too: to bring these in, choose them as what it is about.
				</p>
			)}
			{r.form === "xlsx" && file.sheets.length > 1 && (
				<span className={row}>
					<label htmlFor="read-sheet" className="w-[82px] shrink-0 text-[12px] text-quiet">
						the sheet
					</label>
					<Choose
						id="read-sheet"
						className="field"
						value={r.sheet ?? ""}
						options={file.sheets.map((s) => ({ value: s, name: s }))}
						onChange={(sheet) => onRead({ ...r, sheet, header: undefined })}
					/>
				</span>
			)}
			{onDays && file.twoWays && (
				<label className={row}>
					<span className={`w-[82px] shrink-0 text-[12px] ${file.days ? "text-quiet" : "font-bold text-ox"}`}>
						days like 3/4
					</span>
					<select
						className="field"
						value={file.days}
						onChange={(e) => onDays(e.target.value as Schemas["Import"]["days"])}
					>
						<option value="">can be two: choose</option>
						<option value="day-first">have the day first (3 April)</option>
						<option value="month-first">have the month first (4 March)</option>
					</select>
				</label>
			)}
			{(r.form === "csv" || r.form === "xlsx") && (
				<label className={`${row} text-[12px]`}>
					<input
						type="checkbox"
						checked={r.header ?? false}
						onChange={(e) => onRead({ ...r, header: e.target.checked })}
					/>
					the first row contains the headings
				</label>
			)}
		</section>
	);
}

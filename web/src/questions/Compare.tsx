import { keepPreviousData, type UseQueryResult } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { type Ask, useAsk } from "../api/ask";
import { data, type Schemas } from "../api/client";
import { design } from "../api/hooks";
import { useHouse } from "../house/context";
import { useSet, useTo } from "../house/lens";
import { DayField } from "../parts/DayField";
import { Downloads } from "../parts/Downloads";
import { Loaded } from "../parts/loading";
import { Picker } from "../parts/Picker";
import { Rooms } from "../parts/tabs";
import { addressOf, count, kindWords, Named, places, Risk } from "../parts/words";

const most = 8;

/** What holds nothing itself, and what it does instead. */
const gives: Record<string, string> = { role: "gives it", set: "gives it", licence: "allows it" };

/** How many rows are drawn; a comparison with more is read in a workbook. */
const drawn = 1500;

/** Two to eight things side by side, or one at several times: permissions as rows, only where they differ. */
export function Compare() {
	const [params] = useSearchParams();
	const set = useSet(false);
	const things = (params.get("things") ?? "").split(",").filter(Boolean);
	const all = params.get("all") === "1";
	const choose = (next: string[]) => set({ things: next.join(",") });
	const query = useAsk({
		queryKey: [...design, "compare", things, all],
		queryFn: (ask: Ask) => data(ask.GET("/api/compare", { params: { query: { thing: things, all } } })),
		enabled: things.length > 0,
		placeholderData: keepPreviousData,
	});
	return (
		<div className="flex h-full flex-col px-[18px] pt-3 print:block print:h-auto">
			<div className="flex items-baseline gap-4">
				<Rooms />
				<span className="grow" />
				{things.length > 1 && (
					<Downloads path="/api/compare" query={{ thing: things, all: all ? "true" : undefined }}>
						<button type="button" className="link" onClick={() => window.print()}>
							Print
						</button>
					</Downloads>
				)}
			</div>
			<div className="mt-2 mb-3 flex flex-wrap items-center gap-3 print:hidden">
				{things.length < most && (
					<Picker
						kinds={["user", "role", "group", "set", "licence"]}
						label="Set beside"
						placeholder={things.length === 0 ? "a person, role, group, set or licence …" : "set another one beside …"}
						className="field max-w-[300px]"
						autoFocus={things.length < 2}
						onPick={(r) => {
							const thing = `${r.kind}:${r.id}`;
							if (!things.includes(thing)) choose([...things, thing]);
						}}
					/>
				)}
				{things.length > 1 && (
					<label className="flex items-center gap-2">
						<input type="checkbox" checked={all} onChange={(e) => set({ all: e.target.checked ? "1" : null })} />
						what all of them hold, too
					</label>
				)}
				{things.length > 0 && (
					<button type="button" className="link" onClick={() => choose([])}>
						Begin anew
					</button>
				)}
			</div>
			{things.length > 1 ? (
				<Loaded query={query}>{(c) => <Table comparison={c} things={things} all={all} onChoose={choose} />}</Loaded>
			) : (
				<Begun query={query} chosen={things.length} onDay={(day) => choose([`${things[0]}@${day}`, things[0]])} />
			)}
		</div>
	);
}

/** What is chosen so far, and what comes next. */
function Begun({
	query,
	chosen,
	onDay,
}: {
	query: UseQueryResult<Schemas["Comparison"], Error>;
	chosen: number;
	onDay: (day: string) => void;
}) {
	if (chosen === 0)
		return (
			<p className="text-quiet">
				Choose two to eight things: only where they differ is shown. One thing can stand beside itself on another day.
			</p>
		);
	return (
		<Loaded query={query}>
			{({ things: [only] }) => (
				<p className="text-quiet" data-begun>
					<Named of={only.ref} />
					{only.day && `, ${only.day}`}: choose what to set beside it.
					<OtherDay onDay={onDay}>It, on another day</OtherDay>
				</p>
			)}
		</Loaded>
	);
}

/** Sets a thing beside itself on another day. */
function OtherDay({ onDay, children }: { onDay: (day: string) => void; children: string }) {
	const [open, setOpen] = useState(false);
	const [day, setDay] = useState("");
	if (!open)
		return (
			<button type="button" className="link ml-3" onClick={() => setOpen(true)}>
				{children} …
			</button>
		);
	return (
		<form
			className="ml-3 inline-flex items-center gap-2"
			onSubmit={(e) => {
				e.preventDefault();
				if (day) onDay(day);
				setOpen(false);
			}}
		>
			<DayField label="Day" inline required past autoFocus value={day} onChange={setDay} />
			<button type="submit" className="action">
				Look
			</button>
		</form>
	);
}

function Table({
	comparison: c,
	things,
	all,
	onChoose,
}: {
	comparison: Schemas["Comparison"];
	things: string[];
	all: boolean;
	onChoose: (things: string[]) => void;
}) {
	const { setAside } = useHouse();
	const to = useTo();
	useEffect(() => {
		setAside(count(c.differ, "difference", "differences"));
		return () => setAside("");
	}, [setAside, c.differ]);
	const rows = c.systems.flatMap((s) => s.objects.flatMap((o) => o.rows)).length;
	let left = drawn;
	return (
		<>
			<p className="mb-2" data-answer>
				{c.differ === 0 ? (
					<b className="text-moss">✓ They hold exactly the same: {count(c.same, "permission", "permissions")}.</b>
				) : (
					<span className="text-quiet">
						{count(c.differ, "difference", "differences")}; {count(c.same, "permission is", "permissions are")} held
						alike
						{all ? "" : " and not shown"}.
						{rows > drawn && ` The first ${drawn.toLocaleString("en-GB")} rows are shown; the workbook has all.`}
					</span>
				)}
			</p>
			<div className="min-h-0 grow overflow-auto border-t-[3px] border-[var(--beam)] print:overflow-visible">
				<table className="w-full table-fixed border-collapse" style={{ minWidth: 240 + 130 * c.things.length }}>
					<thead className="sticky top-0 z-10 bg-plaster text-left align-bottom print:static">
						<tr className="border-b-[3px] border-[var(--beam)]">
							<th scope="col" className="w-[230px] py-1 font-normal text-quiet">
								Permission
							</th>
							{c.things.map((t, i) => (
								<th key={things[i] ?? i} scope="col" className="py-1 pr-3">
									<span className="flex items-baseline gap-2">
										<span className="min-w-0 grow truncate" title={t.ref.name}>
											<Named of={t.ref} />
										</span>
										<button
											type="button"
											aria-label={`Take out ${t.ref.name}`}
											className="font-bold text-ox print:hidden"
											onClick={() => onChoose(things.filter((_, n) => n !== i))}
										>
											✕
										</button>
									</span>
									<span className="block text-[12px] font-normal text-quiet">
										{kindWords[t.ref.kind]}
										{t.day && <b> on {t.day}</b>} · {t.permissions}
										{!t.day && things.length < most && (
											<OtherDay
												onDay={(day) => onChoose([...things.slice(0, i), `${things[i]}@${day}`, ...things.slice(i)])}
											>
												another day
											</OtherDay>
										)}
									</span>
								</th>
							))}
						</tr>
					</thead>
					{c.systems.map((s) => {
						if (left <= 0) return null;
						return (
							<tbody key={s.system.id}>
								<tr>
									<th
										scope="rowgroup"
										colSpan={c.things.length + 1}
										className="border-b border-[var(--beam)] pt-3 text-left text-[14px]"
									>
										{s.system.name}
									</th>
								</tr>
								{s.objects.map((o) =>
									o.rows.map((r, n) => {
										if (left-- <= 0) return null;
										return (
											<tr key={r.key} data-difference={r.key} className="border-b border-hair align-top">
												<th scope="row" className="py-1 pr-3 text-left font-normal">
													<span
														className={`inline-block w-[96px] truncate align-bottom ${n > 0 ? "text-transparent" : "text-quiet"}`}
														title={o.object}
													>
														{o.object}
													</span>
													<Link
														className="link font-mono text-[12px]"
														title={r.label}
														to={to(addressOf("permission", r.key) ?? "/")}
													>
														{r.action}
													</Link>{" "}
													<Risk level={r.risk} />
												</th>
												{r.held.map((held, i) => (
													<td
														key={things[i] ?? i}
														className={`py-1 pr-3 ${held.length > 0 ? "text-moss" : "text-quiet"}`}
													>
														{held.length > 0 ? `■ ${gives[c.things[i].ref.kind] ?? places(held)}` : "—"}
													</td>
												))}
											</tr>
										);
									}),
								)}
							</tbody>
						);
					})}
				</table>
			</div>
		</>
	);
}

import { useEffect, useRef, useState } from "react";
import { api, data, type Schemas } from "../api/client";
import { itemsAtOnce, itemsQuery } from "../api/hooks";
import { useHouse } from "../house/context";
import { typing, typingIn } from "../house/Keys";
import { useWhere } from "../house/lens";
import { acting } from "../house/rights";
import { type Column, Grid, type GridHandle } from "../parts/Grid";
import { Failed, Waiting } from "../parts/loading";
import { useNotice } from "../parts/notice";
import { usePages } from "../parts/pages";
import { count, day, lastDay, number, riskWords } from "../parts/words";
import { type Decision, marks, useDecide } from "./decide";
import { HandBoard } from "./HandBoard";

type Item = Schemas["ReviewItem"];

const held = (i: Item) => [i.byHand && "by hand", ...i.groups.map((g) => g.name)].filter(Boolean).join(", ");

const column = (
	header: string,
	width: string,
	text: (i: Item) => string,
	more?: Partial<Column<Item>["meta"]>,
): Column<Item> => ({
	id: header,
	header,
	cell: ({ row }) => text(row.original),
	meta: { width, title: text, ...more },
});

/** What an item is about, what is known of it, and what was decided, a column each. */
const columnsOf = (access: boolean) => [
	column("About", "minmax(130px,2fr)", (i) => i.subject.name, {
		look: () => "font-semibold",
		title: (i) => [i.subject.name, i.note].filter(Boolean).join(", "),
	}),
	column("Keeps", "minmax(130px,2fr)", (i) => i.keeps),
	...(access ? ofAccess : ofOther),
	column("Risk", "66px", (i) => riskWords[i.evidence?.risk ?? 0], {
		look: (i) => (i.evidence?.risk === 3 ? "font-semibold text-ox" : "text-ochre"),
	}),
	column("Against it", "minmax(90px,1.6fr)", (i) => i.evidence?.doubts.join("; ") ?? "", { look: () => "text-ochre" }),
	column("Decision", "88px", (i) => (i.decision || i.mine ? marks[i.decision].text : `for ${i.reviewer.name}`), {
		look: (i) => `font-semibold ${marks[i.decision].look}`,
		title: (i) => i.reason,
	}),
];

const ofAccess = [
	column("Held", "minmax(110px,1.6fr)", held, { look: () => "text-quiet" }),
	column("Since", "88px", (i) => (i.evidence?.since ? day(i.evidence.since) : "—")),
	column(
		"Last used",
		"88px",
		(i) =>
			i.evidence?.lastUse ? `${count(i.evidence.idleDays, "day", "days")} ago` : i.evidence?.never ? "never" : "—",
		{
			look: (i) => ((i.evidence?.idleDays ?? 0) >= 90 ? "font-semibold text-ochre" : ""),
		},
	),
	column("Peers", "76px", (i) =>
		i.evidence && i.evidence.peers > 0 ? `${i.evidence.alike} of ${i.evidence.peers}` : "—",
	),
];

const ofOther = [
	column("People", "76px", (i) => (i.evidence?.holders ? number(i.evidence.holders) : "—")),
	column("Used lately", "88px", (i) => (i.evidence?.tells ? number(i.evidence.lately ?? 0) : "—")),
	column("Since", "88px", (i) => (i.evidence?.since ? day(i.evidence.since) : "—")),
	column("Ends", "88px", (i) => (i.evidence?.ends ? lastDay(i.evidence.ends) : "—")),
];

const none = { like: "", ids: [] };

/** The same items in rows, with the evidence in columns. Several can be decided at once if they are alike. */
export function ReviewGrid({ detail, paused }: { detail: Schemas["ReviewDetail"]; paused: boolean }) {
	const { review: r } = detail;
	const { me } = useHouse();
	const decide = useDecide();
	const [only, setOnly] = useState<"all" | "open" | "mine">(detail.all ? "all" : "open");
	const [cursor, setCursor] = useState(0);
	const [picked, setPicked] = useState<{ like: string; ids: number[] }>(none);
	const [reason, setReason] = useState("");
	const [handing, setHanding] = useState<Item | null>(null);
	const [wanting, setWanting] = useState(false);
	const where = useWhere();
	const { refuse } = useNotice();
	const { first, error, retry, rowAt, need } = usePages(
		(page) => itemsQuery(r.id, where, only === "all" ? undefined : only, page),
		itemsAtOnce,
	);
	const total = first?.total ?? 0;
	const at = Math.min(cursor, Math.max(0, total - 1));
	const here = rowAt(at);
	const grid = useRef<GridHandle>(null);
	const deciding = acting(me) && !r.closed;
	const pickable = (i: Item) => deciding && i.mine && (picked.ids.length === 0 || i.like === picked.like);
	const chosen = picked.ids.length > 0 ? picked.ids : here?.mine ? [here.id] : [];
	const say = (decision: Decision) => {
		if (chosen.length === 0 || !deciding) return;
		if (decision === "revoke" && reason.trim() === "") {
			setWanting(true);
			document.getElementById("grid-reason")?.focus();
			return;
		}
		decide.mutate(
			{ items: chosen, decision, reason: decision === "revoke" ? reason : undefined },
			{ onSuccess: () => setPicked(none) },
		);
		setReason("");
		setWanting(false);
		if (typingIn(document.activeElement)) document.activeElement.blur(); // the keys decide again
	};
	const toggle = (i?: Item) => {
		if (!i) return;
		if (picked.ids.includes(i.id)) setPicked({ ...picked, ids: picked.ids.filter((p) => p !== i.id) });
		else if (pickable(i)) setPicked({ like: i.like, ids: [...picked.ids, i.id] });
	};
	/** Picks what is alike the row that is stood on, or what is picked: however many there are, also out of sight. */
	const alike = async () => {
		const id = picked.ids[0] ?? here?.id;
		const like = picked.ids.length > 0 ? picked.like : here?.like;
		if (id === undefined || like === undefined || !(picked.ids.length > 0 || here?.mine)) return;
		try {
			const ids = await data(api.GET("/api/review-items/{id}/alike", { params: { path: { id } } }));
			setPicked((before) => ({ like, ids: [...new Set([...before.ids, ...ids])] }));
		} catch (e) {
			refuse(e as Error);
		}
	};
	const press = (e: KeyboardEvent) => {
		if (typing(e) || e.ctrlKey || e.metaKey || e.altKey || paused || handing || document.querySelector("[role=dialog]"))
			return;
		const acts: Record<string, () => void> = {
			ArrowDown: () => grid.current?.go(at + 1),
			ArrowUp: () => grid.current?.go(at - 1),
			" ": () => toggle(here),
			a: alike,
			k: () => say("keep"),
			r: () => say("revoke"),
			u: () => say(""),
			h: () => here?.mine && deciding && setHanding(here),
		};
		const act = acts[e.key] ?? acts[e.key.toLowerCase()];
		if (act) {
			e.preventDefault();
			act();
		}
	};
	useEffect(() => {
		window.addEventListener("keydown", press);
		return () => window.removeEventListener("keydown", press);
	});
	const columns: Column<Item>[] = [
		{
			id: "picked",
			header: () => <span className="sr-only">Picked</span>,
			cell: ({ row: { original: i } }) =>
				i.mine &&
				deciding && (
					<input
						type="checkbox"
						tabIndex={-1} // Space on the row picks it
						aria-label={`Pick ${i.subject.name}`}
						checked={picked.ids.includes(i.id)}
						disabled={!pickable(i) && !picked.ids.includes(i.id)}
						onChange={() => toggle(i)}
					/>
				),
			meta: { width: "20px" },
		},
		...columnsOf(r.ask === ""),
	];
	if (error && !first) return <Failed error={error} retry={retry} />;
	if (!first) return <Waiting />;
	return (
		<div className="flex min-h-0 grow flex-col px-[18px]">
			<div className="flex shrink-0 items-center gap-4 py-2">
				<select
					aria-label="Which items"
					className="field !w-auto"
					value={only}
					onChange={(e) => {
						setOnly(e.target.value as typeof only);
						setPicked(none); // what one decides about stands in sight
					}}
				>
					<option value="all">all items</option>
					<option value="open">undecided</option>
					<option value="mine">for me</option>
				</select>
				{deciding && r.mine > 0 ? (
					<>
						<button type="button" className="action" onClick={alike}>
							Take all alike <kbd>A</kbd>
						</button>
						<input
							id="grid-reason"
							aria-label="Reason, if you revoke"
							className={`field max-w-[300px] ${wanting ? "!border-ox" : ""}`}
							placeholder={wanting ? "say why, then press Enter" : "reason, if you revoke"}
							maxLength={1000}
							value={reason}
							onChange={(e) => setReason(e.target.value)}
							onKeyDown={(e) => {
								if (e.key === "Enter" && reason.trim()) say("revoke");
								if (e.key === "Escape") e.currentTarget.blur();
							}}
						/>
						<button type="button" className="action main" disabled={chosen.length === 0} onClick={() => say("keep")}>
							Keep {chosen.length > 1 && chosen.length} <kbd>K</kbd>
						</button>
						<button
							type="button"
							className="action danger"
							disabled={chosen.length === 0}
							onClick={() => say("revoke")}
						>
							Revoke {chosen.length > 1 && chosen.length} <kbd>R</kbd>
						</button>
						<button type="button" className="action" disabled={chosen.length === 0} onClick={() => say("")}>
							Take back <kbd>U</kbd>
						</button>
						<span className="text-[12px] text-quiet">Space picks a row; only like items go together.</span>
					</>
				) : null}
			</div>
			<Grid
				label="Items"
				columns={columns}
				count={total}
				rowAt={rowAt}
				need={need}
				keyOf={(i) => String(i.id)}
				marks={(i) => ({ "data-item": i.id })}
				at={at}
				onAt={setCursor}
				handle={grid}
				empty={only === "open" ? "All of them are decided." : "There are no such items."}
			/>
			{handing && <HandBoard item={handing} onClose={() => setHanding(null)} />}
		</div>
	);
}

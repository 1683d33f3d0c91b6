import { useEffect, useRef, useState } from "react";
import type { Schemas } from "../api/client";
import { useHouse } from "../house/context";
import { typing, typingIn } from "../house/Keys";
import { acting } from "../house/rights";
import { type Column, Grid, type GridHandle } from "../parts/Grid";
import { count, day, riskWords } from "../parts/words";
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

/** What is known of an item, a column each. */
const evidence = [
	column("Person", "minmax(130px,2fr)", (i) => i.user.name, {
		look: () => "font-semibold",
		title: (i) => `${i.user.name}, ${i.note}`,
	}),
	column("Access", "minmax(130px,2fr)", (i) => i.target.name),
	column("Held", "minmax(110px,1.6fr)", held, { look: () => "text-quiet" }),
	column("Since", "88px", (i) => (i.evidence?.since ? day(i.evidence.since) : "—")),
	column("Last used", "88px", (i) => (i.evidence?.lastUse ? `${count(i.evidence.idleDays, "day", "days")} ago` : "—"), {
		look: (i) => ((i.evidence?.idleDays ?? 0) >= 90 ? "font-semibold text-ochre" : ""),
	}),
	column("Peers", "76px", (i) =>
		i.evidence && i.evidence.peers > 0 ? `${i.evidence.alike} of ${i.evidence.peers}` : "—",
	),
	column("Risk", "66px", (i) => riskWords[i.evidence?.risk ?? 0], {
		look: (i) => (i.evidence?.risk === 3 ? "font-semibold text-ox" : "text-ochre"),
	}),
	column("Against it", "minmax(90px,1.6fr)", (i) => i.evidence?.doubts.join("; ") ?? "", { look: () => "text-ochre" }),
	column("Decision", "88px", (i) => (i.decision || i.mine ? marks[i.decision].text : `for ${i.reviewer.name}`), {
		look: (i) => `font-semibold ${marks[i.decision].look}`,
		title: (i) => i.reason,
	}),
];

/** The same items in rows, with the evidence in columns. Several can be decided at once if they are alike. */
export function ReviewGrid({ detail, paused }: { detail: Schemas["ReviewDetail"]; paused: boolean }) {
	const { review: r } = detail;
	const { me } = useHouse();
	const decide = useDecide();
	const [only, setOnly] = useState<"all" | "open" | "mine">(detail.all ? "all" : "open");
	const [cursor, setCursor] = useState(0);
	const [picked, setPicked] = useState<number[]>([]);
	const [reason, setReason] = useState("");
	const [handing, setHanding] = useState<Item | null>(null);
	const [wanting, setWanting] = useState(false);
	const items = detail.items.filter(
		(i) => only === "all" || (only === "open" ? !i.decision && (i.mine || detail.all) : i.mine),
	);
	const at = Math.min(cursor, Math.max(0, items.length - 1));
	const grid = useRef<GridHandle>(null);
	const deciding = acting(me) && !r.closed;
	const first = items.find((i) => i.id === picked[0]);
	const pickable = (i: Item) => deciding && i.mine && (!first || i.like === first.like);
	const chosen = picked.length > 0 ? picked : items[at]?.mine ? [items[at].id] : [];
	const say = (decision: Decision) => {
		if (chosen.length === 0 || !deciding) return;
		if (decision === "revoke" && reason.trim() === "") {
			setWanting(true);
			document.getElementById("grid-reason")?.focus();
			return;
		}
		decide.mutate(
			{ items: chosen, decision, reason: decision === "revoke" ? reason : undefined },
			{ onSuccess: () => setPicked([]) },
		);
		setReason("");
		setWanting(false);
		if (typingIn(document.activeElement)) document.activeElement.blur(); // the keys decide again
	};
	const toggle = (i?: Item) =>
		i &&
		(picked.includes(i.id) ? setPicked(picked.filter((p) => p !== i.id)) : pickable(i) && setPicked([...picked, i.id]));
	const alike = () => {
		const like = first ?? items[at];
		if (like?.mine)
			setPicked(
				items.filter((i) => i.mine && i.like === like.like && (!i.decision || picked.includes(i.id))).map((i) => i.id),
			);
	};
	const press = (e: KeyboardEvent) => {
		if (typing(e) || e.ctrlKey || e.metaKey || e.altKey || paused || handing || document.querySelector("[role=dialog]"))
			return;
		const acts: Record<string, () => void> = {
			ArrowDown: () => grid.current?.go(at + 1),
			ArrowUp: () => grid.current?.go(at - 1),
			" ": () => toggle(items[at]),
			a: alike,
			k: () => say("keep"),
			r: () => say("revoke"),
			u: () => say(""),
			h: () => items[at]?.mine && deciding && setHanding(items[at]),
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
						aria-label={`Pick ${i.user.name}`}
						checked={picked.includes(i.id)}
						disabled={!pickable(i) && !picked.includes(i.id)}
						onChange={() => toggle(i)}
					/>
				),
			meta: { width: "20px" },
		},
		...evidence,
	];
	return (
		<div className="flex min-h-0 grow flex-col px-[18px]">
			<div className="flex shrink-0 items-center gap-4 py-2">
				<select
					aria-label="Which items"
					className="field !w-auto"
					value={only}
					onChange={(e) => setOnly(e.target.value as typeof only)}
				>
					<option value="all">all items</option>
					<option value="open">undecided</option>
					<option value="mine">for me</option>
				</select>
				{deciding && detail.items.some((i) => i.mine) ? (
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
				count={items.length}
				rowAt={(i) => items[i]}
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

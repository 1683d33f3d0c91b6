import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef, useState } from "react";
import type { Schemas } from "../api/client";
import { useHouse } from "../house/context";
import { typing, typingIn } from "../house/Keys";
import { acting } from "../house/rights";
import { count, day, riskWords } from "../parts/words";
import { type Decision, marks, useDecide } from "./decide";
import { HandBoard } from "./HandBoard";

type Item = Schemas["ReviewItem"];

const pitch = 32;
const widths = "28px minmax(130px,2fr) minmax(130px,2fr) minmax(110px,1.6fr) 92px 92px 84px 70px minmax(90px,1.6fr) 92px";

/** The same items in rows, with the evidence in columns. Several can be decided at once if they are alike. */
export function ReviewGrid({ detail, paused }: { detail: Schemas["ReviewDetail"]; paused: boolean }) {
	const { review: r } = detail;
	const { me } = useHouse();
	const decide = useDecide();
	const scroll = useRef<HTMLDivElement>(null);
	const [only, setOnly] = useState<"all" | "open" | "mine">(detail.all ? "all" : "open");
	const [cursor, setCursor] = useState(0);
	const [picked, setPicked] = useState<number[]>([]);
	const [reason, setReason] = useState("");
	const [handing, setHanding] = useState<Item | null>(null);
	const [wanting, setWanting] = useState(false);
	const items = detail.items.filter((i) => only === "all" || (only === "open" ? !i.decision && (i.mine || detail.all) : i.mine));
	const at = Math.min(cursor, Math.max(0, items.length - 1));
	const list = useVirtualizer({
		count: items.length,
		getScrollElement: () => scroll.current,
		estimateSize: () => pitch,
		overscan: 10,
		scrollPaddingStart: 30,
	});
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
		decide.mutate({ items: chosen, decision, reason: decision === "revoke" ? reason : undefined }, { onSuccess: () => setPicked([]) });
		setReason("");
		setWanting(false);
		if (typingIn(document.activeElement)) document.activeElement.blur(); // the keys decide again
	};
	const toggle = (i?: Item) =>
		i && (picked.includes(i.id) ? setPicked(picked.filter((p) => p !== i.id)) : pickable(i) && setPicked([...picked, i.id]));
	const alike = () => {
		const like = first ?? items[at];
		if (like?.mine) setPicked(items.filter((i) => i.mine && i.like === like.like && (!i.decision || picked.includes(i.id))).map((i) => i.id));
	};
	const press = (e: KeyboardEvent) => {
		if (typing(e) || e.ctrlKey || e.metaKey || e.altKey || paused || handing || document.querySelector("[role=dialog]")) return;
		const move = (to: number) => {
			const next = Math.min(items.length - 1, Math.max(0, to));
			setCursor(next);
			list.scrollToIndex(next);
		};
		const acts: Record<string, () => void> = {
			ArrowDown: () => move(at + 1),
			ArrowUp: () => move(at - 1),
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
	return (
		<div className="flex min-h-0 grow flex-col px-[18px]">
			<div className="flex shrink-0 items-center gap-4 py-2">
				<select aria-label="Which items" className="field !w-auto" value={only} onChange={(e) => setOnly(e.target.value as typeof only)}>
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
						<button type="button" className="action danger" disabled={chosen.length === 0} onClick={() => say("revoke")}>
							Revoke {chosen.length > 1 && chosen.length} <kbd>R</kbd>
						</button>
						<button type="button" className="action" disabled={chosen.length === 0} onClick={() => say("")}>
							Take back <kbd>U</kbd>
						</button>
						<span className="text-[12px] text-quiet">Space picks a row; only like items go together.</span>
					</>
				) : null}
			</div>
			{/* biome-ignore lint/a11y/noNoninteractiveTabindex: the rows are gone through by arrows */}
			<div ref={scroll} role="table" aria-label="Items" aria-rowcount={items.length + 1} tabIndex={0} className="relative min-h-0 grow overflow-auto">
				<div role="rowgroup" className="sticky top-0 z-10 border-b-[3px] border-[var(--beam)] bg-plaster">
					<div role="row" tabIndex={-1} className="grid gap-x-3 py-1 text-[12px] text-quiet" style={{ gridTemplateColumns: widths }}>
						{["", "Person", "Access", "Held", "Since", "Last used", "Peers", "Risk", "Against it", "Decision"].map((h) => (
							<span key={h} role="columnheader" tabIndex={-1}>
								{h || <span className="sr-only">Picked</span>}
							</span>
						))}
					</div>
				</div>
				{items.length === 0 && <p className="py-4 text-quiet">{only === "open" ? "All of them are decided." : "There are no such items."}</p>}
				<div role="rowgroup" className="relative" style={{ height: list.getTotalSize() }}>
					{list.getVirtualItems().map((v) => {
						const i = items[v.index];
						const e = i.evidence;
						const held = [i.byHand && "by hand", ...i.groups.map((g) => g.name)].filter(Boolean).join(", ");
						return (
							// biome-ignore lint/a11y/useKeyWithClickEvents: the grid hears the keys
							<div
								key={i.id}
								role="row"
								tabIndex={-1}
								data-item={i.id}
								aria-rowindex={v.index + 2}
								onClick={() => setCursor(v.index)}
								style={{ transform: `translateY(${v.start}px)`, gridTemplateColumns: widths }}
								className={`absolute inset-x-0 top-0 grid h-[32px] items-center gap-x-3 border-b border-hair ${v.index === at ? "bg-sunk shadow-[inset_4px_0_0_var(--slate)]" : ""}`}
							>
								<span role="cell" className="pl-2">
									{i.mine && deciding && (
										<input
											type="checkbox"
											aria-label={`Pick ${i.user.name}`}
											checked={picked.includes(i.id)}
											disabled={!pickable(i) && !picked.includes(i.id)}
											onChange={() => toggle(i)}
										/>
									)}
								</span>
								<span role="cell" className="truncate font-semibold" title={`${i.user.name}, ${i.note}`}>
									{i.user.name}
								</span>
								<span role="cell" className="truncate">
									{i.target.name}
								</span>
								<span role="cell" className="truncate text-quiet" title={held}>
									{held}
								</span>
								<span role="cell" className="truncate">
									{e?.since ? day(e.since) : "—"}
								</span>
								<span role="cell" className={`truncate ${(e?.idleDays ?? 0) >= 90 ? "font-semibold text-ochre" : ""}`}>
									{e?.lastUse ? `${count(e.idleDays, "day", "days")} ago` : "—"}
								</span>
								<span role="cell">{e && e.peers > 0 ? `${e.alike} of ${e.peers}` : "—"}</span>
								<span role="cell" className={e?.risk === 3 ? "font-semibold text-ox" : "text-ochre"}>
									{e ? riskWords[e.risk] : ""}
								</span>
								<span role="cell" className="truncate text-ochre" title={e?.doubts.join("; ")}>
									{e?.doubts.join("; ")}
								</span>
								<span role="cell" className={`truncate font-semibold ${marks[i.decision].look}`} title={i.reason}>
									{i.decision || i.mine ? marks[i.decision].text : `for ${i.reviewer.name}`}
								</span>
							</div>
						);
					})}
				</div>
			</div>
			{handing && <HandBoard item={handing} onClose={() => setHanding(null)} />}
		</div>
	);
}

import { type RefObject, useEffect, useRef, useState } from "react";
import { type Node, nodeOf } from "./node";

/** A beam that is being drawn with the mouse, in the frame's own coordinates. */
export type Drag = { from: Node; x: number; y: number; startX: number; startY: number; over?: Node };

/** Lets the mouse draw a beam from one row to another. */
export function useDrag(
	frame: RefObject<HTMLDivElement | null>,
	enabled: boolean,
	onJoin: (from: Node, to: Node, names: [string, string]) => void,
): Drag | null {
	const [drag, setDrag] = useState<Drag | null>(null);
	const join = useRef(onJoin);
	join.current = onJoin;
	useEffect(() => {
		const box = frame.current;
		if (!box || !enabled) return;
		let start: { row: HTMLElement; x: number; y: number } | null = null;
		let drawn: Drag | null = null;
		const rowAt = (e: PointerEvent) =>
			document.elementFromPoint(e.clientX, e.clientY)?.closest<HTMLElement>("[data-node]") ?? null;
		const down = (e: PointerEvent) => {
			const row = (e.target as HTMLElement).closest<HTMLElement>("[data-node]");
			if (row && e.button === 0) start = { row, x: e.clientX, y: e.clientY };
		};
		const move = (e: PointerEvent) => {
			if (!start || (!drawn && Math.hypot(e.clientX - start.x, e.clientY - start.y) < 8)) return;
			const from = nodeOf(start.row.dataset.node ?? null);
			const edge = box.getBoundingClientRect();
			const r = start.row.getBoundingClientRect();
			if (!from) return;
			const right = e.clientX > r.left + r.width / 2;
			drawn = {
				from,
				x: e.clientX - edge.left,
				y: e.clientY - edge.top,
				startX: (right ? r.right : r.left) - edge.left,
				startY: r.top + r.height / 2 - edge.top,
				over: nodeOf(rowAt(e)?.dataset.node ?? null),
			};
			setDrag(drawn);
		};
		const up = (e: PointerEvent) => {
			const target = rowAt(e);
			const to = nodeOf(target?.dataset.node ?? null);
			if (drawn && to && start && target) {
				// The click that ends the drawing must not also move the focus.
				window.addEventListener("click", (c) => c.stopPropagation(), { capture: true, once: true });
				window.setTimeout(() => window.dispatchEvent(new Event("click")), 0);
				join.current(drawn.from, to, [start.row.dataset.name ?? drawn.from.id, target.dataset.name ?? to.id]);
			}
			start = null;
			drawn = null;
			setDrag(null);
		};
		const cancel = (e: KeyboardEvent) => {
			if (e.key === "Escape") {
				start = null;
				drawn = null;
				setDrag(null);
			}
		};
		box.addEventListener("pointerdown", down);
		window.addEventListener("pointermove", move);
		window.addEventListener("pointerup", up);
		window.addEventListener("keydown", cancel);
		return () => {
			box.removeEventListener("pointerdown", down);
			window.removeEventListener("pointermove", move);
			window.removeEventListener("pointerup", up);
			window.removeEventListener("keydown", cancel);
		};
	}, [frame, enabled]);
	return drag;
}

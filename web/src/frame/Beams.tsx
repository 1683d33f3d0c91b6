import { type RefObject, useEffect, useState } from "react";
import type { Schemas } from "../api/client";
import { bays, nameOf, type Row, same } from "./node";
import type { Drag } from "./useDrag";

type Line = { key: string; points: [number, number][]; beam: Schemas["Beam"] };

/** Measures where the rows stand, and draws the beams between those that can be seen. */
export function Beams({
	frame,
	picture,
	cursor,
	drag,
}: {
	frame: RefObject<HTMLDivElement | null>;
	picture?: Schemas["Picture"];
	cursor?: Row;
	drag: Drag | null;
}) {
	const [lines, setLines] = useState<Line[]>([]);
	const beams = picture?.beams;
	useEffect(() => {
		const box = frame.current;
		if (!box) return;
		let asked = 0;
		const measure = () => {
			asked = 0;
			setLines(beams ? lay(box, beams) : []);
		};
		const ask = () => {
			if (!asked) asked = requestAnimationFrame(measure);
		};
		const changed = new MutationObserver(ask);
		for (const list of box.querySelectorAll("[data-list]"))
			changed.observe(list, {
				childList: true,
				subtree: true,
				attributes: true,
				attributeFilter: ["style", "data-node", "data-lit"],
			});
		const resized = new ResizeObserver(ask);
		resized.observe(box);
		box.addEventListener("scroll", ask, { capture: true, passive: true });
		ask();
		return () => {
			changed.disconnect();
			resized.disconnect();
			box.removeEventListener("scroll", ask, { capture: true });
			cancelAnimationFrame(asked);
		};
	}, [frame, beams]);
	return (
		<svg
			aria-hidden="true"
			className="pointer-events-none absolute inset-0 h-full w-full overflow-hidden"
			data-beams={lines.length}
		>
			<title>Beams</title>
			{[1, 2, 3, 4].map((i) => (
				<line
					key={i}
					x1={`calc(18px + (100% - 36px + 44px) * ${i / 5} - 22px)`}
					x2={`calc(18px + (100% - 36px + 44px) * ${i / 5} - 22px)`}
					y1="0"
					y2="100%"
					stroke="var(--hair)"
					strokeWidth="3"
				/>
			))}
			{lines.map((l) => (
				<BeamLine key={l.key} line={l} lit={!!cursor && (same(l.beam.from, cursor) || same(l.beam.to, cursor))} />
			))}
			{drag && (
				<g>
					<line
						x1={drag.startX}
						y1={drag.startY}
						x2={drag.x}
						y2={drag.y}
						stroke="var(--ochre-line)"
						strokeWidth="3"
						strokeDasharray="7 5"
					/>
					<Peg x={drag.startX} y={drag.startY} color="var(--ochre-line)" />
					<Peg x={drag.x} y={drag.y} color="var(--ochre-line)" />
				</g>
			)}
		</svg>
	);
}

function Peg({ x, y, color }: { x: number; y: number; color: string }) {
	return <rect x={x - 3.5} y={y - 3.5} width="7" height="7" fill="var(--raised)" stroke={color} strokeWidth="1.5" />;
}

/** A beam tells by its shape how it holds: thick over the whole organisation, thin at an area, hollow if read-only, broken if it is only drafted. */
function BeamLine({ line, lit }: { line: Line; lit: boolean }) {
	const { beam, points } = line;
	const color =
		beam.draft === "new"
			? "var(--ochre-line)"
			: beam.draft === "cut"
				? "var(--ox)"
				: lit
					? "var(--slate)"
					: "var(--beam)";
	const whole = beam.relation === "assigned" && beam.terms.some((t) => t.whole);
	const width = whole ? 4 : beam.relation === "gives" ? 1.5 : 2;
	const readOnly =
		beam.relation === "assigned" && beam.terms.length > 0 && beam.terms.every((t) => t.mode === "read-only");
	const d = points.map(([x, y], i) => `${i ? "L" : "M"}${x.toFixed(1)} ${y.toFixed(1)}`).join("");
	const [start, end] = [points[0], points[points.length - 1]];
	const middle: [number, number] = [
		(points[points.length - 2][0] + end[0]) / 2,
		(points[points.length - 2][1] + end[1]) / 2,
	];
	return (
		<g className="light-up">
			<path
				d={d}
				fill="none"
				stroke={color}
				strokeWidth={readOnly ? 5 : width}
				strokeLinejoin="round"
				strokeDasharray={beam.draft === "new" ? "7 5" : beam.draft === "cut" ? "2 4" : undefined}
			/>
			{readOnly && <path d={d} fill="none" stroke="var(--plaster)" strokeWidth="2.5" />}
			{beam.draft === "cut" && (
				<path d={`M${middle[0] - 5} ${middle[1] - 5}l10 10m0 -10l-10 10`} stroke={color} strokeWidth="2.5" />
			)}
			<Peg x={start[0]} y={start[1]} color={color} />
			<Peg x={end[0]} y={end[1]} color={color} />
		</g>
	);
}

/** Where each row stands; only rows that can be seen in their list. */
function lay(box: HTMLElement, beams: Schemas["Beam"][]): Line[] {
	const edge = box.getBoundingClientRect();
	const at = new Map<string, DOMRect>();
	const tops: number[][] = [];
	const sides: DOMRect[] = [];
	for (const list of box.querySelectorAll<HTMLElement>("[data-list]")) {
		const view = list.getBoundingClientRect();
		const rows: number[] = [];
		for (const row of list.querySelectorAll<HTMLElement>("[data-row]")) {
			const r = row.getBoundingClientRect();
			rows.push(r.top - edge.top - 2.5, r.bottom - edge.top + 2.5);
			const middle = r.top + r.height / 2;
			if (row.dataset.lit && middle >= view.top && middle <= view.bottom) at.set(row.dataset.node ?? "", r);
		}
		tops.push(rows);
		sides.push(view);
	}
	const lines: Line[] = [];
	for (const beam of beams) {
		const a = at.get(nameOf(beam.from));
		const b = at.get(nameOf(beam.to));
		if (!a || !b) continue;
		const from = bays.findIndex((x) => x.kind === beam.from.kind);
		const to = bays.findIndex((x) => x.kind === beam.to.kind);
		const [ya, yb] = [a.top + a.height / 2 - edge.top, b.top + b.height / 2 - edge.top];
		const key = `${nameOf(beam.from)} ${nameOf(beam.to)}`;
		const right = a.right - edge.left;
		if (from === to) {
			const out = right + 13;
			lines.push({
				key,
				beam,
				points: [
					[right, ya + 7],
					[out, ya + (yb > ya ? 18 : -4)],
					[out, yb + (yb > ya ? -4 : 18)],
					[right, yb + 7],
				],
			});
			continue;
		}
		const points: [number, number][] = [[right, ya]];
		// A beam that passes a bay by runs between its rows, never across them.
		for (let i = from + 1; i < to; i++) {
			const wish = ya + ((yb - ya) * (i - from)) / (to - from);
			const gap =
				tops[i].length === 0
					? wish
					: tops[i].reduce((best, y) => (Math.abs(y - wish) < Math.abs(best - wish) ? y : best), tops[i][0]);
			points.push([sides[i].left - edge.left, gap], [sides[i].right - edge.left, gap]);
		}
		points.push([b.left - edge.left, yb]);
		lines.push({ key, beam, points });
	}
	return lines;
}

import { type RefObject, useEffect, useState } from "react";
import type { Schemas } from "../api/client";
import { bays, nameOf, type Row, same } from "./node";
import type { Drag } from "./useDrag";

type Point = [number, number];
type Line = { key: string; points: Point[]; beam: Schemas["Beam"] };

/**
 * Beams of one kind between a bay and one thing: drawn as one, with how many they are. Those whose row can be seen
 * come out of a rail beside their bay.
 */
type Bundle = { key: string; trunk: Line; rail: [Point, Point]; stubs: Line[]; count: number };
type Drawn = { lines: Line[]; bundles: Bundle[] };

/** How many beams are drawn one by one, at most, between a bay and one thing. */
const most = 8;

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
	const [{ lines, bundles }, setDrawn] = useState<Drawn>({ lines: [], bundles: [] });
	const beams = picture?.beams;
	useEffect(() => {
		const box = frame.current;
		if (!box) return;
		let asked = 0;
		const measure = () => {
			asked = 0;
			setDrawn(beams ? lay(box, beams) : { lines: [], bundles: [] });
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
			data-bundles={bundles.length}
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
				<BeamLine key={l.key} line={l} lit={touches(l, cursor)} />
			))}
			{bundles.map((b) => (
				<BundleLines key={b.key} bundle={b} cursor={cursor} />
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

const touches = (l: Line, row?: Row) => !!row && (same(l.beam.from, row) || same(l.beam.to, row));

/** A bundle: the stubs of the rows that can be seen, the rail that gathers them, and the one beam that carries them. */
function BundleLines({ bundle, cursor }: { bundle: Bundle; cursor?: Row }) {
	const lit = bundle.stubs.some((s) => touches(s, cursor));
	const { points } = bundle.trunk;
	const outwards = points[0][0] === bundle.rail[0][0];
	const [a, b] = outwards ? points.slice(-2) : points.slice(0, 2);
	const [x, y] = [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2];
	const width = 7 * String(bundle.count).length + 8;
	return (
		<g data-bundle={bundle.count}>
			<path
				d={`M${bundle.rail[0].join(" ")}L${bundle.rail[1].join(" ")}`}
				fill="none"
				stroke="var(--beam)"
				strokeWidth="2"
			/>
			{bundle.stubs.map((s) => (
				<BeamLine
					key={s.key}
					line={s}
					lit={touches(s, cursor)}
					ends={s.points[0][0] === bundle.rail[0][0] ? "end" : "start"}
				/>
			))}
			<BeamLine line={bundle.trunk} lit={lit} heavy ends={outwards ? "end" : "start"} />
			<rect
				x={x - width / 2}
				y={y - 8}
				width={width}
				height="16"
				fill="var(--raised)"
				stroke={lit ? "var(--slate)" : "var(--beam)"}
				strokeWidth="1.5"
			/>
			<text x={x} y={y + 4} textAnchor="middle" className="narrow fill-ink text-[11.5px] font-semibold">
				{bundle.count}
			</text>
		</g>
	);
}

function Peg({ x, y, color }: { x: number; y: number; color: string }) {
	return <rect x={x - 3.5} y={y - 3.5} width="7" height="7" fill="var(--raised)" stroke={color} strokeWidth="1.5" />;
}

/** A beam tells by its shape how it holds: thick over the whole organisation, thin at an area, hollow if read-only, broken if it is only drafted. */
function BeamLine({
	line,
	lit,
	heavy,
	ends = "both",
}: {
	line: Line;
	lit: boolean;
	heavy?: boolean;
	ends?: "both" | "start" | "end";
}) {
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
	const width = whole ? 4 : heavy ? 3 : beam.relation === "gives" ? 1.5 : 2;
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
			{ends !== "end" && <Peg x={start[0]} y={start[1]} color={color} />}
			{ends !== "start" && <Peg x={end[0]} y={end[1]} color={color} />}
		</g>
	);
}

/** What beams must have in common to be drawn as one. */
const style = (b: Schemas["Beam"]) =>
	[
		b.relation,
		b.draft,
		b.terms.some((t) => t.whole),
		b.terms.length > 0 && b.terms.every((t) => t.mode === "read-only"),
	].join(" ");

/**
 * Tells of each beam which bundle it is of, if of any: of one that runs together into one thing or, where that would
 * not be enough, out of one. What is drafted is drawn by itself.
 */
function bundled(beams: Schemas["Beam"][]): Map<string, Schemas["Beam"][]> {
	const by = new Map<string, Schemas["Beam"][]>();
	const put = (key: string, b: Schemas["Beam"]) => {
		const list = by.get(key);
		if (list) list.push(b);
		else by.set(key, [b]);
	};
	const plain = beams.filter((b) => !b.draft && b.from.kind !== b.to.kind);
	for (const b of plain) {
		put(`into ${nameOf(b.to)} ${b.from.kind} ${style(b)}`, b);
		put(`out ${nameOf(b.from)} ${b.to.kind} ${style(b)}`, b);
	}
	const taken = new Set<Schemas["Beam"]>();
	const out = new Map<string, Schemas["Beam"][]>();
	for (const [key, list] of [...by].sort((a, b) => b[1].length - a[1].length)) {
		const free = list.filter((b) => !taken.has(b));
		if (free.length <= most) continue;
		for (const b of free) taken.add(b);
		out.set(key, free);
	}
	return out;
}

/** Where each row stands; only rows that can be seen in their list. */
function lay(box: HTMLElement, beams: Schemas["Beam"][]): Drawn {
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
	const place = (kind: string) => bays.findIndex((x) => x.kind === kind);
	const y = (r: DOMRect) => r.top + r.height / 2 - edge.top;
	/** The way past the bays between two: between their rows, never across them. */
	const past = (from: number, to: number, ya: number, yb: number): Point[] => {
		const points: Point[] = [];
		for (let i = from + 1; i < to; i++) {
			const wish = ya + ((yb - ya) * (i - from)) / (to - from);
			const gap =
				tops[i].length === 0
					? wish
					: tops[i].reduce((best, y) => (Math.abs(y - wish) < Math.abs(best - wish) ? y : best), tops[i][0]);
			points.push([sides[i].left - edge.left, gap], [sides[i].right - edge.left, gap]);
		}
		return points;
	};
	const drawn: Drawn = { lines: [], bundles: [] };
	const gathered = new Set<Schemas["Beam"]>();
	const rails = new Map<string, number>(); // how many rails stand beside a bay
	for (const [key, list] of bundled(beams)) {
		for (const b of list) gathered.add(b);
		const into = key.startsWith("into");
		const one = into ? list[0].to : list[0].from;
		const end = at.get(nameOf(one));
		const seen = list.flatMap((b) => {
			const r = at.get(nameOf(into ? b.from : b.to));
			return r ? [{ b, r }] : [];
		});
		if (!end || seen.length === 0) continue;
		const [from, to] = [place(list[0].from.kind), place(list[0].to.kind)];
		const side = `${into} ${into ? from : to}`;
		const nth = rails.get(side) ?? 0;
		rails.set(side, nth + 1);
		const away = 9 + 4 * (nth % 3);
		const x = into ? seen[0].r.right - edge.left + away : seen[0].r.left - edge.left - away;
		const ys = seen.map((s) => y(s.r));
		const [top, bottom] = [Math.min(...ys), Math.max(...ys)];
		const ye = y(end);
		const meets = Math.min(bottom, Math.max(top, ye));
		const points: Point[] = into
			? [[x, meets], ...past(from, to, meets, ye), [end.left - edge.left, ye]]
			: [[end.right - edge.left, ye], ...past(from, to, ye, meets), [x, meets]];
		drawn.bundles.push({
			key,
			count: list.length,
			trunk: { key, beam: list[0], points },
			rail: [
				[x, top],
				[x, bottom],
			],
			stubs: seen.map(({ b, r }) => ({
				key: `${nameOf(b.from)} ${nameOf(b.to)}`,
				beam: b,
				points: into
					? [
							[r.right - edge.left, y(r)],
							[x, y(r)],
						]
					: [
							[x, y(r)],
							[r.left - edge.left, y(r)],
						],
			})),
		});
	}
	for (const beam of beams) {
		const a = at.get(nameOf(beam.from));
		const b = at.get(nameOf(beam.to));
		if (!a || !b || gathered.has(beam)) continue;
		const [from, to] = [place(beam.from.kind), place(beam.to.kind)];
		const [ya, yb] = [y(a), y(b)];
		const key = `${nameOf(beam.from)} ${nameOf(beam.to)}`;
		const right = a.right - edge.left;
		if (from === to) {
			const out = right + 13;
			drawn.lines.push({
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
		drawn.lines.push({
			key,
			beam,
			points: [[right, ya], ...past(from, to, ya, yb), [b.left - edge.left, yb]],
		});
	}
	return drawn;
}

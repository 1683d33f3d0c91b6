import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef } from "react";
import type { Schemas } from "../api/client";
import { Counts } from "../parts/Counts";
import { count } from "../parts/words";
import { Line } from "./Line";
import { type Verdict, verdicts } from "./verdicts";

type Row = Schemas["ImportRow"];

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
	onCorrect: (row: number, column: number, text: string, alike?: boolean) => void;
}) {
	const scroll = useRef<HTMLDivElement>(null);
	const list = useVirtualizer({
		count: file.match,
		getScrollElement: () => scroll.current,
		estimateSize: () => 33,
		overscan: 8,
	});
	const items = list.getVirtualItems();
	useEffect(() => need(items));
	// By keys: from fault to fault with the arrows, and on to the next one when a row is mended and its fault is gone.
	const left = useRef<number>(undefined);
	const toFault = (from: number, step: 1 | -1) => {
		const places = [...(scroll.current?.querySelectorAll<HTMLElement>("li:has(form)") ?? [])].sort(
			(a, b) => step * (Number(a.dataset.index) - Number(b.dataset.index)),
		);
		const next = places.find((e) => step * (Number(e.dataset.index) - from) >= 0);
		next?.querySelector<HTMLElement>("[data-suggestion], input:not([type=checkbox])")?.focus();
		return !!next;
	};
	useEffect(() => {
		if (left.current === undefined || busy) return;
		const at = document.activeElement;
		if (at && at !== document.body) {
			if (!scroll.current?.contains(at)) left.current = undefined; // one has gone elsewhere meanwhile
			return;
		}
		if (!toFault(left.current, 1) && !toFault(left.current, -1)) scroll.current?.focus();
		left.current = undefined;
	});
	const press = (e: React.KeyboardEvent) => {
		const place = (e.target as HTMLElement).closest<HTMLElement>("li:has(form)");
		const step = { ArrowDown: 1, ArrowUp: -1 }[e.key] as 1 | -1 | undefined;
		if (!place || !step) return;
		e.preventDefault();
		toFault(Number(place.dataset.index) + step, step);
	};
	const all = verdicts.reduce((n, v) => n + (file.counts[v.id] ?? 0), 0);
	return (
		<section aria-label="Rows" className="flex min-h-0 flex-col px-[14px]">
			<div className="flex flex-wrap items-baseline gap-x-3 gap-y-1 border-b-2 border-[var(--beam)] pb-1">
				<Counts
					all={count(all, "row", "rows")}
					kinds={verdicts}
					counts={file.counts}
					at={verdict}
					onAt={(v) => onVerdict(v ?? null)}
					data="data-verdict"
				/>
				<span className="grow" />
				<input
					aria-label="Words in the rows"
					className="field max-w-[150px]"
					placeholder="words …"
					value={words}
					onChange={(e) => onWords(e.target.value)}
				/>
			</div>
			<section
				ref={scroll}
				data-scrolls
				// biome-ignore lint/a11y/noNoninteractiveTabindex: the rows are scrolled by keys
				tabIndex={0}
				aria-label="Rows of the file"
				onKeyDown={press}
				aria-busy={busy}
				className={`min-h-0 grow overflow-auto ${busy ? "opacity-60 transition-opacity delay-200" : ""}`}
			>
				{file.match === 0 && (
					<p className="py-3 text-quiet">
						{verdict === "error" ? "Nothing is wrong with any row." : "No row is of this kind."}
					</p>
				)}
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
								{row ? (
									<Line
										file={file}
										row={row}
										onCorrect={(...correction) => {
											left.current = i.index;
											onCorrect(...correction);
										}}
									/>
								) : (
									"…"
								)}
							</li>
						);
					})}
				</ul>
			</section>
		</section>
	);
}

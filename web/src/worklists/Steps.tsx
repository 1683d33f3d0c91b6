import { useState } from "react";
import type { Schemas } from "../api/client";
import { number } from "../parts/words";
import { alterWorklist, resultOf, useListing } from "./hooks";
import { StepBoard } from "./StepBoard";

type Step = Schemas["WorklistStep"];
type Told = Schemas["WorklistToldStep"];

/** The steps of a worklist in their order, each with how many it does something to. */
export function Steps({ list }: { list: Schemas["Worklist"] }) {
	const alter = useListing(alterWorklist);
	const [board, setBoard] = useState<{ at?: number }>();
	const bare = ({ said, named, wrong, does, already, not, ...step }: Told): Step => step;
	const steps = list.steps.map(bare);
	const put = (next: Step[]) => alter.mutate({ id: list.id, body: { steps: next } });
	const move = (from: number, to: number) => {
		const next = steps.slice();
		const [one] = next.splice(from, 1);
		next.splice(to, 0, one);
		put(next);
	};
	const told = (s: Told) =>
		(["does", "already", "not"] as const)
			.filter((r) => s[r] > 0)
			.map((r) => (
				<span key={r} className={`whitespace-nowrap ${resultOf(r).tone}`} title={resultOf(r).name}>
					{resultOf(r).mark} {number(s[r])}
				</span>
			));
	return (
		<section aria-label="Steps" className="shrink-0">
			<div className="flex items-baseline gap-3 border-b-[3px] border-[var(--beam)]">
				<h2 className="grow text-[14px] font-bold">Steps</h2>
				<button type="button" className="link" onClick={() => setBoard({})}>
					Add a step …
				</button>
			</div>
			{list.steps.length === 0 ? (
				<p className="py-2 text-quiet">No step yet: choose what is to be done to all of them.</p>
			) : (
				<ol className="max-h-[150px] overflow-auto">
					{list.steps.map((s, i) => (
						// biome-ignore lint/suspicious/noArrayIndexKey: a step is its place
						<li key={i} className="flex items-baseline gap-3 border-b border-hair py-1">
							<span className="w-[16px] shrink-0 text-right font-bold">{i + 1}</span>
							<button
								type="button"
								className={`min-w-0 grow truncate text-left font-semibold hover:underline ${s.do === "delete" ? "text-ox" : ""}`}
								title={s.said}
								onClick={() => setBoard({ at: i })}
							>
								{s.said}
							</button>
							{s.wrong && (
								<span role="alert" className="font-semibold text-ox">
									✕ {s.wrong}
								</span>
							)}
							{told(s)}
							<span className="flex shrink-0 gap-2">
								<button
									type="button"
									className="link"
									aria-label={`Move step ${i + 1} up`}
									disabled={i === 0}
									onClick={() => move(i, i - 1)}
								>
									↑
								</button>
								<button
									type="button"
									className="link"
									aria-label={`Move step ${i + 1} down`}
									disabled={i === steps.length - 1}
									onClick={() => move(i, i + 1)}
								>
									↓
								</button>
								<button
									type="button"
									className="link"
									aria-label={`Drop step ${i + 1}`}
									onClick={() => put(steps.filter((_, n) => n !== i))}
								>
									Drop
								</button>
							</span>
						</li>
					))}
				</ol>
			)}
			{board && (
				<StepBoard
					step={board.at === undefined ? undefined : steps[board.at]}
					named={board.at === undefined ? [] : list.steps[board.at].named}
					onClose={() => setBoard(undefined)}
					onStep={(step) => {
						put(board.at === undefined ? [...steps, step] : steps.map((s, i) => (i === board.at ? step : s)));
						setBoard(undefined);
					}}
				/>
			)}
		</section>
	);
}

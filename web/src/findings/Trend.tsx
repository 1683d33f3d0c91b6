import { sayDay } from "../parts/days";
import { number } from "../parts/words";

type Props = {
	/** The last days of the weeks past, the oldest first. */
	weeks: string[];
	/** How many there were on each. */
	counts: number[];
	now: number;
};

/** How many findings there were at the ends of the weeks past and are now, as bars, the last of which is now. */
export function Bars({ weeks, counts, now, height, step }: Props & { height: number; step: number }) {
	const all = [...counts, now];
	const most = Math.max(1, ...all);
	return (
		<svg aria-hidden="true" width={all.length * step - 2} height={height} className="block shrink-0">
			<title>How many there were, week by week</title>
			{all.map((n, i) => {
				const tall = n === 0 ? 1 : Math.max(3, Math.round((height * n) / most));
				return (
					<rect
						key={weeks[i] ?? "now"}
						x={i * step}
						y={height - tall}
						width={step - 2}
						height={tall}
						fill="currentColor"
						opacity={i === all.length - 1 ? 1 : 0.45}
					/>
				);
			})}
		</svg>
	);
}

/** The same, with words: what it was, and whether it becomes more or less. */
export function Trend(p: Props) {
	if (p.weeks.length === 0) return null;
	const was = p.counts[0];
	const change = p.now - was;
	const least = Math.min(...p.counts, p.now);
	const most = Math.max(...p.counts, p.now);
	return (
		<figure aria-label="Week by week" className="flex shrink-0 items-end gap-3">
			<Bars {...p} height={34} step={9} />
			<figcaption className="text-[12px] leading-[17px] text-quiet">
				<span className={`block ${change > 0 ? "text-ochre" : change < 0 ? "text-moss" : ""}`}>
					{change === 0 ? "as many as" : `${number(Math.abs(change))} ${change > 0 ? "more" : "fewer"} than`} on{" "}
					{sayDay(p.weeks[0])}
				</span>
				{least === most ? `always ${number(most)}` : `between ${number(least)} and ${number(most)} since`}
			</figcaption>
		</figure>
	);
}

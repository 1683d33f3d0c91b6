import { useState } from "react";
import type { Schemas } from "../../api/client";
import { More } from "../../parts/More";
import { count, moment, Named, number } from "../../parts/words";

/** The ways in which a guarantee is broken, those of now first. */
export function Breaches({ of, most = 200 }: { of: Schemas["Kept"]; most?: number }) {
	const list = [...of.broken].sort((a, b) => Number(b.now) - Number(a.now));
	return (
		<ul>
			{list.slice(0, most).map((b) => (
				<li key={`${b.permission.id}${b.user?.id}${b.says}`} className="border-b border-hair py-1.5">
					<p>{b.says}</p>
					<p className="flex flex-wrap gap-x-3 text-[12px] text-quiet">
						<b className={b.now ? "text-ox" : "text-ochre"}>
							{b.now ? "now" : b.from ? `from ${moment(b.from)}` : "once they are live"}
						</b>
						{b.user && <Named of={b.user} />}
						{b.holders.map((h) => (
							<Named key={h.id} of={h} />
						))}
						{b.permission.id && <Named of={b.permission} />}
					</p>
				</li>
			))}
		</ul>
	);
}

/** Whether a guarantee is kept, in a few words, with the first that breaks it. */
export function KeptNow({ of }: { of: Schemas["Kept"] }) {
	const [most, setMost] = useState(6);
	if (of.trouble) return <p className="text-ox">{of.trouble}</p>;
	const all = of.now + of.later;
	return (
		<>
			<p className="mb-2 text-[15px] leading-snug">{of.says}</p>
			{all === 0 ? (
				<p className="font-semibold text-moss">✓ It holds today, and by all that is written to come.</p>
			) : (
				<p className="font-semibold text-ochre">
					{of.now > 0
						? `It is broken in ${count(of.now, "way", "ways")} today`
						: `It holds today, and will be broken in ${count(of.later, "way", "ways")}`}
					. Changes may not make that worse.
				</p>
			)}
			<Breaches of={of} most={most} />
			<More n={Math.min(all, of.broken.length) - most} onOpen={() => setMost(of.broken.length)} />
			{most > 6 && all > of.broken.length && (
				<p className="py-1 text-quiet">and {number(all - of.broken.length)} more</p>
			)}
		</>
	);
}

import { useState } from "react";
import type { Schemas } from "../../api/client";
import { Few } from "../../parts/More";
import { WaysTo } from "../../parts/Ways";
import { count, moment, Named } from "../../parts/words";

/** The ways in which a guarantee is broken, those of now first: the first few, and the others once they are asked for. */
export function Breaches({ of, most }: { of: Schemas["Kept"]; most: number }) {
	const list = [...of.broken].sort((a, b) => Number(b.now) - Number(a.now));
	return (
		<Few of={list} most={most} total={of.now + of.later}>
			{(shown, more) => (
				<>
					<ul>
						{shown.map((b) => (
							<BreachLine key={`${b.permission.id}${b.user?.id}${b.says}`} of={b} />
						))}
					</ul>
					{more && <p className="py-1.5">{more}</p>}
				</>
			)}
		</Few>
	);
}

/** One way in which a guarantee is broken; of one who holds something now, drawn by which way. */
function BreachLine({ of: b }: { of: Schemas["Kept"]["broken"][number] }) {
	const [open, setOpen] = useState(false);
	const users = b.user ? [b.user] : b.holders;
	return (
		<li className="border-b border-hair py-1.5">
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
				{b.now && users.length > 0 && b.permission.id && (
					<button type="button" className="link" aria-expanded={open} onClick={() => setOpen(!open)}>
						{open ? "Hide the way" : "By which way"}
					</button>
				)}
			</p>
			{open && (
				<div data-drawn className="mt-2 flex flex-wrap gap-x-8 gap-y-3">
					<Few of={users} most={4}>
						{(shown, more) => (
							<>
								{shown.map((u) => (
									<WaysTo key={u.id} user={u.id} permission={b.permission.id} most={4} />
								))}
								{more}
							</>
						)}
					</Few>
				</div>
			)}
		</li>
	);
}

/** Whether a guarantee is kept, in a few words, with the first that breaks it. */
export function KeptNow({ of }: { of: Schemas["Kept"] }) {
	if (of.trouble) return <p className="text-ox">{of.trouble}</p>;
	const all = of.now + of.later;
	return (
		<>
			<p className="mb-2 text-[15px] leading-snug">{of.says}</p>
			{all === 0 ? (
				<p className="font-semibold text-moss">✓ It holds today, and will as far as the design says.</p>
			) : (
				<p className="font-semibold text-ochre">
					{of.now > 0
						? `It is broken in ${count(of.now, "way", "ways")} today`
						: `It holds today, and will be broken in ${count(of.later, "way", "ways")}`}
					. Changes may not make that worse.
				</p>
			)}
			<Breaches of={of} most={6} />
		</>
	);
}

import { useState } from "react";
import type { Schemas } from "../api/client";
import { Bracket } from "../parts/Bracket";
import { DayField } from "../parts/DayField";
import { sayDay } from "../parts/days";
import { count } from "../parts/words";

const units = {
	WEEKLY: ["week", "weeks"],
	MONTHLY: ["month", "months"],
	YEARLY: ["year", "years"],
} as const;
type Unit = keyof typeof units;

/** The recurrence rule (RFC 5545, §3.3.10) of every so many weeks, months or years from a day; where a month is too short, on its last day. */
function ruleOf(every: number, unit: Unit, from: string): string {
	const date = Number(from.slice(8, 10));
	const short = unit === "MONTHLY" && date > 28;
	const days = short ? `;BYMONTHDAY=${Array.from({ length: date - 27 }, (_, i) => 28 + i).join(",")};BYSETPOS=-1` : "";
	return `FREQ=${unit};INTERVAL=${every}${days}`;
}

/** A rule in words, as far as it is one of those that are made here. */
export function ruleWords(rule: string): string {
	const made = partsOf(rule);
	if (!made) return `by the rule ${rule}`;
	const [one, many] = units[made.unit];
	return made.every === 1 ? `every ${one}` : `every ${made.every} ${many}`;
}

/** How often a rule comes round, if it is one of those that are made here. */
function partsOf(rule: string): { every: number; unit: Unit } | undefined {
	const parts = new Map(rule.split(";").map((p) => p.split("=", 2) as [string, string]));
	const unit = parts.get("FREQ") as Unit;
	if (!units[unit] || [...parts.keys()].some((k) => !["FREQ", "INTERVAL", "BYMONTHDAY", "BYSETPOS"].includes(k)))
		return undefined;
	return { every: Number(parts.get("INTERVAL") ?? 1), unit };
}

export type Returns = ReturnType<typeof useReturning>;

/** How a review returns by itself, and whom a discovery before each round finds: as a series does that is changed; else not at all, at first. */
export function useReturning(was?: Schemas["NewSeries"]) {
	const made = was && partsOf(was.rule);
	const [returns, setReturns] = useState(!!was);
	const [kept, setKept] = useState(was && !made ? was.rule : ""); // a rule that is not made here, while it is not replaced
	const [every, setEveryAs] = useState(made?.every ?? 3);
	const [unit, setUnitAs] = useState<Unit>(made?.unit ?? "MONTHLY");
	const setEvery = (n: number) => {
		setEveryAs(n);
		setKept("");
	};
	const setUnit = (u: Unit) => {
		setUnitAs(u);
		setKept("");
	};
	const [from, setFrom] = useState(was?.from.slice(0, 10) ?? "");
	const [time, setTime] = useState(was?.from.slice(11, 16) ?? "08:00");
	const [days, setDays] = useState(was?.days ?? 21);
	const [escalate, setEscalate] = useState(was?.escalate ?? 0);
	const [discover, setDiscover] = useState<Schemas["Discovery"] | null>(was?.discover ?? null);
	const said = returns &&
		from !== "" && {
			rule: kept || ruleOf(every, unit, from),
			from: `${from}T${time}`,
			days,
			escalate: escalate || undefined,
			discover: discover ?? undefined,
		};
	const often = !returns
		? "once"
		: from
			? `${kept ? ruleWords(kept) : every === 1 ? `every ${units[unit][0]}` : `every ${every} ${units[unit][1]}`} from ${sayDay(from)}`
			: "";
	const number = (label: string, value: number, set: (n: number) => void, least: number, most: number) => (
		<input
			type="number"
			aria-label={label}
			className="field !w-[72px]"
			min={least}
			max={most}
			value={value}
			onChange={(e) => set(Math.max(least, Math.min(most, Number(e.target.value) || least)))}
		/>
	);
	const oftenBracket = (
		<Bracket label="How often" text={often} empty="from a day on">
			{!was && (
				<>
					<label className="flex items-center gap-2 py-1">
						<input type="radio" name="often" checked={!returns} onChange={() => setReturns(false)} />
						once, now
					</label>
					<label className="flex items-center gap-2 py-1">
						<input type="radio" name="often" checked={returns} onChange={() => setReturns(true)} />
						by itself, again and again
					</label>
				</>
			)}
			{returns && (
				<div className="mt-1 pl-6">
					<p className="flex items-center gap-2">
						every {number("Interval", every, setEvery, 1, 99)}
						<select
							aria-label="Weeks, months or years"
							className="field !w-auto"
							value={unit}
							onChange={(e) => setUnit(e.target.value as Unit)}
						>
							{Object.entries(units).map(([id, [one, many]]) => (
								<option key={id} value={id}>
									{every === 1 ? one : many}
								</option>
							))}
						</select>
					</p>
					<p className="mt-2 flex items-center gap-2">
						from
						<DayField label="From which day" value={from} onChange={setFrom} />
						at
						<input
							type="time"
							aria-label="At which time"
							className="field !w-auto"
							value={time}
							onChange={(e) => setTime(e.target.value || "08:00")}
						/>
					</p>
					<p className="mt-1 text-[12px] text-quiet">
						In the organisation’s time zone. Rounds open and close by themselves, by your right to run reviews.
					</p>
				</div>
			)}
		</Bracket>
	);
	const daysBracket = (
		<Bracket label="For how long a round is open" text={`for ${count(days, "day", "days")}`} empty="">
			<p className="flex items-center gap-2">for {number("Days open", days, setDays, 1, 366)} days</p>
			<label className="mt-3 flex items-center gap-2">
				<input type="checkbox" checked={escalate > 0} onChange={(e) => setEscalate(e.target.checked ? 50 : 0)} />
				what is undecided goes to the fallback
			</label>
			{escalate > 0 && (
				<p className="mt-1 flex items-center gap-2 pl-6">
					after {number("Percent of the time", escalate, setEscalate, 1, 95)} % of that time
				</p>
			)}
		</Bracket>
	);
	const foundBracket = (
		<Bracket
			label="Whether only who has not used it is asked about"
			text={discover ? `who has not used it for ${count(discover.days, "day", "days")}` : "whether they use it or not"}
			empty=""
		>
			<label className="flex items-center gap-2 py-1">
				<input type="radio" name="discover" checked={!discover} onChange={() => setDiscover(null)} />
				whether they use it or not
			</label>
			<label className="flex items-center gap-2 py-1">
				<input
					type="radio"
					name="discover"
					checked={!!discover}
					onChange={() => setDiscover({ days: 90, ahead: 1, most: 0 })}
				/>
				only who has not used the system
			</label>
			{discover && (
				<div className="pl-6">
					<p className="flex items-center gap-2">
						for {number("Days not used", discover.days, (n) => setDiscover({ ...discover, days: n }), 1, 3660)} days
					</p>
					<p className="mt-2 flex items-center gap-2">
						found {number("Days before", discover.ahead, (n) => setDiscover({ ...discover, ahead: n }), 0, 60)} days
						before each opening
					</p>
					<p className="mt-2 flex items-center gap-2">
						at most {number("People at most", discover.most, (n) => setDiscover({ ...discover, most: n }), 0, 5000)}{" "}
						{discover.most === 0 ? "people: all" : "people"}
					</p>
					<p className="mt-1 text-[12px] text-quiet">
						Name the system under what they have. Who was given it within these days is left out.
					</p>
				</div>
			)}
		</Bracket>
	);
	return { returns, said, days, oftenBracket, daysBracket, foundBracket };
}

import { useState } from "react";
import { Link } from "react-router";
import { type Ask, useAsk } from "../../api/ask";
import { data, type Schemas } from "../../api/client";
import { design } from "../../api/hooks";
import { useTo } from "../../house/lens";
import { now } from "../../parts/days";
import { Loaded } from "../../parts/loading";
import { day, lastDay, Named } from "../../parts/words";

const spansOffered = [
	{ months: 3, name: "3 months" },
	{ months: 12, name: "a year" },
	{ months: 36, name: "3 years" },
];

/** What somebody has been given, over time, as bands: what began and ended, and by which revision. */
export function TimeBands({ person }: { person: Schemas["Ref"] }) {
	const [months, setMonths] = useState(12);
	const [today] = useState(() => new Date(now()));
	const from = new Date(today);
	from.setUTCMonth(from.getUTCMonth() - months);
	const until = new Date(today);
	until.setUTCMonth(until.getUTCMonth() + Math.max(1, Math.round(months / 4)));
	const query = useAsk({
		queryKey: [...design, "timeline", person.id, months],
		queryFn: (ask: Ask) =>
			data(
				ask.GET("/api/people/{id}/timeline", {
					params: { path: { id: person.id }, query: { from: from.toISOString(), until: until.toISOString() } },
				}),
			),
	});
	return (
		<div className="flex min-h-0 grow flex-col px-[18px] py-3">
			<div className="flex items-baseline gap-4">
				<span className="text-quiet">Looking back</span>
				{spansOffered.map((s) => (
					<button
						key={s.months}
						type="button"
						aria-pressed={s.months === months}
						className={s.months === months ? "border-b-[3px] border-slate font-bold" : "link"}
						onClick={() => setMonths(s.months)}
					>
						{s.name}
					</button>
				))}
			</div>
			<Loaded query={query}>{(t) => <Chart line={t} name={person.name} />}</Loaded>
		</div>
	);
}

type Chosen = { band: Schemas["Band"]; span: Schemas["Span"] };

function Chart({ line: t, name }: { line: Schemas["Timeline"]; name: string }) {
	const [chosen, setChosen] = useState<Chosen>();
	const start = Date.parse(t.from);
	const whole = Date.parse(t.until) - start;
	const at = (instant: string) => Math.min(100, Math.max(0, (100 * (Date.parse(instant) - start)) / whole));
	const now = at(t.now);
	if (t.bands.length === 0) return <p className="mt-4 text-quiet">{name} had nothing in this time.</p>;
	return (
		<>
			<div className="mt-3 grid grid-cols-[250px_minmax(0,1fr)] border-b-[3px] border-[var(--beam)] text-[12px] text-quiet">
				<span>What, and how</span>
				<div className="relative h-[18px]">
					{months(t.from, t.until).map((m) => (
						<span key={m.instant} className="absolute whitespace-nowrap" style={{ left: `${at(m.instant)}%` }}>
							{m.name}
						</span>
					))}
				</div>
			</div>
			<div className="relative min-h-0 grow overflow-auto">
				{t.bands.map((b) => (
					<div
						key={`${b.target.kind}${b.target.id}${b.group?.id ?? ""}${b.where}`}
						data-band
						className="grid grid-cols-[250px_minmax(0,1fr)] items-center border-b border-hair"
					>
						<div className="min-w-0 py-1 pr-3">
							<p className="truncate">
								<Named of={b.target} />
							</p>
							<p
								className="truncate text-[12px] text-quiet"
								title={`${b.where}, ${b.group ? `by ${b.group.name}` : "by hand"}`}
							>
								{b.where}, {b.group ? `by ${b.group.name}` : "by hand"}
							</p>
						</div>
						<div className="relative h-[34px]">
							<span aria-hidden className="absolute inset-y-0 w-[2px] bg-slate" style={{ left: `${now}%` }} />
							{b.spans.map((s) => {
								const left = at(s.from);
								const right = s.until ? at(s.until) : 100;
								const past = !!s.until && Date.parse(s.until) <= Date.parse(t.now);
								const coming = Date.parse(s.from) > Date.parse(t.now);
								const on = chosen?.span === s;
								return (
									<button
										key={s.from}
										type="button"
										aria-label={`${b.target.name}: ${told(s)}`}
										title={told(s)}
										aria-pressed={on}
										onClick={() => setChosen(on ? undefined : { band: b, span: s })}
										className={`absolute top-[7px] h-[20px] min-w-[5px] border-[1.5px] ${coming ? "border-dashed border-ochre-line" : past ? "border-[var(--quiet)] bg-hair" : "border-moss bg-moss"} ${s.began ? "border-l-[5px]" : ""} ${on ? "outline-[3px] outline-offset-1 outline-slate" : ""}`}
										style={{ left: `${left}%`, width: `${Math.max(0.3, right - left)}%` }}
									/>
								);
							})}
						</div>
					</div>
				))}
			</div>
			<div className="shrink-0 border-t-[3px] border-[var(--beam)] py-2">
				{chosen ? (
					<Told chosen={chosen} />
				) : (
					<p className="text-quiet">
						Green: in force. Grey: over. Dashed: coming. The upright line is now. Choose a band to read what began and
						ended it.
						{t.cut && " The record goes back further than this shows."}
					</p>
				)}
			</div>
		</>
	);
}

/** The months to be named, not too many of them. */
function months(from: string, until: string) {
	const out: { instant: string; name: string }[] = [];
	const d = new Date(from);
	d.setUTCDate(1);
	d.setUTCHours(0, 0, 0, 0);
	d.setUTCMonth(d.getUTCMonth() + 1);
	const all = (Date.parse(until) - Date.parse(from)) / (30 * 86400e3);
	const step = all > 30 ? 6 : all > 10 ? 2 : 1;
	const form = new Intl.DateTimeFormat("en-GB", { month: "short", year: "numeric", timeZone: "UTC" });
	while (d.toISOString() < until) {
		out.push({ instant: d.toISOString(), name: form.format(d) });
		d.setUTCMonth(d.getUTCMonth() + step);
	}
	return out;
}

const told = (s: Schemas["Span"]) =>
	`${s.began ? "from" : "since before"} ${day(s.from)}${s.until ? ` until ${lastDay(s.until)}` : ", no end is known"}`;

function Told({ chosen: { band: b, span: s } }: { chosen: Chosen }) {
	return (
		<>
			<p>
				<b>{b.target.name}</b> {b.where}, {b.group ? <>by {b.group.name}</> : "by hand"}: {told(s)}.
			</p>
			<Turned verb="Began" turn={s.began} when={s.from} />
			{s.until && <Turned verb="Ended" turn={s.ended} when={s.until} />}
		</>
	);
}

function Turned({ verb, turn, when }: { verb: string; turn?: Schemas["Turn"]; when: string }) {
	const to = useTo();
	if (!turn) return null;
	return (
		<p className="text-quiet">
			{verb} on {day(when)}{" "}
			{turn.revision ? (
				<>
					by{" "}
					<Link className="link" to={to(`/history#revision-${turn.revision}`)}>
						revision {turn.revision}
					</Link>
					{turn.who && ` of ${turn.who}`}
					{turn.why && `: ${turn.why}`}
				</>
			) : (
				"by the date that was set for it"
			)}
		</p>
	);
}

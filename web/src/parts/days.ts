/**
 * Days as people give and read them. A day is written as `2026-12-19`, and begins and ends in the organisation's time
 * zone; it is shown in the form of the reader's own language.
 */

let zone = "UTC";
let ahead = 0; // by how many milliseconds the server's clock is ahead of the reader's

/** Takes over the organisation's time zone, and what time it is there. */
export function setClock(of: { zone: string; now: string }, received: number) {
	zone = of.zone;
	ahead = Date.parse(of.now) - received;
}

const locale = typeof navigator === "undefined" ? "en-GB" : navigator.language;

/** The parts of an instant in the organisation's time zone. */
function inZone(at: number) {
	const parts: Record<string, string> = {};
	for (const p of new Intl.DateTimeFormat("en-GB", {
		timeZone: zone,
		year: "numeric",
		month: "2-digit",
		day: "2-digit",
		hour: "2-digit",
		minute: "2-digit",
		second: "2-digit",
		hourCycle: "h23",
	}).formatToParts(at))
		parts[p.type] = p.value;
	return {
		day: `${parts.year?.padStart(4, "0")}-${parts.month}-${parts.day}`,
		time: `${parts.hour}:${parts.minute}:${parts.second}`,
	};
}

/** What time it is by the server's clock, in milliseconds: the reader's own may be wrong. */
export const now = () => Date.now() + ahead;

/** Today, where the organisation is. */
export const today = () => inZone(now()).day;

/** The day of an instant; nothing of none. */
export const dayOf = (instant?: string) => (instant ? inZone(Date.parse(instant)).day : "");

/** The instant at which a day begins; none of none. */
export function beginOf(day: string): string | undefined {
	if (!day) return undefined;
	const wall = Date.parse(`${day}T00:00:00Z`);
	const offset = (at: number) => {
		const there = inZone(at);
		return Date.parse(`${there.day}T${there.time}Z`) - at;
	};
	let at = wall - offset(wall);
	at = wall - offset(at); // where a clock is put forward or back in between
	return new Date(at).toISOString().replace(".000Z", "Z");
}

/** Some days later, or earlier. */
export function plus(day: string, days: number, months = 0): string {
	const [y, m, d] = day.split("-").map(Number) as [number, number, number];
	if (!months) return new Date(Date.UTC(y, m - 1, d + days)).toISOString().slice(0, 10);
	const last = new Date(Date.UTC(y, m + months, 0)).getUTCDate(); // 31 January and a month is the last of February
	return new Date(Date.UTC(y, m - 1 + months, Math.min(d, last) + days)).toISOString().slice(0, 10);
}

/** The last day before something ends: the day before, if it ends as a day begins. */
export function lastDayOf(instant?: string): string {
	if (!instant) return "";
	return inZone(Date.parse(instant) - 1).day;
}

/** When something ends whose last day is given. */
export const endOf = (lastDay: string) => (lastDay ? beginOf(plus(lastDay, 1)) : undefined);

/** When something begins or ends by a day that was chosen. What was not touched keeps its hour. */
export const beginLike = (day: string, was?: string) => (day === dayOf(was) ? was : beginOf(day));
export const endLike = (lastDay: string, was?: string) => (lastDay === lastDayOf(was) ? was : endOf(lastDay));

const utc = (day: string) => Date.parse(`${day}T00:00:00Z`);
const forms = {
	day: new Intl.DateTimeFormat(locale, { day: "numeric", month: "short", year: "numeric", timeZone: "UTC" }),
	full: new Intl.DateTimeFormat(locale, {
		weekday: "long",
		day: "numeric",
		month: "long",
		year: "numeric",
		timeZone: "UTC",
	}),
};

/** A day, as the reader writes it. */
export const sayDay = (day: string) => (day ? forms.day.format(utc(day)) : "");
export const sayFully = (day: string) => (day ? forms.full.format(utc(day)) : "");

const momentForms = new Map<string, Intl.DateTimeFormat>();
export function sayMoment(instant: string): string {
	let form = momentForms.get(zone);
	if (!form) {
		form = new Intl.DateTimeFormat(locale, {
			day: "numeric",
			month: "short",
			year: "numeric",
			hour: "2-digit",
			minute: "2-digit",
			timeZone: zone,
		});
		momentForms.set(zone, form);
	}
	return form.format(new Date(instant));
}

/** The first day of the week, from 0 for Sunday, as the reader's calendar has it. */
export function weekBegins(): 0 | 1 | 6 {
	type Week = { firstDay: number };
	const of = new Intl.Locale(locale) as Intl.Locale & { getWeekInfo?: () => Week; weekInfo?: Week };
	const first = (of.getWeekInfo?.() ?? of.weekInfo)?.firstDay ?? 1;
	return (first % 7) as 0 | 1 | 6;
}

const months = Array.from({ length: 12 }, (_, m) =>
	["en", locale].flatMap((l) =>
		(["long", "short"] as const).map((month) =>
			new Intl.DateTimeFormat(l, { month, timeZone: "UTC" })
				.format(Date.UTC(2026, m, 15))
				.toLowerCase()
				.replace(".", ""),
		),
	),
);
const weekdays = ["sunday", "monday", "tuesday", "wednesday", "thursday", "friday", "saturday"];

/** The month that a word names, from 1; by the first three letters too. */
function monthOf(word: string): number {
	const w = word.replace(".", "");
	return months.findIndex((names) => names.some((n) => n === w || (w.length >= 3 && n.startsWith(w)))) + 1;
}

/** Whether the reader puts the month before the day. */
const monthFirst = (() => {
	const order = new Intl.DateTimeFormat(locale).formatToParts(0).map((p) => p.type);
	return order.indexOf("month") < order.indexOf("day");
})();

export type Typed = { day: string; trouble?: string };

const howTo = "Write a day like 19.12.2026, 19 December, in 90 days, next Friday or end of March.";
const written = (y: number, m: number, d: number) =>
	`${String(y).padStart(4, "0")}-${String(m).padStart(2, "0")}-${String(d).padStart(2, "0")}`;

/**
 * Reads a day as people write one. Without a year it is the next such day, or of the past the last one. What is no day
 * says why, and how one is written.
 */
export function readDay(text: string, past = false, now = today()): Typed {
	const t = text.trim().toLowerCase().replace(/\s+/g, " ");
	const [year, month, date] = now.split("-").map(Number) as [number, number, number];
	const on = (d: number, m: number, y?: number): Typed => {
		if (m < 1 || m > 12) return { day: "", trouble: `There is no month ${m}. ${howTo}` };
		const full = y !== undefined && y < 100 ? 2000 + y : y;
		const fits = (y: number) => d >= 1 && d <= new Date(Date.UTC(y, m, 0)).getUTCDate();
		if (full !== undefined) {
			if (full < 1900 || full > 9998) return { day: "", trouble: `The year ${full} is out of range.` };
			if (!fits(full))
				return {
					day: "",
					trouble: `${new Intl.DateTimeFormat("en", { month: "long", timeZone: "UTC" }).format(Date.UTC(full, m - 1, 1))} ${full} has ${new Date(Date.UTC(full, m, 0)).getUTCDate()} days.`,
				};
			return { day: written(full, m, d) };
		}
		for (let n = 0; n < 9; n++) {
			const y = past ? year - n : year + n;
			const day = fits(y) ? written(y, m, d) : "";
			if (day && (past ? day <= now : day >= now)) return { day };
		}
		return { day: "", trouble: `There is no such day in any year. ${howTo}` };
	};
	const number = (word?: string) => (word === "a" || word === "an" || word === "one" ? 1 : Number(word));

	if (!t) return { day: "" };
	let m = /^(\d{4})-(\d{1,2})-(\d{1,2})$/.exec(t);
	if (m) return on(Number(m[3]), Number(m[2]), Number(m[1]));
	m = /^(\d{1,2})\.\s?(\d{1,2})\.?\s?(\d{4}|\d{2})?$/.exec(t);
	if (m) return on(Number(m[1]), Number(m[2]), m[3] ? Number(m[3]) : undefined);
	m = /^(\d{1,2})\/(\d{1,2})(?:\/(\d{4}|\d{2}))?$/.exec(t);
	if (m) {
		const [a, b] = monthFirst ? [m[2], m[1]] : [m[1], m[2]];
		return on(Number(a), Number(b), m[3] ? Number(m[3]) : undefined);
	}
	// A weekday before a date says nothing more.
	const named = t
		.replace(/^(\p{L}{3,})\.?,? (?=.*\d)/u, (all, word) => (weekdays.some((w) => w.startsWith(word)) ? "" : all))
		.replace(/,/g, "");
	m = /^(\d{1,2})(?:st|nd|rd|th|\.)? (?:of )?(\p{L}+\.?)(?: (\d{4}|\d{2}))?$/u.exec(named);
	if (m && monthOf(m[2] as string)) return on(Number(m[1]), monthOf(m[2] as string), m[3] ? Number(m[3]) : undefined);
	m = /^(\p{L}+\.?) (\d{1,2})(?:st|nd|rd|th)?(?: (\d{4}|\d{2}))?$/u.exec(named);
	if (m && monthOf(m[1] as string)) return on(Number(m[2]), monthOf(m[1] as string), m[3] ? Number(m[3]) : undefined);

	if (t === "today" || t === "now") return { day: now };
	if (t === "tomorrow") return { day: plus(now, 1) };
	if (t === "yesterday") return { day: plus(now, -1) };
	m = /^(?:in |\+ ?)?(\d{1,4}|an?|one) ?(d|w|m|y|days?|weeks?|months?|years?)( ago)?$/.exec(t);
	if (m && (m[3] || /^(in |\+|\d)/.test(t))) {
		const n = number(m[1]) * (m[3] ? -1 : 1);
		const unit = (m[2] as string)[0];
		if (unit === "d") return { day: plus(now, n) };
		if (unit === "w") return { day: plus(now, 7 * n) };
		return { day: plus(now, 0, unit === "m" ? n : 12 * n) };
	}
	m = /^\+ ?(\d{1,4})$/.exec(t);
	if (m) return { day: plus(now, Number(m[1])) };
	m = /^(?:the )?end of (?:the |this )?(next )?(week|month|quarter|year)$/.exec(t);
	if (m) {
		const next = m[1] ? 1 : 0;
		if (m[2] === "week") {
			const last = (weekBegins() + 6) % 7;
			return { day: plus(now, ((last - new Date(utc(now)).getUTCDay() + 7) % 7) + 7 * next) };
		}
		if (m[2] === "year") return { day: written(year + next, 12, 31) };
		const whole = m[2] === "month" ? month + next : 3 * (Math.ceil(month / 3) + next);
		return { day: new Date(Date.UTC(year, whole, 0)).toISOString().slice(0, 10) };
	}
	m = /^(?:the )?end of (\p{L}+\.?)(?: (\d{4}|\d{2}))?$/u.exec(t);
	if (m && monthOf(m[1] as string)) {
		const which = monthOf(m[1] as string);
		const y = m[2] ? (Number(m[2]) < 100 ? 2000 + Number(m[2]) : Number(m[2])) : year;
		const last = (y: number) => new Date(Date.UTC(y, which, 0)).toISOString().slice(0, 10);
		if (m[2]) return { day: last(y) };
		if (past) return { day: last(y) <= now ? last(y) : last(y - 1) };
		return { day: last(y) >= now ? last(y) : last(y + 1) };
	}
	m = /^(next |last |this )?(\p{L}{3,})$/u.exec(t);
	const weekday = m ? weekdays.findIndex((w) => w.startsWith(m?.[2] as string)) : -1;
	if (m && weekday >= 0) {
		const there = new Date(utc(now)).getUTCDay();
		if (m[1] === "last " || (past && !m[1])) return { day: plus(now, -(((there - weekday + 6) % 7) + 1)) };
		return { day: plus(now, ((weekday - there + 6) % 7) + 1) };
	}
	return { day: "", trouble: date ? `“${text.trim()}” is not a date that is understood here. ${howTo}` : howTo };
}

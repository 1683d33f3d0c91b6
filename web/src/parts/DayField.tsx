import { Popover } from "radix-ui";
import { useId, useRef, useState } from "react";
import { DayPicker } from "react-day-picker";
import { readDay, sayDay, sayFully, today, weekBegins } from "./days";

export type DayProps = {
	id?: string;
	/** Names the place where nothing that is seen does. */
	label?: string;
	value: string;
	onChange: (day: string) => void;
	/** It is the last day, which is still in. */
	last?: boolean;
	/** It is about what was: a day without a year is the last such day, not the next. */
	past?: boolean;
	min?: string;
	max?: string;
	required?: boolean;
	autoFocus?: boolean;
	/** Shown, and not to be changed here. */
	kept?: boolean;
	placeholder?: string;
	/** It stands in a line of other things: how it is read is told above what follows, and only while it is typed. */
	inline?: boolean;
	className?: string;
	box?: (element: HTMLInputElement | null) => void;
	onBlur?: () => void;
	/** A day was picked, or what was typed is ended by Enter. */
	onDone?: (day: string) => void;
};

/**
 * A day, typed as people type one or picked in a calendar. What is typed is read at once, and told as it is read; what
 * is no day stays as it was typed, and keeps the form from being sent.
 */
export function DayField(p: DayProps) {
	const made = useId();
	const id = p.id ?? made;
	const input = useRef<HTMLInputElement | null>(null);
	const [typed, setTyped] = useState<string | null>(null);
	const [open, setOpen] = useState(false);

	const troubleOf = (day: string) => {
		if (day && p.min && day < p.min) return `Choose ${sayFully(p.min)} or a later day.`;
		if (day && p.max && day > p.max) return `Choose ${sayFully(p.max)} or an earlier day.`;
		return "";
	};
	const read = typed === null || typed === sayDay(p.value) ? { day: p.value } : readDay(typed, p.past);
	const trouble = ("trouble" in read && read.trouble) || troubleOf(read.day);
	// It stays when the place is left: nothing moves under the hand that clicks elsewhere.
	const told =
		trouble ||
		(typed === null && p.inline ? "" : sayFully(read.day) + (read.day && p.last ? ", that day included" : ""));

	const take = (text: string | null, day: string, wrong: string) => {
		setTyped(text);
		input.current?.setCustomValidity(wrong);
		if (day !== p.value) p.onChange(day);
	};

	return (
		<span className="relative inline-block w-full max-w-[190px] align-top text-[13px] leading-[18px] font-normal text-ink">
			<span className="flex">
				<input
					ref={(e) => {
						input.current = e;
						p.box?.(e);
					}}
					id={id}
					type="text"
					data-day={read.day}
					autoComplete="off"
					aria-label={p.label}
					aria-describedby={told ? `${id}-told` : undefined}
					aria-invalid={trouble ? true : undefined}
					className={p.className ?? "field pr-8"}
					size={14}
					maxLength={60}
					readOnly={p.kept}
					required={p.required}
					placeholder={p.placeholder ?? (p.past ? "19.12. or 30 days ago" : "19.12. or in 90 days")}
					// biome-ignore lint/a11y/noAutofocus: the first place of a form that was asked for
					autoFocus={p.autoFocus}
					value={typed ?? sayDay(p.value)}
					onChange={(e) => {
						const now = readDay(e.target.value, p.past);
						take(e.target.value, now.day, now.trouble || troubleOf(now.day));
					}}
					onBlur={() => {
						if (!trouble) setTyped(null);
						p.onBlur?.();
					}}
					onKeyDown={(e) => {
						if (e.key === "Enter" && !trouble) p.onDone?.(read.day);
						if (e.key === "ArrowDown" && !p.kept) {
							e.preventDefault();
							setOpen(true);
						}
					}}
				/>
				{!p.kept && (
					<Popover.Root open={open} onOpenChange={setOpen}>
						<Popover.Trigger
							aria-label={`Choose from a calendar${p.label ? `: ${p.label}` : ""}`}
							className="-ml-8 grid h-7 w-7 shrink-0 self-center place-items-center text-slate"
						>
							<svg aria-hidden="true" width="14" height="14" viewBox="0 0 14 14" fill="none" stroke="currentColor">
								<path d="M1 3.5h12v9.5H1zM1 6.5h12M5 6.5v6.5M9 6.5v6.5M1 9.8h12M4 1v3M10 1v3" />
							</svg>
						</Popover.Trigger>
						<Popover.Portal>
							<Popover.Content
								aria-label="Calendar"
								align="end"
								sideOffset={4}
								onOpenAutoFocus={(e) => {
									e.preventDefault();
									(e.currentTarget as HTMLElement).querySelector<HTMLElement>("td [tabindex='0']")?.focus();
								}}
								onCloseAutoFocus={(e) => {
									e.preventDefault();
									input.current?.focus();
								}}
								className="z-50 border-[3px] border-[var(--beam)] bg-raised p-3 text-ink"
							>
								<Calendar
									day={read.day}
									min={p.min}
									max={p.max}
									onPick={(day) => {
										take(null, day, troubleOf(day));
										setOpen(false);
										p.onDone?.(day);
									}}
								/>
							</Popover.Content>
						</Popover.Portal>
					</Popover.Root>
				)}
			</span>
			<span
				id={`${id}-told`}
				aria-live="polite"
				className={`block text-[12px] whitespace-normal ${trouble ? "text-ox" : "text-quiet"} ${p.inline ? "absolute top-full left-0 z-30 w-[210px] bg-raised px-2 not-empty:py-1" : ""}`}
			>
				{told}
			</span>
		</span>
	);
}

const dateOf = (day: string) => {
	const [y, m, d] = day.split("-").map(Number) as [number, number, number];
	return new Date(y, m - 1, d);
};
const isoOf = (d: Date) =>
	`${String(d.getFullYear()).padStart(4, "0")}-${String(d.getMonth() + 1).padStart(2, "0")}-${String(d.getDate()).padStart(2, "0")}`;
const monthForm = new Intl.DateTimeFormat(undefined, { month: "long", year: "numeric" });
const weekdayForm = new Intl.DateTimeFormat(undefined, { weekday: "short" });

/** A month, with the weeks as courses of bricks. */
function Calendar({
	day,
	min,
	max,
	onPick,
}: {
	day: string;
	min?: string;
	max?: string;
	onPick: (day: string) => void;
}) {
	const nav = "grid h-7 w-7 place-items-center font-bold text-slate disabled:text-quiet";
	return (
		<DayPicker
			mode="single"
			selected={day ? dateOf(day) : undefined}
			defaultMonth={dateOf(day || (max && max < today() ? max : today()))}
			today={dateOf(today())}
			weekStartsOn={weekBegins()}
			disabled={[...(min ? [{ before: dateOf(min) }] : []), ...(max ? [{ after: dateOf(max) }] : [])]}
			onSelect={(d) => d && onPick(isoOf(d))}
			required
			formatters={{
				formatCaption: (d) => monthForm.format(d),
				formatWeekdayName: (d) => weekdayForm.format(d).slice(0, 2),
			}}
			labels={{
				labelDayButton: (d, m) => sayFully(isoOf(d)) + (m.today ? ", today" : "") + (m.selected ? ", chosen" : ""),
				labelNext: () => "Next month",
				labelPrevious: () => "Previous month",
			}}
			classNames={{
				months: "relative",
				month_caption: "mb-2 pl-1 text-[14px] font-bold",
				nav: "absolute top-[-4px] right-0 flex",
				button_previous: nav,
				button_next: nav,
				chevron: "h-4 w-4 fill-current",
				month_grid: "border-separate border-spacing-[2px]",
				weekday: "pb-1 text-center text-[12px] font-normal text-quiet",
				day: "p-0 text-center",
				day_button:
					"h-[28px] w-[34px] border border-hair bg-plaster hover:border-slate disabled:bg-sunk disabled:text-quiet",
				selected: "[&>button]:bg-slate [&>button]:text-on-slate [&>button]:font-bold",
				today: "[&>button]:border-b-[3px] [&>button]:border-b-ochre-line [&>button]:font-bold",
				outside: "text-quiet",
			}}
		/>
	);
}

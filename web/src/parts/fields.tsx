import { type ReactNode, useId } from "react";
import { DayField } from "./DayField";

/** A labelled place in a form. What stands in it is told by its label. */
export function Field({
	label,
	hint,
	children,
}: {
	label: string;
	hint?: string;
	children: (id: string) => ReactNode;
}) {
	const id = useId();
	return (
		<div className="mb-3">
			<label htmlFor={id} className="block text-[12px] text-quiet">
				{label}
			</label>
			{children(id)}
			{hint && <p className="mt-[2px] text-[12px] text-quiet">{hint}</p>}
		</div>
	);
}

export type TextProps = {
	label: string;
	value: string;
	onChange: (value: string) => void;
	hint?: string;
	required?: boolean;
	type?: string;
	/** Of a day: it is the last one, which is still in. */
	last?: boolean;
	lines?: number;
	max?: number;
	autoFocus?: boolean;
	/** Shown, and not to be changed here. */
	kept?: boolean;
	/** Told of the element that is typed into. */
	box?: (element: HTMLElement | null) => void;
};

export function TextField({
	label,
	value,
	onChange,
	hint,
	required,
	type,
	last,
	lines,
	max,
	autoFocus,
	kept,
	box,
}: TextProps) {
	return (
		<Field label={required ? `${label} *` : label} hint={hint}>
			{(id) =>
				type === "date" ? (
					<DayField
						id={id}
						box={box}
						value={value}
						onChange={onChange}
						last={last}
						required={required}
						kept={kept}
						autoFocus={autoFocus}
					/>
				) : lines ? (
					<textarea
						ref={box}
						id={id}
						readOnly={kept}
						className="field"
						rows={lines}
						maxLength={max ?? 2000}
						value={value}
						onChange={(e) => onChange(e.target.value)}
					/>
				) : (
					<input
						ref={box}
						id={id}
						type={type}
						readOnly={kept}
						className="field"
						required={required}
						maxLength={max ?? 200}
						value={value}
						// biome-ignore lint/a11y/noAutofocus: the first place of a form that was asked for
						autoFocus={autoFocus}
						onChange={(e) => onChange(e.target.value)}
					/>
				)
			}
		</Field>
	);
}

/** Says that a directory keeps what is edited, and lets it be kept by hand from now on. */
export function TakeOver({
	lock,
	over,
	onOver,
}: {
	lock: { why: string; instead: string };
	over: boolean;
	onOver: (over: boolean) => void;
}) {
	return (
		<div className="mb-3 border-l-8 border-ochre-line bg-sunk px-3 py-2">
			<p>{lock.why}</p>
			<label className="mt-1 flex items-center gap-2">
				<input type="checkbox" checked={over} onChange={(e) => onOver(e.target.checked)} />
				keep it by hand from now on; the directory’s changes are refused until it is handed back
			</label>
		</div>
	);
}

/** The end of a form: to leave it, or to put it into the draft. */
export function Acts({
	busy,
	disabled,
	name,
	onClose,
	children,
}: {
	busy: boolean;
	disabled?: boolean;
	name?: string;
	onClose: () => void;
	children?: ReactNode;
}) {
	return (
		<div className="mt-4 flex justify-end gap-3">
			{children}
			<button type="button" className="action" onClick={onClose}>
				Cancel
			</button>
			<button type="submit" className="action main" disabled={busy || disabled}>
				{name ?? "Put into the draft"}
			</button>
		</div>
	);
}

/** A text that was left empty is none. */
export const orNone = (text: string) => text.trim() || undefined;

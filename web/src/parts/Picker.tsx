import { Popover } from "radix-ui";
import { useDeferredValue, useId, useState } from "react";
import { useAsks } from "../api/ask";
import type { Schemas } from "../api/client";
import { type ListKind, listQuery } from "../api/hooks";
import { kindWords } from "./words";

type Ref = Schemas["Ref"];

type PickerProps = {
	kinds: ListKind[];
	label: string;
	placeholder?: string;
	/** Only what a delegate may do this with. */
	mine?: string;
	/** What is chosen already, so not offered. */
	without?: string[];
	autoFocus?: boolean;
	className?: string;
	onPick: (thing: Ref) => void;
};

/** Finds one thing of some kinds as its name is typed. */
export function Picker(p: PickerProps) {
	const id = useId();
	const [text, setText] = useState("");
	const [open, setOpen] = useState(false);
	const [at, setAt] = useState(0);
	const q = useDeferredValue(text.trim());
	const found = useAsks(p.kinds.map((kind) => ({ ...listQuery(kind, { q, mine: p.mine, limit: 12 }), enabled: open })));
	const rows = found
		.flatMap((f, i) =>
			(f.data?.rows ?? []).map((r) => ({ kind: p.kinds[i] as Ref["kind"], id: r.id, name: r.name, note: r.cells.find((c) => c.text)?.text ?? "" })),
		)
		.filter((r) => !p.without?.includes(r.id));
	const chosen = Math.min(at, Math.max(0, rows.length - 1));
	const pick = (i: number) => {
		const r = rows[i];
		if (!r) return;
		setText("");
		setOpen(false);
		setAt(0);
		p.onPick({ kind: r.kind, id: r.id, name: r.name });
	};
	const press = (e: React.KeyboardEvent) => {
		if (e.key === "ArrowDown" || e.key === "ArrowUp") {
			e.preventDefault();
			setOpen(true);
			setAt(Math.min(rows.length - 1, Math.max(0, chosen + (e.key === "ArrowDown" && open ? 1 : e.key === "ArrowUp" ? -1 : 0))));
		} else if (e.key === "Enter" && open) {
			e.preventDefault();
			pick(chosen);
		} else if (e.key === "Escape" && open) {
			e.preventDefault();
			e.stopPropagation();
			setOpen(false);
		}
	};
	return (
		<Popover.Root open={open} onOpenChange={setOpen}>
			<Popover.Anchor asChild>
				<input
					role="combobox"
					aria-label={p.label}
					aria-expanded={open}
					aria-controls={`${id}-list`}
					aria-autocomplete="list"
					aria-activedescendant={open && rows.length > 0 ? `${id}-${chosen}` : undefined}
					autoComplete="off"
					className={p.className ?? "field"}
					placeholder={p.placeholder ?? `find ${p.label.toLowerCase()} …`}
					value={text}
					// biome-ignore lint/a11y/noAutofocus: only where the picker is what was asked for
					autoFocus={p.autoFocus}
					onChange={(e) => {
						setText(e.target.value);
						setOpen(true);
						setAt(0);
					}}
					onClick={() => setOpen(true)}
					onBlur={() => setOpen(false)}
					onKeyDown={press}
				/>
			</Popover.Anchor>
			<Popover.Portal>
				<Popover.Content
					align="start"
					role="presentation"
					className="z-50 border-[3px] border-[var(--beam)] bg-raised text-ink"
					style={{ minWidth: "max(260px, var(--radix-popover-trigger-width))", maxWidth: 440 }}
					onOpenAutoFocus={(e) => e.preventDefault()}
					onCloseAutoFocus={(e) => e.preventDefault()}
				>
					<div
						id={`${id}-list`}
						role="listbox"
						aria-label={p.label}
						aria-busy={text.trim() !== q || found.some((f) => f.isFetching)}
						className="max-h-[260px] overflow-auto"
					>
						{rows.length === 0 && (
							<div role="option" aria-selected="false" tabIndex={-1} className="px-3 py-2 text-quiet">
								{found.some((f) => f.isFetching)
									? "One moment …"
									: p.mine && !q
										? "There is nothing here that you may choose."
										: "Nothing has these words."}
							</div>
						)}
						{rows.map((r, i) => (
							// biome-ignore lint/a11y/useKeyWithClickEvents: the box hears the keys
							<div
								key={`${r.kind}${r.id}`}
								id={`${id}-${i}`}
								role="option"
								tabIndex={-1}
								aria-selected={i === chosen}
								onMouseDown={(e) => e.preventDefault()}
								onClick={() => pick(i)}
								className={`flex cursor-pointer gap-3 px-3 py-[5px] ${i === chosen ? "bg-slate text-on-slate" : "hover:bg-sunk"}`}
							>
								<span className="min-w-0 grow truncate font-semibold">{r.name}</span>
								<span className={`narrow min-w-0 shrink-0 truncate text-[12px] ${i === chosen ? "text-on-slate-quiet" : "text-quiet"}`}>
									{p.kinds.length > 1 ? kindWords[r.kind] : r.note}
								</span>
							</div>
						))}
					</div>
				</Popover.Content>
			</Popover.Portal>
		</Popover.Root>
	);
}

/** Several things, each of which can be taken out again, and a picker for more. */
export function Chips({
	chosen,
	onChange,
	...picker
}: Omit<PickerProps, "onPick" | "without"> & { chosen: Ref[]; onChange: (chosen: Ref[]) => void }) {
	return (
		<div className="flex flex-wrap items-center gap-[6px]">
			{chosen.map((r) => (
				<span
					key={`${r.kind}${r.id}`}
					className="flex max-w-full items-center gap-2 border-[1.5px] border-[var(--beam)] bg-plaster px-2 py-[2px] font-semibold"
				>
					<span className="truncate">{r.name}</span>
					<button
						type="button"
						aria-label={`Take out ${r.name}`}
						className="font-bold text-ox"
						onClick={() => onChange(chosen.filter((c) => c.id !== r.id || c.kind !== r.kind))}
					>
						✕
					</button>
				</span>
			))}
			<Picker
				{...picker}
				className="field max-w-[240px] min-w-[150px] flex-1"
				without={chosen.map((c) => c.id)}
				onPick={(r) => onChange([...chosen, r])}
			/>
		</div>
	);
}

/** One thing, or none, which can be changed. */
export function PickOne({ value, onChange, ...picker }: Omit<PickerProps, "onPick"> & { value?: Ref; onChange: (value: Ref | undefined) => void }) {
	if (!value) return <Picker {...picker} onPick={onChange} />;
	return (
		<span className="field flex items-center gap-2">
			<span className="min-w-0 grow truncate font-semibold">{value.name}</span>
			<button type="button" aria-label={`Take out ${value.name}`} className="font-bold text-ox" onClick={() => onChange(undefined)}>
				✕
			</button>
		</span>
	);
}

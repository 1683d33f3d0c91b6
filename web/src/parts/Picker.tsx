import { Popover } from "radix-ui";
import { useDeferredValue, useState } from "react";
import { useAsks } from "../api/ask";
import type { Schemas } from "../api/client";
import { type ListKind, listQuery } from "../api/hooks";
import { asideLook, NoOffer, Offer, Offered, OfferInput, OfferList } from "./Offers";
import { kindWords } from "./words";

type Ref = Schemas["Ref"];

export type PickerProps = {
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

/** Who somebody is: title, home and, unless it is active, state; by which people of one name are told apart. */
const whoWords = (cells: Schemas["Cell"][]) =>
	cells
		.map((c) => c.text)
		.filter((text) => text && text !== "active")
		.join(" · ");

/** Finds one thing of some kinds as its name is typed. */
export function Picker(p: PickerProps) {
	const [text, setText] = useState("");
	const [open, setOpen] = useState(false);
	const q = useDeferredValue(text.trim());
	const found = useAsks(
		p.kinds.map((kind) => ({
			...listQuery(kind, {
				q,
				mine: p.mine,
				choice: true,
				limit: 12,
				columns: kind === "user" ? ["title", "area", "state"] : undefined,
			}),
			enabled: open,
		})),
	);
	const waits = open && (text.trim() !== q || found.some((f) => f.isFetching));
	const rows = found
		.flatMap((f, i) =>
			(f.data?.rows ?? []).map((r) => ({
				kind: p.kinds[i] as Ref["kind"],
				id: r.id,
				name: r.name,
				note: p.kinds[i] === "user" ? whoWords(r.cells) : (r.cells.find((c) => c.text)?.text ?? ""),
			})),
		)
		.filter((r) => !p.without?.includes(r.id));
	const keyOf = (r: Ref) => `${r.kind} ${r.id}`;
	const press = (e: React.KeyboardEvent) => {
		if (e.key === "ArrowDown" && !open) {
			e.preventDefault();
			setOpen(true);
		} else if (e.key === "Enter" && !open) {
			e.stopPropagation(); // the form's, not the list's
		} else if (e.key === "Escape" && open) {
			e.preventDefault();
			e.stopPropagation();
			setOpen(false);
		}
	};
	return (
		<Offered label={p.label} text={q} keys={rows.map(keyOf)} waits={waits} className="contents">
			<Popover.Root open={open} onOpenChange={setOpen}>
				<Popover.Anchor asChild>
					<OfferInput
						text={text}
						onText={(typed) => {
							setText(typed);
							setOpen(true);
						}}
						open={open}
						className={p.className ?? "field"}
						placeholder={p.placeholder ?? `find ${p.label.toLowerCase()} …`}
						autoFocus={p.autoFocus}
						onClick={() => setOpen(true)}
						onBlur={() => setOpen(false)}
						onKeyDown={press}
					/>
				</Popover.Anchor>
				<Popover.Portal>
					<Popover.Content
						align="start"
						role="region"
						aria-label={`Offered for ${p.label}`}
						className="z-50 border-[3px] border-[var(--beam)] bg-raised text-ink"
						style={{ minWidth: "max(260px, var(--radix-popover-trigger-width))", maxWidth: 440 }}
						onOpenAutoFocus={(e) => e.preventDefault()}
						onCloseAutoFocus={(e) => e.preventDefault()}
					>
						<OfferList label={p.label} aria-busy={waits} className="max-h-[260px] overflow-auto">
							<NoOffer className="px-3 py-2">
								{waits
									? "One moment …"
									: p.mine && !q
										? "There is nothing here for you to choose."
										: "Nothing matches."}
							</NoOffer>
							{rows.map((r) => (
								<Offer
									key={keyOf(r)}
									of={keyOf(r)}
									onTake={() => {
										setText("");
										setOpen(false);
										p.onPick({ kind: r.kind, id: r.id, name: r.name });
									}}
									className="px-3 py-[5px]"
								>
									<span className="min-w-0 grow truncate font-semibold">{r.name}</span>
									<span className={`min-w-0 shrink-0 truncate ${asideLook}`}>
										{p.kinds.length > 1 && r.kind !== "user" ? kindWords[r.kind] : r.note}
									</span>
								</Offer>
							))}
						</OfferList>
					</Popover.Content>
				</Popover.Portal>
			</Popover.Root>
		</Offered>
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
export function PickOne({
	value,
	onChange,
	...picker
}: Omit<PickerProps, "onPick"> & { value?: Ref; onChange: (value: Ref | undefined) => void }) {
	if (!value) return <Picker {...picker} onPick={onChange} />;
	return (
		<span className="field flex items-center gap-2">
			<span className="min-w-0 grow truncate font-semibold">{value.name}</span>
			<button
				type="button"
				aria-label={`Take out ${value.name}`}
				className="font-bold text-ox"
				onClick={() => onChange(undefined)}
			>
				✕
			</button>
		</span>
	);
}

import { Popover } from "radix-ui";
import { useRef, useState } from "react";
import { useAreas } from "../api/hooks";
import { NoOffer, Offer, Offered, OfferInput, OfferList } from "./Offers";

export type Option = { value: string; name: string; depth?: number };

type Props = {
	id?: string;
	/** What is chosen, where no label stands beside it. */
	label?: string;
	value: string;
	options: Option[];
	onChange: (value: string) => void;
	className?: string;
};

/** How many choices the browser's own list shows; of more, those wanted are found by typing. */
const few = 7;

/** One of several. */
export function Choose(p: Props) {
	return p.options.length > few ? <ChooseOfMany {...p} /> : <ChooseOfFew {...p} />;
}

function ChooseOfFew({ id, label, value, options, onChange, className }: Props) {
	return (
		<select id={id} aria-label={label} className={className} value={value} onChange={(e) => onChange(e.target.value)}>
			{options.map((o) => (
				<option key={o.value} value={o.value}>
					{"\u00a0\u00a0".repeat(o.depth ?? 0) + o.name}
				</option>
			))}
		</select>
	);
}

/** Whether each word that is typed begins a word of a name. */
const fits = (name: string, words: string[]) => {
	const all = name.toLowerCase().split(/[\s,/()-]+/);
	return words.every((w) => all.some((a) => a.startsWith(w)));
};

function ChooseOfMany({ id, label, value, options, onChange, className }: Props) {
	const [open, setOpen] = useState(false);
	const [text, setText] = useState("");
	const button = useRef<HTMLButtonElement>(null);
	const turn = (to: boolean) => {
		setOpen(to);
		setText("");
	};
	const words = text.toLowerCase().split(/\s+/).filter(Boolean);
	const offers = words.length ? options.filter((o) => fits(o.name, words)) : options;
	const keyOf = (o: Option) => `of ${o.value}`;
	const chosen = options.find((o) => o.value === value);
	return (
		<Popover.Root open={open} onOpenChange={turn}>
			<Popover.Trigger asChild>
				<button
					ref={button}
					id={id}
					type="button"
					role="combobox"
					value={value}
					aria-haspopup="listbox"
					aria-expanded={open}
					aria-label={label}
					className={`inline-flex items-center gap-1 text-left ${className}`}
					onKeyDown={(e) => {
						if (open || e.altKey || e.ctrlKey || e.metaKey) return;
						if (e.key === "ArrowDown" || e.key === "ArrowUp") {
							e.preventDefault();
							turn(true);
						} else if (e.key.length === 1 && e.key !== " ") {
							e.preventDefault(); // what is typed narrows the list
							e.stopPropagation();
							turn(true);
							setText(e.key);
						}
					}}
				>
					<span className="min-w-0 grow truncate">{chosen?.name ?? value}</span>
					<span aria-hidden="true" className="text-[12px] leading-none">
						▾
					</span>
				</button>
			</Popover.Trigger>
			<Popover.Portal>
				<Popover.Content
					align="start"
					collisionPadding={8}
					aria-label={label ?? "Choices"}
					className="z-50 border-[3px] border-[var(--beam)] bg-raised text-ink"
					style={{ minWidth: "max(200px, var(--radix-popover-trigger-width))", maxWidth: 440 }}
					onCloseAutoFocus={(e) => {
						e.preventDefault();
						button.current?.focus();
					}}
				>
					<Offered
						label="Choices"
						text={text}
						keys={offers.map(keyOf)}
						first={keyOf({ value, name: "" })}
						waits={false}
						pointed
					>
						<OfferInput text={text} onText={setText} className="field border-0 border-b" placeholder="type to narrow" />
						<OfferList
							label={label ?? "Choices"}
							className="max-h-[min(300px,calc(var(--radix-popover-content-available-height)-48px))] overflow-auto"
						>
							<NoOffer className="px-3 py-2">Nothing here matches.</NoOffer>
							{offers.map((o) => (
								<Offer
									key={o.value}
									of={keyOf(o)}
									onTake={() => {
										turn(false);
										if (o.value !== value) onChange(o.value);
									}}
									className="py-[4px] pr-3"
								>
									<span
										className={`min-w-0 truncate ${o.value === value ? "font-semibold" : ""}`}
										style={{ paddingLeft: 12 + 14 * (o.depth ?? 0) }}
									>
										{o.name}
									</span>
								</Offer>
							))}
						</OfferList>
					</Offered>
				</Popover.Content>
			</Popover.Portal>
		</Popover.Root>
	);
}

/** Where something is granted, within a sentence. */
export const GrantPlace = (p: Omit<Props, "options">) => (
	<AreaChoice {...p} whole="over the whole organisation" before="at " />
);

/** One of the areas, or what is said in place of all of them; "" means those. */
export function AreaChoice({
	whole,
	before = "",
	more = [],
	...p
}: Omit<Props, "options"> & { whole: string; before?: string; more?: Option[] }) {
	const areas = useAreas();
	return (
		<Choose
			{...p}
			options={[
				...more,
				{ value: "", name: whole },
				...(areas.data?.slice(1) ?? []).map((a) => ({ value: a.id, name: before + a.name, depth: a.depth })),
			]}
		/>
	);
}

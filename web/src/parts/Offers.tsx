import { Command } from "cmdk";
import { type ComponentProps, createContext, type ReactNode, useContext, useEffect, useRef, useState } from "react";

/** What taking each offer does, by its key. */
const Takers = createContext(new Map<string, () => void>());

type Props = {
	/** What is looked for, told to those who do not see it. */
	label: string;
	text: string;
	/** What is offered, by key, in order. */
	keys: string[];
	/** The offer that is chosen as long as nothing is typed; the first one if absent. */
	first?: string;
	/** The answer to what is typed has not come yet: Enter waits for it. */
	waits: boolean;
	/** Follows the pointer too, where offers stand by themselves and cover nothing. */
	pointed?: boolean;
	className?: string;
	children: ReactNode;
};

/** Around a box that is typed into and what is offered for it. The first offer is chosen until one goes to another by the arrows; Enter takes it. */
export function Offered({ label, text, keys, first, waits, pointed, className, children }: Props) {
	// Which offer was gone to, and while what was typed: with other words, the first one is chosen again.
	const [gone, setGone] = useState({ to: "", text });
	const moving = useRef(false);
	const at =
		gone.text === text && keys.includes(gone.to)
			? gone.to
			: first && !text && keys.includes(first)
				? first
				: (keys[0] ?? "");
	const [takers] = useState(() => new Map<string, () => void>());
	const [taking, setTaking] = useState(false);
	useEffect(() => {
		if (!taking || waits) return;
		setTaking(false);
		takers.get(at)?.();
	}, [taking, waits, at, takers]);
	return (
		<Command
			label={label}
			shouldFilter={false}
			vimBindings={false}
			disablePointerSelection={!pointed}
			value={at}
			onKeyDownCapture={(e) => {
				moving.current = e.key !== "Enter";
				if (e.key === "Enter" && waits) {
					e.preventDefault();
					e.stopPropagation();
					setTaking(true);
				} else if (e.key.startsWith("Arrow") || e.key === "Escape") setTaking(false);
			}}
			onPointerMoveCapture={() => {
				moving.current = true;
			}}
			// The list chooses by itself too, whenever offers come and go.
			onValueChange={(to) => moving.current && setGone({ to, text })}
			// Not while it is captured: what is drawn before the box has told what was typed would take the last letter back.
			onInput={() => {
				moving.current = false;
				setTaking(false);
			}}
			onBlurCapture={() => setTaking(false)}
			className={className}
		>
			<Takers value={takers}>{children}</Takers>
		</Command>
	);
}

/** One offer. What stands aside is quieter. */
export function Offer({
	of,
	onTake,
	className,
	children,
}: {
	of: string;
	onTake: () => void;
	className: string;
	children: ReactNode;
}) {
	const takers = useContext(Takers);
	useEffect(() => {
		takers.set(of, onTake);
		return () => {
			takers.delete(of);
		};
	});
	return (
		<Command.Item
			value={of}
			onSelect={onTake}
			onMouseDown={(e) => e.preventDefault()} // the box keeps the keyboard
			className={`group flex cursor-pointer gap-3 hover:bg-sunk data-[selected=true]:bg-slate data-[selected=true]:text-on-slate ${className}`}
		>
			{children}
		</Command.Item>
	);
}

/** The look of what is quiet on an offer, chosen or not. */
export const asideLook = "narrow text-[12px] text-quiet group-data-[selected=true]:text-on-slate-quiet";

/** Said in place of offers. */
export const NoOffer = ({ className, children }: { className: string; children: ReactNode }) => (
	<Command.Empty className={`text-quiet ${className}`}>{children}</Command.Empty>
);

export const OfferList = Command.List;

/** The box. `open` says whether the offers are shown now. */
export function OfferInput({ text, onText, open = true, ...box }: BoxProps) {
	return (
		<Command.Input asChild value={text} onValueChange={onText}>
			<Box aria-expanded={open} {...box} />
		</Command.Input>
	);
}

type BoxProps = ComponentProps<"input"> & { text: string; onText: (text: string) => void; open?: boolean };

/** What the list puts onto a box, its role among it, gives way to what is said here. */
const Box = (props: ComponentProps<"input">) => <input {...props} />;

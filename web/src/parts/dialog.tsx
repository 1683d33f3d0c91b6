import { Dialog } from "radix-ui";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { AtWork } from "./AtWork";

/**
 * Gives the focus back to where it was when a dialog opened, also if that was an item of a menu: then to what opens the
 * menu. If it is not there any longer, to the page. Where it was is noted as the dialog is drawn: a field in it may take
 * the focus before the dialog itself is told that it is open.
 */
export function useFocusBack(open: boolean) {
	const from = useRef<HTMLElement>(null);
	const drawn = useRef(false);
	if (open && !drawn.current) {
		const active = document.activeElement instanceof HTMLElement ? document.activeElement : null;
		const menu = active?.closest("[role=menu]")?.getAttribute("aria-labelledby");
		from.current = menu ? document.getElementById(menu) : active;
	}
	drawn.current = open;
	return {
		onCloseAutoFocus: (e: Event) => {
			e.preventDefault();
			const there = from.current?.isConnected && from.current !== document.body;
			const back = there ? from.current : document.querySelector("main");
			back?.focus({ preventScroll: true });
		},
	};
}

/**
 * A board laid over the page. It closes by Escape or a click beside it, unless something was typed in it: then it asks
 * first. It gives the focus back to where it was.
 */
export function Board({
	open,
	onClose,
	title,
	about,
	wide,
	saved = 0,
	children,
}: {
	open: boolean;
	onClose: () => void;
	title: string;
	about?: string;
	wide?: boolean;
	/** How often what was typed has been kept while the board stayed open. */
	saved?: number;
	children: ReactNode;
}) {
	const focus = useFocusBack(open);
	const typed = useRef(false);
	const [asking, setAsking] = useState(false);
	// biome-ignore lint/correctness/useExhaustiveDependencies: what was typed before is kept, or gone with the board
	useEffect(() => {
		typed.current = false;
		setAsking(false);
	}, [open, saved]);
	const leave = () => (typed.current ? setAsking(!asking) : onClose());
	return (
		<Dialog.Root open={open} onOpenChange={(o) => !o && leave()}>
			<Dialog.Portal>
				<Dialog.Overlay className="fixed inset-0 z-40 bg-[#2b2119]/55" />
				<Dialog.Content
					{...focus}
					onInputCapture={(e) => {
						if (!(e.target instanceof HTMLInputElement && e.target.type === "password")) typed.current = true;
					}}
					className={`fixed left-1/2 z-40 max-w-[94vw] -translate-x-1/2 overflow-auto border-[3px] border-[var(--beam)] bg-raised p-5 text-ink ${wide ? "top-[7vh] max-h-[86vh] w-[860px]" : "top-[10vh] max-h-[80vh] w-[560px]"}`}
				>
					<Dialog.Title className="text-[18px] font-bold">{title}</Dialog.Title>
					{about ? (
						<Dialog.Description className="mt-1 text-quiet">{about}</Dialog.Description>
					) : (
						<Dialog.Description className="sr-only">{title}</Dialog.Description>
					)}
					<div className="mt-4">{children}</div>
					<AtWork board />
					{asking && (
						<div
							role="alert"
							className="sticky bottom-0 mt-4 flex flex-wrap items-center gap-3 border-l-8 border-ochre-line bg-sunk px-3 py-2"
						>
							<p className="grow font-semibold">What you typed here is not saved yet.</p>
							<button type="button" className="action" onClick={onClose}>
								Discard it
							</button>
							{/* biome-ignore lint/a11y/noAutofocus: whoever pressed Escape by accident goes on by Enter */}
							<button type="button" className="action main" autoFocus onClick={() => setAsking(false)}>
								Go on
							</button>
						</div>
					)}
				</Dialog.Content>
			</Dialog.Portal>
		</Dialog.Root>
	);
}

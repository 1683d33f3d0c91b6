import { Popover } from "radix-ui";
import type { ReactNode } from "react";

/** A bracket of a sentence: what stands in it, and behind it the means to choose. */
export function Bracket({
	label,
	text,
	empty,
	children,
}: {
	label: string;
	text: string;
	empty: string;
	children: ReactNode;
}) {
	return (
		<Popover.Root>
			<Popover.Trigger
				aria-label={`${label}: ${text || empty}`}
				className={`mx-[2px] inline max-w-full border-b-[3px] px-1 text-left leading-[1.5] font-semibold ${text ? "border-slate text-slate" : "border-dashed border-ochre-line text-ochre"}`}
			>
				{text || empty}
			</Popover.Trigger>
			<Popover.Portal>
				<Popover.Content
					aria-label={label}
					align="start"
					sideOffset={6}
					className="z-40 max-h-[60vh] w-[420px] max-w-[94vw] overflow-auto border-[3px] border-[var(--beam)] bg-raised p-4 text-ink"
				>
					<p className="mb-2 text-[12px] text-quiet">{label}</p>
					{children}
				</Popover.Content>
			</Popover.Portal>
		</Popover.Root>
	);
}

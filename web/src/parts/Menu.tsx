import { DropdownMenu } from "radix-ui";
import { type ReactNode, useState } from "react";

/**
 * A menu that opens from a button. It stands within the landmark of its button, and hides nothing from anybody while it
 * is open.
 */
export function Menu({
	face,
	look,
	disabled,
	align = "end",
	width,
	children,
}: {
	face: ReactNode;
	look: string;
	disabled?: boolean;
	align?: "start" | "end";
	width: string;
	children: ReactNode;
}) {
	const [landmark, setLandmark] = useState<HTMLElement | null>(null);
	return (
		<DropdownMenu.Root modal={false}>
			<DropdownMenu.Trigger
				ref={(e) => setLandmark(e?.closest<HTMLElement>("[role=dialog], main, header") ?? null)}
				className={look}
				disabled={disabled}
			>
				{face}
				<span aria-hidden="true"> ▾</span>
			</DropdownMenu.Trigger>
			<DropdownMenu.Portal container={landmark}>
				<DropdownMenu.Content
					align={align}
					sideOffset={2}
					collisionPadding={8}
					className={`z-50 max-h-[80vh] overflow-auto border-[3px] border-[var(--beam)] bg-raised text-ink ${width}`}
				>
					{children}
				</DropdownMenu.Content>
			</DropdownMenu.Portal>
		</DropdownMenu.Root>
	);
}

/** One thing that can be chosen in a menu. */
export function MenuItem({
	onSelect,
	look = "",
	children,
}: {
	onSelect: () => void;
	look?: string;
	children: ReactNode;
}) {
	return (
		<DropdownMenu.Item
			onSelect={onSelect}
			className={`cursor-pointer px-3 py-2 outline-none data-[highlighted]:bg-slate data-[highlighted]:text-on-slate ${look}`}
		>
			{children}
		</DropdownMenu.Item>
	);
}

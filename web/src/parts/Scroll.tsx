import type { ReactNode } from "react";

/** What scrolls by itself and may hold nothing to stop at: it is a stop of its own, so that the keyboard scrolls it too. */
export function Scroll({ className, children }: { className: string; children: ReactNode }) {
	return (
		// biome-ignore lint/a11y/noNoninteractiveTabindex: see above
		<div tabIndex={0} className={`overflow-auto ${className}`}>
			{children}
		</div>
	);
}

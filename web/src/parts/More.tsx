import { type ReactNode, useState } from "react";
import { number } from "./words";

/** How many more there are of something, which opens them. */
export const More = ({ n, onOpen, className = "" }: { n: number; onOpen: () => void; className?: string }) =>
	n > 0 && (
		<button type="button" className={`link ${className}`} onClick={onOpen}>
			and {number(n)} more
		</button>
	);

/** The first of some things and, once they are asked for, all of them. */
export function Few<T>({
	of,
	most,
	children,
}: {
	of: T[];
	most: number;
	children: (shown: T[], more: ReactNode) => ReactNode;
}) {
	const [all, setAll] = useState(false);
	return children(all ? of : of.slice(0, most), !all && <More n={of.length - most} onOpen={() => setAll(true)} />);
}

import { type ReactNode, useState } from "react";
import { number } from "./words";

/** How many more there are of something, which opens them. */
export const More = ({ n, onOpen, className = "" }: { n: number; onOpen: () => void; className?: string }) =>
	n > 0 && (
		<button type="button" className={`link ${className}`} onClick={onOpen}>
			and {number(n)} more
		</button>
	);

/**
 * The first of some things and, once they are asked for, all of them. The server tells of so many at most: if there are
 * more in all, that is said at the end.
 */
export function Few<T>({
	of,
	most,
	total = of.length,
	children,
}: {
	of: T[];
	most: number;
	total?: number;
	children: (shown: T[], more: ReactNode) => ReactNode;
}) {
	const [all, setAll] = useState(false);
	const open = all || of.length <= most;
	return children(
		open ? of : of.slice(0, most),
		!open ? (
			<More n={total - most} onOpen={() => setAll(true)} />
		) : (
			total > of.length && (
				<span className="text-quiet">
					The first {number(of.length)} of {number(total)}.
				</span>
			)
		),
	);
}

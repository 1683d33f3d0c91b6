import { useEffect, useState } from "react";
import { useGoing } from "../api/patient";

/** Says that something takes longer than a moment, and lets it be stopped. A board has one of its own. */
export function AtWork({ board }: { board?: boolean }) {
	const going = useGoing();
	const since = going[0]?.since;
	const stopping = going.every((g) => g.stopping);
	const [now, setNow] = useState(0);
	useEffect(() => {
		if (since === undefined) return;
		setNow(Date.now());
		const timer = setInterval(() => setNow(Date.now()), 1000);
		return () => clearInterval(timer);
	}, [since]);
	const place = board ? "sticky bottom-0 mt-4 bg-sunk" : "board mx-auto w-fit [body:has([role=dialog])_&]:hidden";
	return (
		<>
			<span className="sr-only" role="status">
				{since !== undefined && "Still at work. It can be stopped."}
			</span>
			{since !== undefined && (
				<div className={`${place} flex items-center gap-3 border-l-8 border-l-ochre-line px-3 py-2`}>
					<span aria-hidden className="tabular-nums">
						Still at work: {Math.max(1, Math.round((now - since) / 1000))} s
					</span>
					<button
						type="button"
						className="action"
						disabled={stopping}
						onClick={() => {
							for (const g of going) g.stop();
							// The button goes once it has ended, and would take the focus along.
							document.querySelector<HTMLElement>(board ? "[role=dialog]" : "main")?.focus({ preventScroll: true });
						}}
					>
						{stopping ? "Stopping …" : "Stop"}
					</button>
				</div>
			)}
		</>
	);
}

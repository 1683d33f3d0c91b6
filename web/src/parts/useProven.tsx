import { type ReactNode, useState } from "react";
import { Refusal } from "../api/client";
import { ProveBoard, proofNeeded } from "../house/ProveBoard";
import { useNotice } from "./notice";

/** Does something that may need a fresh proof of who one is: asks for it, then does it again. The board is to be shown. */
export function useProven(): [run: (act: () => Promise<void>) => Promise<void>, board: ReactNode] {
	const { refuse } = useNotice();
	const [waits, setWaits] = useState<{ act: () => Promise<void>; why: string[] } | null>(null);
	const run = async (act: () => Promise<void>) => {
		try {
			await act();
		} catch (error) {
			if (error instanceof Refusal && error.type === proofNeeded) setWaits({ act, why: error.problems });
			else if (error instanceof DOMException && error.name === "NotAllowedError")
				return; // the person closed the browser's board
			else refuse(error);
		}
	};
	return [
		run,
		waits && (
			<ProveBoard
				why={waits.why}
				name="Go on"
				onProven={() => {
					const { act } = waits;
					setWaits(null);
					run(act);
				}}
				onClose={() => setWaits(null)}
			/>
		),
	];
}

import { useQueryClient } from "@tanstack/react-query";
import { createContext, type ReactNode, useCallback, useContext, useEffect, useMemo, useState } from "react";
import { Refusal } from "../api/client";
import { AtWork } from "./AtWork";

type Notice = { text: ReactNode; problems: string[]; bad: boolean };

const Context = createContext<{ tell: (text: ReactNode) => void; refuse: (error: unknown) => void }>({
	tell: () => {},
	refuse: () => {},
});

/** Gives what tells the person that something was done, or was refused and why. */
export const useNotice = () => useContext(Context);

export function Notices({ children }: { children: ReactNode }) {
	const [notice, setNotice] = useState<Notice | null>(null);
	const tell = useCallback((text: ReactNode) => setNotice({ text, problems: [], bad: false }), []);
	const refuse = useCallback((error: unknown) => {
		const e = error instanceof Error ? error : new Error(String(error));
		setNotice({ text: e.message, problems: e instanceof Refusal ? e.problems : [], bad: true });
	}, []);
	// What was done needs no answer, so it goes by itself; a refusal stays until it is read.
	useEffect(() => {
		if (!notice || notice.bad) return;
		const timer = setTimeout(() => setNotice(null), 9000);
		return () => clearTimeout(timer);
	}, [notice]);
	// Once something is done, what was refused before it is of no more use.
	const done = useQueryClient().getMutationCache();
	useEffect(
		() =>
			done.subscribe((e) => {
				if (e.type === "updated" && e.action.type === "success") setNotice((n) => (n?.bad ? null : n));
			}),
		[done],
	);
	const value = useMemo(() => ({ tell, refuse }), [tell, refuse]);
	return (
		<Context.Provider value={value}>
			{children}
			<div className="fixed top-[46px] left-1/2 z-50 w-[520px] max-w-[calc(100vw-36px)] -translate-x-1/2">
				<AtWork />
				<div aria-live="assertive">
					{notice && (
						<div
							role={notice.bad ? "alert" : "status"}
							className={`board border-l-8 p-3 ${notice.bad ? "border-l-ox" : "border-l-moss"}`}
						>
							<div className="flex gap-3">
								<p className="grow font-semibold">
									<span className={notice.bad ? "text-ox" : "text-moss"}>
										{notice.bad ? "✕ Refused. " : "✓ Done. "}
									</span>
									{notice.text}
								</p>
								<button type="button" className="link self-start" onClick={() => setNotice(null)}>
									Close
								</button>
							</div>
							{notice.problems.length > 0 && (
								<ul className="mt-2 max-h-40 list-disc overflow-auto pl-5 text-quiet">
									{notice.problems.map((p) => (
										<li key={p}>{p}</li>
									))}
								</ul>
							)}
						</div>
					)}
				</div>
			</div>
		</Context.Provider>
	);
}

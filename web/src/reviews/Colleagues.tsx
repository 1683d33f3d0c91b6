import { keepPreviousData } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { type Ask, useAsk } from "../api/ask";
import { data, type Schemas } from "../api/client";
import { design } from "../api/hooks";
import { TextField } from "../parts/fields";

type Colleague = Schemas["Colleague"];

/** Finds somebody by name to decide in one's place: also who sees nothing of the design knows what colleagues are called. */
export function Colleagues(props: {
	label: string;
	value: Colleague | null;
	onPick: (to: Colleague) => void;
	/** Who is left out, by id. */
	not?: string;
	autoFocus?: boolean;
}) {
	const [words, setWords] = useState("");
	const q = useDeferredValue(words.trim());
	const found = useAsk({
		queryKey: [...design, "colleagues", q],
		queryFn: (ask: Ask) => data(ask.GET("/api/colleagues", { params: { query: { q } } })),
		placeholderData: keepPreviousData, // who is found stays under the hand until the answer to the next letter has come
	});
	return (
		<>
			<TextField label={props.label} autoFocus={props.autoFocus} value={words} onChange={setWords} />
			<ul
				aria-label="People"
				aria-busy={words.trim() !== q || found.isFetching}
				className="mb-3 max-h-[200px] overflow-auto border border-hair"
			>
				{found.data
					?.filter((c) => c.user.id !== props.not)
					.map((c) => {
						const here = props.value?.user.id === c.user.id;
						return (
							<li key={c.user.id}>
								<button
									type="button"
									aria-pressed={here}
									onClick={() => props.onPick(c)}
									className={`flex w-full gap-3 px-2 py-1 text-left ${here ? "bg-slate text-on-slate" : "hover:bg-sunk"}`}
								>
									<b className="grow">{c.user.name}</b>
									<span className={`narrow text-[12px] ${here ? "text-on-slate-quiet" : "text-quiet"}`}>{c.note}</span>
								</button>
							</li>
						);
					})}
				{found.data?.length === 0 && <li className="px-2 py-1 text-quiet">Nobody has this name.</li>}
			</ul>
		</>
	);
}

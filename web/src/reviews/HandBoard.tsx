import { keepPreviousData, useMutation } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { type Ask, useAsk } from "../api/ask";
import { api, data, type Schemas } from "../api/client";
import { design, useRefresh } from "../api/hooks";
import { Board } from "../parts/dialog";
import { Acts, TextField } from "../parts/fields";
import { useNotice } from "../parts/notice";

/** Gives an item to somebody else to decide, with a word why. */
export function HandBoard({
	item,
	onClose,
	onHanded,
}: {
	item: Schemas["ReviewItem"];
	onClose: () => void;
	/** It is another's now, and most likely gone from where it stood: whatever comes to stand there is not chosen. */
	onHanded?: () => void;
}) {
	const refresh = useRefresh();
	const { tell, refuse } = useNotice();
	const [words, setWords] = useState("");
	const [to, setTo] = useState<Schemas["Colleague"] | null>(null);
	const [note, setNote] = useState("");
	const q = useDeferredValue(words.trim());
	const found = useAsk({
		queryKey: [...design, "colleagues", q],
		queryFn: (ask: Ask) => data(ask.GET("/api/colleagues", { params: { query: { q } } })),
		placeholderData: keepPreviousData, // who is found stays under the hand until the answer to the next letter has come
	});
	const hand = useMutation({
		mutationFn: () =>
			data(
				api.POST("/api/review-items/{id}/hand", {
					params: { path: { id: item.id } },
					body: { to: to?.user.id ?? "", note },
				}),
			),
		onSuccess: async () => {
			onClose();
			onHanded?.();
			await refresh();
			tell(`The item about ${item.user.name} is now for ${to?.user.name} to decide.`);
		},
		onError: refuse,
	});
	return (
		<Board
			open
			onClose={onClose}
			title="Hand on"
			about={`Who knows better whether ${item.user.name} should keep ${item.target.name}?`}
		>
			<form
				onSubmit={(e) => {
					e.preventDefault();
					hand.mutate();
				}}
			>
				<TextField label="To" autoFocus value={words} onChange={setWords} />
				<ul
					aria-label="People"
					aria-busy={words.trim() !== q || found.isFetching}
					className="mb-3 max-h-[200px] overflow-auto border border-hair"
				>
					{found.data
						?.filter((c) => c.user.id !== item.user.id)
						.map((c) => (
							<li key={c.user.id}>
								<button
									type="button"
									aria-pressed={to?.user.id === c.user.id}
									onClick={() => setTo(c)}
									className={`flex w-full gap-3 px-2 py-1 text-left ${to?.user.id === c.user.id ? "bg-slate text-on-slate" : "hover:bg-sunk"}`}
								>
									<b className="grow">{c.user.name}</b>
									<span
										className={`narrow text-[12px] ${to?.user.id === c.user.id ? "text-on-slate-quiet" : "text-quiet"}`}
									>
										{c.note}
									</span>
								</button>
							</li>
						))}
					{found.data?.length === 0 && <li className="px-2 py-1 text-quiet">Nobody has this name.</li>}
				</ul>
				<TextField label="A word why" value={note} onChange={setNote} max={1000} />
				<Acts
					busy={hand.isPending}
					disabled={!to}
					name={to ? `Hand on to ${to.user.name}` : "Hand on"}
					onClose={onClose}
				/>
			</form>
		</Board>
	);
}

import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, data, type Schemas } from "../api/client";
import { useRefresh } from "../api/hooks";
import { Board } from "../parts/dialog";
import { Acts, TextField } from "../parts/fields";
import { useNotice } from "../parts/notice";
import { Colleagues } from "./Colleagues";

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
	const [to, setTo] = useState<Schemas["Colleague"] | null>(null);
	const [note, setNote] = useState("");
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
			tell(`The item about ${item.subject.name} is now for ${to?.user.name} to decide.`);
		},
		onError: refuse,
	});
	return (
		<Board
			open
			onClose={onClose}
			title="Hand on"
			about={`Who should decide instead? ${item.question.map((p) => p.text).join("")}`}
		>
			<form
				onSubmit={(e) => {
					e.preventDefault();
					hand.mutate();
				}}
			>
				<Colleagues label="To" autoFocus value={to} onPick={setTo} not={item.subject.id} />
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

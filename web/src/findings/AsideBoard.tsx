import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { setFindingsAside, useRefresh } from "../api/hooks";
import { endOf } from "../parts/days";
import { Board } from "../parts/dialog";
import { Acts, TextField } from "../parts/fields";
import { useNotice } from "../parts/notice";
import { count } from "../parts/words";

/** Sets findings aside until a day, for a reason; or no longer. */
export function AsideBoard({
	ids,
	aside,
	onClose,
	onDone,
}: {
	ids: string[];
	/** They are set aside now. */
	aside: boolean;
	onClose: () => void;
	onDone: () => void;
}) {
	const refresh = useRefresh();
	const { tell, refuse } = useNotice();
	const [until, setUntil] = useState("");
	const [reason, setReason] = useState("");
	const what = count(ids.length, "finding", "findings");
	const save = useMutation({
		mutationFn: () => setFindingsAside(aside ? { ids } : { ids, until: endOf(until), reason: reason.trim() }),
		onSuccess: async () => {
			await refresh();
			tell(aside ? `${what} listed again.` : `${what} set aside.`);
			onDone();
		},
		onError: refuse,
	});
	return (
		<Board
			open
			onClose={onClose}
			title={aside ? `List ${what} again` : `Set ${what} aside`}
			about={
				aside
					? "They are listed as findings again."
					: "They are hidden until the end of that day, and return if their cause is still there. Who set them aside, and why, stays on record."
			}
		>
			<form
				onSubmit={(e) => {
					e.preventDefault();
					save.mutate();
				}}
			>
				{!aside && (
					<>
						<TextField label="Until the end of" type="date" last required value={until} onChange={setUntil} autoFocus />
						<TextField
							label="Why it can stay as it is until then"
							required
							max={1000}
							value={reason}
							onChange={setReason}
						/>
					</>
				)}
				<Acts
					onClose={onClose}
					name={aside ? "List them again" : "Set aside"}
					disabled={!aside && (!until || !reason.trim())}
					busy={save.isPending}
				/>
			</form>
		</Board>
	);
}

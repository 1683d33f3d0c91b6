import { useState } from "react";
import type { Schemas } from "../../api/client";
import { putConflict, useDrafting } from "../../api/hooks";
import { Board } from "../../parts/dialog";
import { Acts, instantOf, TextField } from "../../parts/fields";
import { useNotice } from "../../parts/notice";

/** Lets one person break a conflict until a day, for a reason. */
export function ExceptBoard({ conflict, user, onClose }: { conflict: Schemas["DesignConflict"]; user: Schemas["Ref"]; onClose: () => void }) {
	const { refuse } = useNotice();
	const put = useDrafting(putConflict);
	const [until, setUntil] = useState("");
	const [reason, setReason] = useState("");
	return (
		<Board
			open
			onClose={onClose}
			title={`Except ${user.name}`}
			about={`${user.name} may then break “${conflict.name}” until that day. It goes into the draft.`}
		>
			<form
				onSubmit={(e) => {
					e.preventDefault();
					const exception = { user: user.id, until: instantOf(until) ?? "", reason: reason.trim() };
					put.mutate(
						{ before: conflict, after: { ...conflict, exceptions: [...(conflict.exceptions ?? []).filter((x) => x.user !== user.id), exception] } },
						{ onError: refuse, onSuccess: onClose },
					);
				}}
			>
				<TextField label="Until" required type="date" autoFocus value={until} onChange={setUntil} />
				<TextField label="Why it is tolerable until then" required value={reason} onChange={setReason} max={500} />
				<Acts busy={put.isPending} disabled={!until || !reason.trim()} onClose={onClose} />
			</form>
		</Board>
	);
}

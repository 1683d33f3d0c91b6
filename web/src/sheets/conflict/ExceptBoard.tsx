import type { Schemas } from "../../api/client";
import { putConflict } from "../../api/hooks";
import { DraftBoard, FormText, useDraftForm } from "../../parts/DraftForm";
import { endOf } from "../../parts/days";

/** Lets one person break a conflict until a day, for a reason. */
export function ExceptBoard({
	conflict,
	user,
	onClose,
}: {
	conflict: Schemas["DesignConflict"];
	user: Schemas["Ref"];
	onClose: () => void;
}) {
	const form = useDraftForm({
		start: { until: "", reason: "" },
		write: (v) => {
			const exception = { user: user.id, until: endOf(v.until) ?? "", reason: v.reason.trim() };
			const others = (conflict.exceptions ?? []).filter((x) => x.user !== user.id);
			return putConflict({ before: conflict, after: { ...conflict, exceptions: [...others, exception] } });
		},
		onClose,
	});
	return (
		<DraftBoard
			form={form}
			title={`Except ${user.name}`}
			about={`${user.name} may then break “${conflict.name}” until the end of that day. It goes into the draft.`}
			ready={!!form.watch("until") && !!form.watch("reason").trim()}
			onClose={onClose}
		>
			<FormText control={form.control} name="until" label="Until the end of" required type="date" last autoFocus />
			<FormText control={form.control} name="reason" label="Why it is acceptable until then" required max={500} />
		</DraftBoard>
	);
}

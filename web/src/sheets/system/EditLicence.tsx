import type { Schemas } from "../../api/client";
import { putLicence } from "../../api/hooks";
import { DraftBoard, FormChips, FormText, useDraftForm } from "../../parts/DraftForm";

/** Names a licence, and says how many seats there are and which other licences it covers. */
export function EditLicence({ of, onClose }: { of?: Schemas["Pool"]; onClose: () => void }) {
	const form = useDraftForm({
		start: {
			name: of?.licence.name ?? "",
			seats: of?.seats === undefined ? "" : String(of.seats),
			covers: of?.covers ?? [],
		},
		write: (v) =>
			putLicence({
				before: of && { id: of.licence.id, name: of.licence.name, seats: of.seats, covers: of.covers.map((c) => c.id) },
				after: {
					id: of?.licence.id ?? "",
					name: v.name.trim(),
					seats: v.seats === "" ? undefined : Number(v.seats),
					covers: v.covers.map((c) => c.id),
				},
			}),
		onClose,
	});
	const { control } = form;
	return (
		<DraftBoard
			form={form}
			title={of ? `Edit ${of.licence.name}` : "New licence"}
			about="What a system’s vendor counts. It goes into the draft."
			ready={!!form.watch("name").trim()}
			onClose={onClose}
		>
			<FormText control={control} name="name" label="Name" required autoFocus />
			<FormText control={control} name="seats" label="Seats" type="number" hint="Empty: no limit." />
			<FormChips
				control={control}
				name="covers"
				kinds={["licence"]}
				label="Covers these too"
				placeholder="a licence …"
			/>
		</DraftBoard>
	);
}

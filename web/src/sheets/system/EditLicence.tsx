import { useState } from "react";
import type { Schemas } from "../../api/client";
import { putLicence, useDrafting } from "../../api/hooks";
import { Board } from "../../parts/dialog";
import { Acts, Field, TextField } from "../../parts/fields";
import { useNotice } from "../../parts/notice";
import { Chips } from "../../parts/Picker";

/** Names a licence, and says how many seats there are and which other licences it covers. */
export function EditLicence({ of, onClose }: { of?: Schemas["Pool"]; onClose: () => void }) {
	const { refuse } = useNotice();
	const save = useDrafting(putLicence);
	const [name, setName] = useState(of?.licence.name ?? "");
	const [seats, setSeats] = useState(of?.seats === undefined ? "" : String(of.seats));
	const [covers, setCovers] = useState(of?.covers ?? []);
	return (
		<Board
			open
			onClose={onClose}
			title={of ? `Edit ${of.licence.name}` : "New licence"}
			about="What a system’s vendor counts. It goes into the draft."
		>
			<form
				onSubmit={(e) => {
					e.preventDefault();
					const after = {
						id: of?.licence.id ?? "",
						name: name.trim(),
						seats: seats === "" ? undefined : Number(seats),
						covers: covers.map((c) => c.id),
					};
					const before = of && { id: of.licence.id, name: of.licence.name, seats: of.seats, covers: of.covers.map((c) => c.id) };
					save.mutate({ before, after }, { onError: refuse, onSuccess: onClose });
				}}
			>
				<TextField label="Name" required autoFocus value={name} onChange={setName} />
				<TextField label="Seats" type="number" value={seats} onChange={setSeats} hint="Empty: no limit." />
				<Field label="Covers these too">
					{() => <Chips kinds={["licence"]} label="Covers these too" placeholder="a licence …" chosen={covers} onChange={setCovers} />}
				</Field>
				<Acts busy={save.isPending} disabled={!name.trim()} onClose={onClose} />
			</form>
		</Board>
	);
}

import { useState } from "react";
import { useNavigate } from "react-router";
import type { Schemas } from "../../api/client";
import { putSystem, useDrafting } from "../../api/hooks";
import { useTo } from "../../house/lens";
import { Board } from "../../parts/dialog";
import { Acts, Field, orNone, TextField } from "../../parts/fields";
import { madeBy } from "../../parts/made";
import { useNotice } from "../../parts/notice";
import { PickOne } from "../../parts/Picker";

/** Names and describes a system; its permissions are edited one by one. */
export function EditSystem({
	of,
	needs,
	onClose,
}: {
	of?: Schemas["DesignSystem"];
	/** The licence that its users need until now, by name. */
	needs?: Schemas["Ref"];
	onClose: () => void;
}) {
	const { refuse } = useNotice();
	const navigate = useNavigate();
	const to = useTo();
	const [name, setName] = useState(of?.name ?? "");
	const [description, setDescription] = useState(of?.description ?? "");
	const [supplier, setSupplier] = useState(of?.supplier ?? "");
	const [version, setVersion] = useState(of?.version ?? "");
	const [licence, setLicence] = useState(needs);
	const save = useDrafting(putSystem);
	return (
		<Board
			open
			onClose={onClose}
			title={of ? `Edit ${of.name}` : "New system"}
			about={of ? undefined : "A system owns permissions: what can be granted in it. They are added on its sheet."}
		>
			<form
				onSubmit={(e) => {
					e.preventDefault();
					const said = {
						name: name.trim(),
						description: orNone(description),
						supplier: orNone(supplier),
						version: orNone(version),
						licence: licence?.id,
					};
					save.mutate(of ? { before: of, after: { ...of, ...said } } : { after: { id: "", ...said, permissions: [] } }, {
						onError: refuse,
						onSuccess: (draft) => {
							onClose();
							const id = of ? undefined : madeBy(draft, "system");
							if (id) navigate(to(`/systems/${encodeURIComponent(id)}`));
						},
					});
				}}
			>
				<TextField label="Name" required autoFocus value={name} onChange={setName} hint={of ? `id ${of.id}, which stays` : undefined} />
				<TextField label="What it is" lines={2} value={description} onChange={setDescription} />
				<div className="grid grid-cols-2 gap-4">
					<TextField label="Supplier" value={supplier} onChange={setSupplier} />
					<TextField label="Version of its catalogue" value={version} onChange={setVersion} />
				</div>
				<Field label="Licence that its users need">
					{() => <PickOne kinds={["licence"]} label="Licence" placeholder="none" value={licence} onChange={setLicence} />}
				</Field>
				<Acts busy={save.isPending} disabled={!name.trim()} onClose={onClose} />
			</form>
		</Board>
	);
}

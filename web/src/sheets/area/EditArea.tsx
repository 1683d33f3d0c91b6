import { useState } from "react";
import { useNavigate } from "react-router";
import type { Schemas } from "../../api/client";
import { putArea, useAreas, useDrafting } from "../../api/hooks";
import { useTo } from "../../house/lens";
import { Board } from "../../parts/dialog";
import { Acts, Field, orNone, TextField } from "../../parts/fields";
import { madeBy } from "../../parts/made";
import { useNotice } from "../../parts/notice";
import { PickOne } from "../../parts/Picker";

/** Names an area and says what it lies in. */
export function EditArea({ of, parent, onClose }: { of?: Schemas["AreaSheet"]; parent?: Schemas["Ref"]; onClose: () => void }) {
	const { refuse } = useNotice();
	const navigate = useNavigate();
	const to = useTo();
	const areas = useAreas();
	const root = of !== undefined && !of.area.parent;
	const [name, setName] = useState(of?.ref.name ?? "");
	const [kind, setKind] = useState(of?.area.kind ?? "");
	const [within, setWithin] = useState<Schemas["Ref"] | undefined>(of ? of.path.at(-1) : parent);
	const save = useDrafting(putArea);
	return (
		<Board
			open
			onClose={onClose}
			title={of ? `Edit ${of.ref.name}` : "New area"}
			about={
				of
					? "If it moves, what is granted above its new place counts here, and what is granted above the old one does so no longer. The sill shows who gains and loses."
					: "A place where grants count: a site, a line, an office."
			}
		>
			<form
				onSubmit={(e) => {
					e.preventDefault();
					const said = { name: name.trim(), kind: orNone(kind), parent: root ? undefined : (within?.id ?? areas.data?.[0]?.id) };
					save.mutate(of ? { before: of.area, after: { ...of.area, ...said } } : { after: { id: "", ...said } }, {
						onError: refuse,
						onSuccess: (draft) => {
							onClose();
							const id = of ? undefined : madeBy(draft, "area");
							if (id) navigate(to(`/areas/${encodeURIComponent(id)}`));
						},
					});
				}}
			>
				<TextField label="Name" required autoFocus value={name} onChange={setName} hint={of ? `id ${of.ref.id}, which stays` : undefined} />
				<TextField label="Kind" value={kind} onChange={setKind} hint="As you call such places: terminal, line, office …" />
				{!root && (
					<Field label="Lies in">
						{() => (
							<PickOne
								kinds={["area"]}
								label="Lies in"
								placeholder="the whole organisation"
								without={of && [of.ref.id, ...of.below.map((b) => b.ref.id)]}
								value={within}
								onChange={setWithin}
							/>
						)}
					</Field>
				)}
				<Acts busy={save.isPending} disabled={!name.trim()} onClose={onClose} />
			</form>
		</Board>
	);
}

import { useState } from "react";
import { useNavigate } from "react-router";
import type { Schemas } from "../../api/client";
import { putConflict, useDrafting } from "../../api/hooks";
import { useTo } from "../../house/lens";
import { Board } from "../../parts/dialog";
import { Acts, Field, orNone, TextField } from "../../parts/fields";
import { madeBy } from "../../parts/made";
import { useNotice } from "../../parts/notice";
import { Chips } from "../../parts/Picker";

/** Says what nobody may hold together, and where that counts. */
export function EditConflict({ of: edited, copy, onClose }: { of?: Schemas["ConflictSheet"]; copy?: Schemas["ConflictSheet"]; onClose: () => void }) {
	const of = edited ?? copy;
	const { refuse } = useNotice();
	const navigate = useNavigate();
	const to = useTo();
	const [name, setName] = useState(copy ? `${copy.ref.name}, copy` : (of?.ref.name ?? ""));
	const [description, setDescription] = useState(of?.conflict.description ?? "");
	const [items, setItems] = useState(of?.items ?? []);
	const [limit, setLimit] = useState(String(of?.conflict.limit ?? 1));
	const [where, setWhere] = useState(of?.conflict.where || "same-area");
	const save = useDrafting(putConflict);
	return (
		<Board
			open
			onClose={onClose}
			title={edited ? `Edit ${edited.ref.name}` : "New conflict"}
			about="Separation of duties: what nobody may hold together."
		>
			<form
				onSubmit={(e) => {
					e.preventDefault();
					const said = {
						name: name.trim(),
						description: orNone(description),
						items: items.map((i) => (i.kind === "role" ? { role: i.id } : { permission: i.id })),
						limit: Number(limit) || 1,
						where,
					};
					save.mutate(edited ? { before: edited.conflict, after: { ...edited.conflict, ...said } } : { after: { id: "", ...said } }, {
						onError: refuse,
						onSuccess: (draft) => {
							onClose();
							const id = edited ? undefined : madeBy(draft, "conflict");
							if (id) navigate(to(`/conflicts/${encodeURIComponent(id)}`));
						},
					});
				}}
			>
				<TextField label="Name" required autoFocus value={name} onChange={setName} />
				<TextField label="Why" lines={2} value={description} onChange={setDescription} />
				<Field label="Of these permissions and roles">
					{() => (
						<Chips
							kinds={["permission", "role"]}
							label="Permissions and roles"
							placeholder="a permission or role …"
							chosen={items}
							onChange={setItems}
						/>
					)}
				</Field>
				<p className="text-[15px] leading-[38px]">
					nobody may hold more than{" "}
					<input
						type="number"
						aria-label="At most"
						min={1}
						max={Math.max(1, items.length - 1)}
						className="board w-[64px] px-2 py-1 leading-normal font-semibold text-slate"
						value={limit}
						onChange={(e) => setLimit(e.target.value)}
					/>{" "}
					<select
						aria-label="Where"
						className="board px-2 py-1 leading-normal font-semibold text-slate"
						value={where}
						onChange={(e) => setWhere(e.target.value)}
					>
						<option value="same-area">in one area</option>
						<option value="anywhere">anywhere</option>
					</select>
				</p>
				<Acts busy={save.isPending} disabled={!name.trim() || items.length < 2} onClose={onClose} />
			</form>
		</Board>
	);
}

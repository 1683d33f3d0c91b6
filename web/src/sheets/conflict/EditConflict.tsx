import type { Schemas } from "../../api/client";
import { putConflict } from "../../api/hooks";
import { DraftBoard, FormChips, FormText, useDraftForm } from "../../parts/DraftForm";
import { orNone } from "../../parts/fields";

/** Says what nobody may hold together, and where that counts. */
export function EditConflict({
	of: edited,
	copy,
	onClose,
}: {
	of?: Schemas["ConflictSheet"];
	copy?: Schemas["ConflictSheet"];
	onClose: () => void;
}) {
	const of = edited ?? copy;
	const form = useDraftForm({
		start: {
			name: copy ? `${copy.ref.name}, copy` : (of?.ref.name ?? ""),
			description: of?.conflict.description ?? "",
			items: of?.items ?? [],
			limit: String(of?.conflict.limit ?? 1),
			where: of?.conflict.where || "same-area",
		},
		write: (v) => {
			const said = {
				name: v.name.trim(),
				description: orNone(v.description),
				items: v.items.map((i) => (i.kind === "role" ? { role: i.id } : { permission: i.id })),
				limit: Number(v.limit) || 1,
				where: v.where,
			};
			return putConflict(
				edited ? { before: edited.conflict, after: { ...edited.conflict, ...said } } : { after: { id: "", ...said } },
			);
		},
		makes: edited ? undefined : "conflict",
		onClose,
	});
	const { control, register, watch } = form;
	const [name, items] = watch(["name", "items"]);
	return (
		<DraftBoard
			form={form}
			title={edited ? `Edit ${edited.ref.name}` : "New conflict"}
			about="Separation of duties: what nobody may hold together."
			ready={!!name.trim() && items.length >= 2}
			onClose={onClose}
		>
			<FormText control={control} name="name" label="Name" required autoFocus />
			<FormText control={control} name="description" label="Why" lines={2} />
			<FormChips
				control={control}
				name="items"
				field="Of these permissions and roles"
				kinds={["permission", "role"]}
				label="Permissions and roles"
				placeholder="a permission or role …"
			/>
			<p className="text-[15px] leading-[38px]">
				nobody may hold more than{" "}
				<input
					type="number"
					aria-label="At most"
					min={1}
					max={Math.max(1, items.length - 1)}
					className="board w-[64px] px-2 py-1 leading-normal font-semibold text-slate"
					{...register("limit")}
				/>{" "}
				<select
					aria-label="Where"
					className="board px-2 py-1 leading-normal font-semibold text-slate"
					{...register("where")}
				>
					<option value="same-area">in one area</option>
					<option value="anywhere">anywhere</option>
				</select>
			</p>
		</DraftBoard>
	);
}

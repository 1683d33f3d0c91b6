import type { Schemas } from "../../api/client";
import { putSystem } from "../../api/hooks";
import { DraftBoard, FormPick, FormText, useDraftForm } from "../../parts/DraftForm";
import { orNone } from "../../parts/fields";

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
	const form = useDraftForm({
		start: {
			name: of?.name ?? "",
			description: of?.description ?? "",
			supplier: of?.supplier ?? "",
			version: of?.version ?? "",
			licence: needs,
		},
		write: (v) => {
			const said = {
				name: v.name.trim(),
				description: orNone(v.description),
				supplier: orNone(v.supplier),
				version: orNone(v.version),
				licence: v.licence?.id,
			};
			return putSystem(
				of ? { before: of, after: { ...of, ...said } } : { after: { id: "", ...said, permissions: [] } },
			);
		},
		makes: of ? undefined : "system",
		onClose,
	});
	const { control } = form;
	return (
		<DraftBoard
			form={form}
			title={of ? `Edit ${of.name}` : "New system"}
			about={of ? undefined : "A system owns permissions: what can be granted in it. They are added on its sheet."}
			ready={!!form.watch("name").trim()}
			onClose={onClose}
		>
			<FormText
				control={control}
				name="name"
				label="Name"
				required
				autoFocus
				hint={of ? `id ${of.id}, which stays` : undefined}
			/>
			<FormText control={control} name="description" label="What it is" lines={2} />
			<div className="grid grid-cols-2 gap-4">
				<FormText control={control} name="supplier" label="Supplier" />
				<FormText control={control} name="version" label="Version of its catalogue" />
			</div>
			<FormPick
				control={control}
				name="licence"
				field="Licence that its users need"
				kinds={["licence"]}
				label="Licence"
				placeholder="none"
			/>
		</DraftBoard>
	);
}

import type { Schemas } from "../../api/client";
import { putArea, useAreas } from "../../api/hooks";
import { DraftBoard, FormPick, FormText, useDraftForm } from "../../parts/DraftForm";
import { orNone } from "../../parts/fields";

/** Names an area and says what it lies in. */
export function EditArea({
	of,
	parent,
	onClose,
}: {
	of?: Schemas["AreaSheet"];
	parent?: Schemas["Ref"];
	onClose: () => void;
}) {
	const areas = useAreas();
	const root = of !== undefined && !of.area.parent;
	const form = useDraftForm({
		start: {
			name: of?.ref.name ?? "",
			kind: of?.area.kind ?? "",
			within: (of ? of.path.at(-1) : parent) as Schemas["Ref"] | undefined,
		},
		write: (v) => {
			const said = {
				name: v.name.trim(),
				kind: orNone(v.kind),
				parent: root ? undefined : (v.within?.id ?? areas.data?.[0]?.id),
			};
			return putArea(of ? { before: of.area, after: { ...of.area, ...said } } : { after: { id: "", ...said } });
		},
		makes: of ? undefined : "area",
		onClose,
	});
	const { control } = form;
	return (
		<DraftBoard
			form={form}
			title={of ? `Edit ${of.ref.name}` : "New area"}
			about={
				of
					? "If it moves, what is granted above its new place applies here, and what is granted above the old one no longer does. The draft shows who gains and loses."
					: "A place where grants count: a site, a line, an office."
			}
			ready={!!form.watch("name").trim()}
			onClose={onClose}
		>
			<FormText
				control={control}
				name="name"
				label="Name"
				required
				autoFocus
				hint={of ? `id ${of.ref.id}, which stays` : undefined}
			/>
			<FormText control={control} name="kind" label="Kind" hint="For instance terminal, line, office …" />
			{!root && (
				<FormPick
					control={control}
					name="within"
					kinds={["area"]}
					label="Lies in"
					placeholder="the whole organisation"
					without={of && [of.ref.id, ...of.below.map((b) => b.ref.id)]}
				/>
			)}
		</DraftBoard>
	);
}

import type { Schemas } from "../../api/client";
import { putSystem } from "../../api/hooks";
import { DraftBoard, FormCheck, FormChips, FormPick, FormText, useDraftForm } from "../../parts/DraftForm";
import { Field, orNone } from "../../parts/fields";
import { riskWords } from "../../parts/words";

type System = Schemas["DesignSystem"];
type Ref = Schemas["Ref"];

/** Says what a permission of a system is: what it touches, what it does, how dangerous it is. */
export function EditPermission({
	system,
	of,
	needs,
	onClose,
}: {
	system: System;
	of?: string;
	/** The licence that its user needs until now, by name. */
	needs?: Ref;
	onClose: () => void;
}) {
	const p = system.permissions.find((x) => x.key === of);
	const [, object, action] = (of ?? "::").split(":");
	const licence: Ref | undefined = p?.licence
		? { kind: "licence", id: p.licence, name: needs?.id === p.licence ? needs.name : p.licence }
		: undefined;
	const form = useDraftForm({
		start: {
			object,
			action,
			label: p?.label ?? "",
			description: p?.description ?? "",
			module: p?.module ?? "",
			class: p?.class || "read",
			risk: String(p?.risk ?? 0),
			whole: p?.span === "organisation",
			implies: (p?.implies ?? []).map((k): Ref => ({ kind: "permission", id: k, name: k })),
			licence,
		},
		write: (v) => {
			const after: Schemas["DesignPermission"] = {
				key: of ?? `${system.id}:${v.object.trim()}:${v.action.trim()}`,
				label: orNone(v.label),
				description: orNone(v.description),
				module: orNone(v.module),
				class: v.class,
				risk: Number(v.risk) || undefined,
				span: v.whole ? "organisation" : "area",
				implies: v.implies.map((i) => i.id),
				licence: v.licence?.id,
			};
			const permissions = of
				? system.permissions.map((x) => (x.key === of ? after : x))
				: [...system.permissions, after];
			return putSystem({ before: system, after: { ...system, permissions } });
		},
		onClose,
	});
	const { control, register, watch } = form;
	const said = watch(["object", "action"]);
	return (
		<DraftBoard
			form={form}
			wide
			title={of ? `Edit ${of}` : `New permission of ${system.name}`}
			about="What changes here changes in every set and role that has it: the draft shows who gains and loses."
			ready={said.every((s) => s.trim())}
			onClose={onClose}
		>
			<div className="grid grid-cols-3 gap-x-4">
				{!of && (
					<>
						<FormText control={control} name="object" label="Object, or object.field" required autoFocus />
						<FormText control={control} name="action" label="Action" required />
					</>
				)}
				<FormText control={control} name="module" label="Module" />
			</div>
			<FormText control={control} name="label" label="Label" hint="As after “may”: override gate" />
			<FormText control={control} name="description" label="What it does, and what can go wrong" lines={2} />
			<div className="grid grid-cols-3 gap-x-4">
				<Field label="Class">
					{(id) => (
						<select id={id} className="field" {...register("class")}>
							<option value="read">read</option>
							<option value="write">write</option>
							<option value="admin">admin</option>
						</select>
					)}
				</Field>
				<Field label="Risk">
					{(id) => (
						<select id={id} className="field" {...register("risk")}>
							{[0, 1, 2, 3].map((r) => (
								<option key={r} value={r}>
									{riskWords[r] || "none"}
								</option>
							))}
						</select>
					)}
				</Field>
				<FormPick
					control={control}
					name="licence"
					field="Licence, if not the system’s"
					kinds={["licence"]}
					label="Licence"
					placeholder="the system’s"
				/>
			</div>
			<FormCheck control={control} name="whole">
				cannot be limited to an area: it shows or touches everything
			</FormCheck>
			<FormChips
				control={control}
				name="implies"
				field="Cannot do without (of the same system)"
				kinds={["permission"]}
				label="Cannot do without"
				placeholder="a permission …"
			/>
		</DraftBoard>
	);
}

import { useState } from "react";
import type { Schemas } from "../../api/client";
import { putSystem, useDrafting } from "../../api/hooks";
import { Board } from "../../parts/dialog";
import { Acts, Field, orNone, TextField } from "../../parts/fields";
import { useNotice } from "../../parts/notice";
import { Chips, PickOne } from "../../parts/Picker";
import { riskWords } from "../../parts/words";

type System = Schemas["DesignSystem"];

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
	needs?: Schemas["Ref"];
	onClose: () => void;
}) {
	const { refuse } = useNotice();
	const save = useDrafting(putSystem);
	const p = system.permissions.find((x) => x.key === of);
	const [, wasObject, wasAction] = (of ?? "::").split(":");
	const [object, setObject] = useState(wasObject);
	const [action, setAction] = useState(wasAction);
	const [label, setLabel] = useState(p?.label ?? "");
	const [description, setDescription] = useState(p?.description ?? "");
	const [module, setModule] = useState(p?.module ?? "");
	const [cls, setClass] = useState(p?.class || "read");
	const [risk, setRisk] = useState(p?.risk ?? 0);
	const [whole, setWhole] = useState(p?.span === "organisation");
	const [implies, setImplies] = useState<Schemas["Ref"][]>((p?.implies ?? []).map((k) => ({ kind: "permission", id: k, name: k })));
	const [licence, setLicence] = useState<Schemas["Ref"] | undefined>(
		p?.licence ? { kind: "licence", id: p.licence, name: needs?.id === p.licence ? needs.name : p.licence } : undefined,
	);
	return (
		<Board
			open
			wide
			onClose={onClose}
			title={of ? `Edit ${of}` : `New permission of ${system.name}`}
			about="What changes here changes in every set and role that has it: the sill shows who gains and loses."
		>
			<form
				onSubmit={(e) => {
					e.preventDefault();
					const after: Schemas["DesignPermission"] = {
						key: of ?? `${system.id}:${object.trim()}:${action.trim()}`,
						label: orNone(label),
						description: orNone(description),
						module: orNone(module),
						class: cls,
						risk: risk || undefined,
						span: whole ? "organisation" : "area",
						implies: implies.map((i) => i.id),
						licence: licence?.id,
					};
					const permissions = of ? system.permissions.map((x) => (x.key === of ? after : x)) : [...system.permissions, after];
					save.mutate({ before: system, after: { ...system, permissions } }, { onError: refuse, onSuccess: onClose });
				}}
			>
				<div className="grid grid-cols-3 gap-x-4">
					{!of && (
						<>
							<TextField label="Object, or object.field" required autoFocus value={object} onChange={setObject} />
							<TextField label="Action" required value={action} onChange={setAction} />
						</>
					)}
					<TextField label="Module" value={module} onChange={setModule} />
				</div>
				<TextField label="Label" value={label} onChange={setLabel} hint="As after “may”: override gate" />
				<TextField label="What it does, and what can go wrong" lines={2} value={description} onChange={setDescription} />
				<div className="grid grid-cols-3 gap-x-4">
					<Field label="Class">
						{(id) => (
							<select id={id} className="field" value={cls} onChange={(e) => setClass(e.target.value)}>
								<option value="read">read</option>
								<option value="write">write</option>
								<option value="admin">admin</option>
							</select>
						)}
					</Field>
					<Field label="Risk">
						{(id) => (
							<select id={id} className="field" value={risk} onChange={(e) => setRisk(Number(e.target.value))}>
								{[0, 1, 2, 3].map((r) => (
									<option key={r} value={r}>
										{riskWords[r] || "none"}
									</option>
								))}
							</select>
						)}
					</Field>
					<Field label="Licence, if not the system’s">
						{() => <PickOne kinds={["licence"]} label="Licence" placeholder="the system’s" value={licence} onChange={setLicence} />}
					</Field>
				</div>
				<label className="mb-3 flex items-center gap-2">
					<input type="checkbox" checked={whole} onChange={(e) => setWhole(e.target.checked)} />
					cannot be limited to an area: it shows or touches everything
				</label>
				<Field label="Cannot do without (of the same system)">
					{() => <Chips kinds={["permission"]} label="Cannot do without" placeholder="a permission …" chosen={implies} onChange={setImplies} />}
				</Field>
				<Acts busy={save.isPending} disabled={!of && (!object.trim() || !action.trim())} onClose={onClose} />
			</form>
		</Board>
	);
}

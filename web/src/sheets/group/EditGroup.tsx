import { useState } from "react";
import { useNavigate } from "react-router";
import type { Schemas } from "../../api/client";
import { putGroup, useDrafting } from "../../api/hooks";
import { useTo } from "../../house/lens";
import { Board } from "../../parts/dialog";
import { Acts, Field, orNone, TakeOver, TextField } from "../../parts/fields";
import { madeBy } from "../../parts/made";
import { useNotice } from "../../parts/notice";
import { PickOne } from "../../parts/Picker";
import { RuleBox } from "./RuleBox";

/** Names and describes a group, says where it can be granted, and for a new one how it finds its members. */
export function EditGroup({ of, copy, onClose }: { of?: Schemas["GroupSheet"]; copy?: Schemas["GroupSheet"]; onClose: () => void }) {
	const { refuse } = useNotice();
	const navigate = useNavigate();
	const to = useTo();
	const from = (of ?? copy)?.group;
	const [name, setName] = useState(copy ? `${from?.name}, copy` : (from?.name ?? ""));
	const [description, setDescription] = useState(from?.description ?? "");
	const [externalId, setExternalId] = useState(of?.group?.externalId ?? "");
	const [owner, setOwner] = useState((of ?? copy)?.owner);
	const [home, setHome] = useState((of ?? copy)?.home);
	const [listed, setListed] = useState(from?.listed ?? true);
	const [byRule, setByRule] = useState(from?.kind === "rule");
	const [rule, setRule] = useState(from?.rule ?? "");
	const [over, setOver] = useState(false);
	const kept = of?.group?.source === "directory" && !over;
	const save = useDrafting(putGroup);
	return (
		<Board
			open
			onClose={onClose}
			title={of ? `Edit ${of.ref.name}` : "New group"}
			about={of ? undefined : "Grant to groups: one removal from a group is then the whole removal."}
		>
			<form
				onSubmit={(e) => {
					e.preventDefault();
					const said = {
						name: name.trim(),
						description: orNone(description),
						owner: owner?.id,
						area: home?.id,
						externalId: orNone(externalId),
						listed: listed ? undefined : false,
						...(over ? { source: undefined } : {}),
					};
					save.mutate(
						of?.group
							? { before: of.group, after: { ...of.group, ...said } }
							: { after: { id: "", ...said, ...(byRule ? { kind: "rule", rule } : { users: copy?.group?.users, groups: copy?.group?.groups }) } },
						{
							onError: refuse,
							onSuccess: (draft) => {
								onClose();
								const id = of ? undefined : madeBy(draft, "group");
								if (id) navigate(to(`/groups/${encodeURIComponent(id)}`));
							},
						},
					);
				}}
			>
				{of?.group?.source === "directory" && of.lock && <TakeOver lock={of.lock} over={over} onOver={setOver} />}
				<TextField
					label="Name"
					required
					autoFocus={!kept}
					kept={kept}
					value={name}
					onChange={setName}
					hint={of ? `id ${of.ref.id}, which stays` : undefined}
				/>
				<TextField label="Who is in it, and why" lines={2} value={description} onChange={setDescription} />
				<div className="grid grid-cols-2 gap-4">
					<Field label="Owner">{() => <PickOne kinds={["user"]} label="Owner" placeholder="a person …" value={owner} onChange={setOwner} />}</Field>
					<Field label="Home area" hint="It can then be granted only there or below.">
						{() => <PickOne kinds={["area"]} label="Home area" placeholder="anywhere" value={home} onChange={setHome} />}
					</Field>
				</div>
				<TextField label="External id, for imports" kept={kept} value={externalId} onChange={setExternalId} />
				<label className="mb-3 flex items-center gap-2">
					<input type="checkbox" checked={!listed} onChange={(e) => setListed(!e.target.checked)} />
					hidden from delegates
				</label>
				{!of && (
					<fieldset className="mb-2">
						<legend className="text-[12px] text-quiet">Members</legend>
						<label className="mr-5 inline-flex items-center gap-2">
							<input type="radio" name="kind" checked={!byRule} onChange={() => setByRule(false)} />
							listed one by one
						</label>
						<label className="inline-flex items-center gap-2">
							<input type="radio" name="kind" checked={byRule} onChange={() => setByRule(true)} />
							found by a rule
						</label>
						{byRule && <RuleBox rule={rule} onRule={setRule} />}
					</fieldset>
				)}
				<Acts busy={save.isPending} disabled={!name.trim() || (byRule && !of && !rule.trim())} onClose={onClose} />
			</form>
		</Board>
	);
}

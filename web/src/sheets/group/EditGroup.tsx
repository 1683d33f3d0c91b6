import type { Schemas } from "../../api/client";
import { putGroup } from "../../api/hooks";
import { DraftBoard, FormCheck, FormPick, FormText, useDraftForm } from "../../parts/DraftForm";
import { orNone, TakeOver } from "../../parts/fields";
import { RuleBox } from "./RuleBox";

/** Names and describes a group, says where it can be granted, and for a new one how it finds its members. */
export function EditGroup({
	of,
	copy,
	onClose,
}: {
	of?: Schemas["GroupSheet"];
	copy?: Schemas["GroupSheet"];
	onClose: () => void;
}) {
	const like = of ?? copy;
	const form = useDraftForm({
		start: {
			name: copy ? `${copy.group?.name}, copy` : (of?.group?.name ?? ""),
			description: like?.group?.description ?? "",
			externalId: of?.group?.externalId ?? "",
			owner: like?.owner,
			home: like?.home,
			hidden: like?.group?.listed === false,
			byRule: like?.group?.kind === "rule",
			rule: like?.group?.rule ?? "",
			over: false,
			feed: false,
		},
		write: (v) => {
			const said = {
				name: v.name.trim(),
				description: orNone(v.description),
				owner: v.owner?.id,
				area: v.home?.id,
				externalId: orNone(v.externalId),
				listed: v.hidden ? false : undefined,
				...(v.over ? { source: undefined } : v.feed ? { source: "directory" } : {}),
			};
			if (of?.group) return putGroup({ before: of.group, after: { ...of.group, ...said } });
			const members = v.byRule
				? { kind: "rule", rule: v.rule }
				: { users: copy?.group?.users, groups: copy?.group?.groups };
			return putGroup({ after: { id: "", ...said, ...members } });
		},
		makes: of ? undefined : "group",
		onClose,
	});
	const { control, watch, setValue } = form;
	const [name, byRule, rule, over] = watch(["name", "byRule", "rule", "over"]);
	const kept = of?.group?.source === "directory" && !over;
	return (
		<DraftBoard
			form={form}
			title={of ? `Edit ${of.ref.name}` : "New group"}
			about={of ? undefined : "Assign to groups: one removal from a group then removes everything."}
			ready={!!name.trim() && (!byRule || !!of || !!rule.trim())}
			onClose={onClose}
		>
			{of?.group?.source === "directory" && of.lock && (
				<TakeOver lock={of.lock} over={over} onOver={(on) => setValue("over", on)} />
			)}
			<FormText
				control={control}
				name="name"
				label="Name"
				required
				autoFocus={!kept}
				kept={kept}
				hint={of ? `id ${of.ref.id}, which stays` : undefined}
			/>
			<FormText control={control} name="description" label="Who is in it, and why" lines={2} />
			<div className="grid grid-cols-2 gap-4">
				<FormPick control={control} name="owner" kinds={["user"]} label="Owner" placeholder="a person …" />
				<FormPick
					control={control}
					name="home"
					kinds={["area"]}
					label="Home area"
					placeholder="anywhere"
					hint="It can then be granted only there or below."
				/>
			</div>
			<FormText control={control} name="externalId" label="External id, for imports" kept={kept} />
			<FormCheck control={control} name="hidden">
				hidden from delegates
			</FormCheck>
			{of?.group && of.group.source !== "directory" && of.group.kind !== "rule" && (
				<FormCheck control={control} name="feed">
					from now on, a directory decides who is in it: the first that mentions it
				</FormCheck>
			)}
			{!of && (
				<fieldset className="mb-2">
					<legend className="text-[12px] text-quiet">Members</legend>
					{[false, true].map((way) => (
						<label key={String(way)} className="mr-5 inline-flex items-center gap-2">
							<input type="radio" name="kind" checked={byRule === way} onChange={() => setValue("byRule", way)} />
							{way ? "found by a rule" : "listed one by one"}
						</label>
					))}
					{byRule && <RuleBox rule={rule} onRule={(text) => setValue("rule", text)} />}
				</fieldset>
			)}
		</DraftBoard>
	);
}

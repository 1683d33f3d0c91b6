import { useState } from "react";
import { useFieldArray } from "react-hook-form";
import type { Schemas } from "../../api/client";
import { draftEngage, putPerson, useAreas } from "../../api/hooks";
import { useHouse } from "../../house/context";
import { may, mayEither } from "../../house/rights";
import { Peers } from "../../moving/Peers";
import { DayField } from "../../parts/DayField";
import { DraftBoard, FormCheck, FormChips, FormPick, FormText, useDraftForm } from "../../parts/DraftForm";
import { beginLike, dayOf, endLike, endOf, lastDayOf } from "../../parts/days";
import { Field, orNone, TakeOver } from "../../parts/fields";
import { useNotice } from "../../parts/notice";
import { EditBundle } from "../role/EditBundle";
import { type Give, Gives } from "./Gives";
import { Known } from "./Known";

type Ref = Schemas["Ref"];

const thingOf = (r: Ref) => ({ kind: r.kind as Schemas["End"]["kind"], id: r.id });

/** Invites somebody, or edits who they are. */
export function EditPerson({
	of: edited,
	like,
	onClose,
}: {
	of?: Schemas["Person"];
	like?: Schemas["Person"];
	onClose: () => void;
}) {
	const of = edited ?? like;
	const { me } = useHouse();
	const { tell } = useNotice();
	const areas = useAreas();
	const o = edited?.object;
	const alike = of?.object;
	// What is taken of what peers hold, and what was turned on or off of it by hand.
	const [shares, setShares] = useState<Schemas["PeerShare"][]>([]);
	const [turned, setTurned] = useState<Record<string, boolean>>({});
	const form = useDraftForm({
		start: {
			name: o?.displayName ?? "",
			userName: o?.userName ?? "",
			email: o?.email ?? "",
			title: alike?.title ?? "",
			department: alike?.department ?? "",
			userType: alike?.userType ?? "",
			externalId: o?.externalId ?? "",
			area: (of?.area.id === areas.data?.[0]?.id ? undefined : of?.area) as Ref | undefined,
			manager: of?.manager,
			licences: edited?.licences ?? [],
			from: dayOf(o?.from),
			until: lastDayOf(o?.until),
			skills: (o?.qualifications ?? []).map((q) => ({
				was: q,
				type: q.type,
				level: q.level === undefined ? "" : String(q.level),
				until: lastDayOf(q.until),
			})),
			gives: [] as Give[],
			groups: [] as Ref[],
			over: false,
			feed: false,
		},
		write: (v) => {
			const said = {
				displayName: v.name.trim(),
				userName: v.userName.trim() || v.email.trim() || v.name.trim().toLowerCase().replace(/\s+/g, "."),
				email: orNone(v.email),
				title: orNone(v.title),
				department: orNone(v.department),
				userType: orNone(v.userType),
				externalId: orNone(v.externalId),
				area: v.area?.id,
				manager: v.manager?.id ?? (of?.manager ? undefined : o?.manager), // one out of sight stays
				licences: v.licences.map((l) => l.id),
				from: beginLike(v.from, o?.from),
				until: endLike(v.until, o?.until),
				qualifications: v.skills
					.filter((q) => q.type.trim())
					.map((q) => ({
						type: q.type.trim(),
						level: q.level === "" ? undefined : Number(q.level),
						until: endLike(q.until, q.was?.until),
					})),
				...(v.over ? { source: undefined } : v.feed ? { source: "directory" } : {}),
			};
			if (o) return putPerson({ before: o, after: { ...o, ...said } });
			const kinds = (...of: string[]) => shares.filter((s) => of.includes(s.thing.kind));
			return draftEngage({
				person: {
					id: "",
					state: "invited",
					...said,
					licences: [...new Set([...said.licences, ...kinds("licence").map((s) => s.thing.id)])],
				},
				grants: [
					...v.gives.map((g) => ({
						to: thingOf(g.thing),
						terms: { area: g.area === undefined ? v.area?.id : orNone(g.area), until: endOf(g.until || v.until) },
					})),
					...kinds("role", "set").map((s) => ({
						to: thingOf(s.thing),
						terms: {
							area: s.home ? v.area?.id : s.area,
							reach: s.reach as Schemas["JoinTerms"]["reach"],
							mode: s.mode as Schemas["JoinTerms"]["mode"],
							until: endOf(v.until),
						},
					})),
				],
				groups: [...new Set([...v.groups, ...kinds("group").map((s) => s.thing)].map((g) => g.id))],
			});
		},
		makes: o ? undefined : "user",
		onClose,
	});
	const { control, watch, register, setValue, setFocus } = form;
	const skills = useFieldArray({ control, name: "skills" });
	const [name, area, manager, until, over] = watch(["name", "area", "manager", "until", "over"]);
	const [userName, email, externalId] = watch(["userName", "email", "externalId"]);
	const gives = watch("gives");
	const [makes, setMakes] = useState<"role" | "set">();
	const [title, department] = watch(["title", "department"]);
	const fed = o?.source === "directory" && !over;
	// What the viewer may change of somebody who is there: of somebody new, all that goes with an invitation.
	const lets = (action: string) => !edited || edited.may.includes(action);
	const kept = fed || !lets("edit");
	const whole = !o || may(me, "people:edit");
	const moves = !fed && lets("move");
	const another = (v: { name: string }) => {
		tell(`The invitation of ${v.name.trim()} is in your draft. Go on with the next.`);
		for (const field of ["name", "userName", "email", "externalId"] as const) setValue(field, "");
		setFocus("name");
	};
	return (
		<>
			<DraftBoard
				form={form}
				wide
				title={edited ? `Edit ${edited.user.name}` : like ? `Invite somebody like ${like.user.name}` : "Invite"}
				about={
					o
						? undefined
						: "People hold nothing until they accept the invitation. You can invite the next without leaving this board; title, home and roles stay as they are."
				}
				ready={!!name.trim()}
				onClose={onClose}
				acts={
					!o && (
						<button
							type="button"
							className="action"
							disabled={!name.trim() || form.busy}
							onClick={() => form.save(another)}
						>
							This one, and another
						</button>
					)
				}
			>
				{edited?.lock && <TakeOver lock={edited.lock} over={over} onOver={(on) => setValue("over", on)} />}
				<div className="grid grid-cols-3 gap-x-4">
					<FormText control={control} name="name" label="Name" required autoFocus={!kept} kept={kept} />
					<FormText
						control={control}
						name="userName"
						label="User name, to sign in with"
						kept={fed || !whole}
						hint={o ? undefined : "Made from e-mail or name if left empty."}
					/>
					<FormText
						control={control}
						name="email"
						label="E-mail"
						type="email"
						kept={fed || !(whole || (o?.state === "invited" && lets("invite")))}
					/>
					<FormText control={control} name="title" label="Title" kept={kept} />
					<FormText control={control} name="department" label="Department" kept={kept} />
					<FormText control={control} name="userType" label="Kind (employee, contractor …)" kept={kept} />
					{edited && !lets("move") ? (
						<Field label="Home area">
							{() => <p className="py-[5px]">{area?.name ?? "the whole organisation"}</p>}
						</Field>
					) : (
						<FormPick
							control={control}
							name="area"
							kinds={["area"]}
							label="Home area"
							placeholder="the whole organisation"
							mine="invite"
						/>
					)}
					{!moves ? (
						<Field label="Reports to">
							{() => (
								<p className="py-[5px]">{manager?.name ?? (may(me, "design:view") ? "nobody" : "nobody you see")}</p>
							)}
						</Field>
					) : (
						<FormPick
							control={control}
							name="manager"
							kinds={["user"]}
							label="Reports to"
							placeholder="nobody"
							without={o && [o.id]}
						/>
					)}
					<FormText
						control={control}
						name="externalId"
						label="External id"
						kept={fed || !(whole && may(me, "people:edit"))}
					/>
					<FormText control={control} name="from" label="From" type="date" kept={!lets("lock")} />
					<FormText control={control} name="until" label="Until the end of" type="date" last kept={!lets("lock")} />
				</div>
				{!o && <Known name={name} userName={userName} email={email} externalId={externalId} onClose={onClose} />}
				{!o && (
					<Peers
						title={title}
						department={department}
						area={area?.id}
						like={like?.user.id}
						turned={turned}
						onTurn={(key, on) => setTurned((t) => ({ ...t, [key]: on }))}
						onChosen={setShares}
					/>
				)}
				{lets("seat") && (edited || mayEither(me, "people:edit", "seat")) && (
					<FormChips control={control} name="licences" kinds={["licence"]} label="Licences" placeholder="a licence …" />
				)}
				{!o && mayEither(me, "assignment:edit", "assign") && (
					<Gives
						gives={gives}
						onChange={(g) => setValue("gives", g)}
						home={area?.name}
						until={until}
						onMake={setMakes}
					/>
				)}
				{!o && mayEither(me, "design:edit", "membership") && (
					<FormChips
						control={control}
						name="groups"
						kinds={["group"]}
						label="Groups at once"
						placeholder="a group …"
						mine="membership"
					/>
				)}
				{o && o.source !== "directory" && may(me, "people:edit") && (
					<FormCheck control={control} name="feed">
						from now on, a directory maintains this: the first that mentions it
					</FormCheck>
				)}
				<fieldset className="mb-3" disabled={!lets("edit")}>
					<legend className="text-[12px] text-quiet">Qualifications</legend>
					{skills.fields.map((q, i) => (
						<p key={q.id} className="mb-1 flex items-center gap-2">
							<input
								aria-label="Qualification"
								className="field max-w-[220px]"
								placeholder="what for"
								maxLength={200}
								{...register(`skills.${i}.type`)}
							/>
							<input
								aria-label="Level"
								type="number"
								className="field max-w-[90px]"
								placeholder="level"
								{...register(`skills.${i}.level`)}
							/>
							<DayField
								label="Last day"
								last
								placeholder="no end"
								value={watch(`skills.${i}.until`) ?? ""}
								onChange={(d) => setValue(`skills.${i}.until`, d)}
							/>
							<button
								type="button"
								aria-label="Take the qualification out"
								className="font-bold text-ox"
								onClick={() => skills.remove(i)}
							>
								✕
							</button>
						</p>
					))}
					<button
						type="button"
						className="link"
						onClick={() => skills.append({ was: { type: "" }, type: "", level: "", until: "" })}
					>
						Add a qualification
					</button>
				</fieldset>
			</DraftBoard>
			{makes && (
				<EditBundle
					kind={makes}
					onMade={(thing) => setValue("gives", [...gives, { thing, until: "" }])}
					onClose={() => setMakes(undefined)}
				/>
			)}
		</>
	);
}

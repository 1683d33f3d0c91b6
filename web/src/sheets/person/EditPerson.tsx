import { useState } from "react";
import { useNavigate } from "react-router";
import type { Schemas } from "../../api/client";
import { draftAssign, putPerson, useAreas, useDrafting } from "../../api/hooks";
import { useHouse } from "../../house/context";
import { useTo } from "../../house/lens";
import { mayEither } from "../../house/rights";
import { Board } from "../../parts/dialog";
import { Acts, dateOf, Field, instantOf, orNone, TakeOver, TextField } from "../../parts/fields";
import { madeBy } from "../../parts/made";
import { useNotice } from "../../parts/notice";
import { Chips, PickOne } from "../../parts/Picker";

type Qualification = Schemas["DesignQualification"];

/** Invites somebody, or edits who they are. */
export function EditPerson({ of: edited, like, onClose }: { of?: Schemas["Person"]; like?: Schemas["Person"]; onClose: () => void }) {
	const of = edited ?? like;
	const { me } = useHouse();
	const { refuse, tell } = useNotice();
	const navigate = useNavigate();
	const to = useTo();
	const areas = useAreas();
	const o = edited?.object;
	const alike = of?.object;
	const [name, setName] = useState(o?.displayName ?? "");
	const [userName, setUserName] = useState(o?.userName ?? "");
	const [email, setEmail] = useState(o?.email ?? "");
	const [title, setTitle] = useState(alike?.title ?? "");
	const [department, setDepartment] = useState(alike?.department ?? "");
	const [userType, setUserType] = useState(alike?.userType ?? "");
	const [externalId, setExternalId] = useState(o?.externalId ?? "");
	const [area, setArea] = useState<Schemas["Ref"] | undefined>(of?.area.id === areas.data?.[0]?.id ? undefined : of?.area);
	const [manager, setManager] = useState(of?.manager);
	const [licences, setLicences] = useState<Schemas["Ref"][]>(of?.licences ?? []);
	const [from, setFrom] = useState(dateOf(o?.from));
	const [until, setUntil] = useState(dateOf(o?.until));
	const [skills, setSkills] = useState<Qualification[]>(o?.qualifications ?? []);
	const [roles, setRoles] = useState<Schemas["Ref"][]>(like?.assignments.filter((g) => g.force === "now").map((g) => g.target) ?? []);
	const [over, setOver] = useState(false);
	const kept = o?.source === "directory" && !over;
	const put = useDrafting(putPerson);
	const assign = useDrafting(draftAssign);
	const save = async (another: boolean) => {
		const instant = (date: string, was?: string) => (date === dateOf(was) ? was : instantOf(date));
		const said = {
			displayName: name.trim(),
			userName: userName.trim() || email.trim() || name.trim().toLowerCase().replace(/\s+/g, "."),
			email: orNone(email),
			title: orNone(title),
			department: orNone(department),
			userType: orNone(userType),
			externalId: orNone(externalId),
			area: area?.id,
			manager: manager?.id,
			licences: licences.map((l) => l.id),
			from: instant(from, o?.from),
			until: instant(until, o?.until),
			qualifications: skills.filter((q) => q.type.trim()),
			...(over ? { source: undefined } : {}),
		};
		try {
			const draft = await put.mutateAsync(o ? { before: o, after: { ...o, ...said } } : { after: { id: "", state: "invited", ...said } });
			const id = o ? o.id : madeBy(draft, "user");
			if (!o && id && roles.length > 0) {
				await assign.mutateAsync({
					subjects: [{ kind: "user", id }],
					targets: roles.map((r) => ({ kind: r.kind as Schemas["End"]["kind"], id: r.id })),
					terms: { area: area?.id, until: instantOf(until) },
				});
			}
			if (another) {
				tell(`The invitation of ${said.displayName} is in your draft. Go on with the next.`);
				for (const clear of [setName, setUserName, setEmail, setExternalId]) clear("");
				document.getElementById("person-name")?.querySelector("input")?.focus();
				return;
			}
			onClose();
			if (!o && id) navigate(to(`/people/${encodeURIComponent(id)}`));
		} catch (error) {
			refuse(error);
		}
	};
	return (
		<Board
			open
			wide
			onClose={onClose}
			title={edited ? `Edit ${edited.user.name}` : like ? `Invite somebody like ${like.user.name}` : "Invite"}
			about={
				o
					? undefined
					: "Who is invited holds nothing until they accept. The next can be invited without leaving this board; title, home and roles stay as they are."
			}
		>
			<form
				onSubmit={(e) => {
					e.preventDefault();
					save(false);
				}}
			>
				{edited?.lock && <TakeOver lock={edited.lock} over={over} onOver={setOver} />}
				<div className="grid grid-cols-3 gap-x-4">
					<div id="person-name">
						<TextField label="Name" required autoFocus={!kept} kept={kept} value={name} onChange={setName} />
					</div>
					<TextField
						label="User name, to sign in with"
						kept={kept}
						value={userName}
						onChange={setUserName}
						hint={o ? undefined : "Made from e-mail or name if left empty."}
					/>
					<TextField label="E-mail" type="email" kept={kept} value={email} onChange={setEmail} />
					<TextField label="Title" kept={kept} value={title} onChange={setTitle} />
					<TextField label="Department" kept={kept} value={department} onChange={setDepartment} />
					<TextField label="Kind (employee, contractor …)" kept={kept} value={userType} onChange={setUserType} />
					<Field label="Home area">
						{() => <PickOne kinds={["area"]} label="Home area" placeholder="the whole organisation" mine="invite" value={area} onChange={setArea} />}
					</Field>
					<Field label="Reports to">
						{() =>
							kept ? (
								<p className="py-[5px]">{manager?.name ?? "nobody"}</p>
							) : (
								<PickOne kinds={["user"]} label="Reports to" placeholder="nobody" without={o && [o.id]} value={manager} onChange={setManager} />
							)
						}
					</Field>
					<TextField label="External id" kept={kept} value={externalId} onChange={setExternalId} />
					<TextField label="From" type="date" value={from} onChange={setFrom} />
					<TextField label="Until" type="date" value={until} onChange={setUntil} />
				</div>
				<Field label="Licences">
					{() => <Chips kinds={["licence"]} label="Licences" placeholder="a licence …" chosen={licences} onChange={setLicences} />}
				</Field>
				{!o && mayEither(me, "assignment:edit", "assign") && (
					<Field
						label="Roles at once"
						hint={`Given ${area ? `at ${area.name}` : "over the whole organisation"}${until ? ", until the same day" : ""}.`}
					>
						{() => (
							<Chips kinds={["role", "set"]} label="Roles at once" placeholder="a role or set …" mine="assign" chosen={roles} onChange={setRoles} />
						)}
					</Field>
				)}
				<fieldset className="mb-3">
					<legend className="text-[12px] text-quiet">Qualifications</legend>
					{skills.map((q, i) => {
						const change = (part: Partial<Qualification>) => setSkills(skills.map((x, j) => (j === i ? { ...x, ...part } : x)));
						return (
							// biome-ignore lint/suspicious/noArrayIndexKey: a qualification has no name of its own
							<p key={i} className="mb-1 flex items-center gap-2">
								<input
									aria-label="Qualification"
									className="field max-w-[220px]"
									placeholder="what for"
									value={q.type}
									onChange={(e) => change({ type: e.target.value })}
								/>
								<input
									aria-label="Level"
									type="number"
									className="field max-w-[90px]"
									placeholder="level"
									value={q.level ?? ""}
									onChange={(e) => change({ level: e.target.value === "" ? undefined : Number(e.target.value) })}
								/>
								<input
									aria-label="Runs out"
									type="date"
									className="field max-w-[150px]"
									value={dateOf(q.until)}
									onChange={(e) => change({ until: instantOf(e.target.value) })}
								/>
								<button
									type="button"
									aria-label="Take the qualification out"
									className="font-bold text-ox"
									onClick={() => setSkills(skills.filter((_, j) => j !== i))}
								>
									✕
								</button>
							</p>
						);
					})}
					<button type="button" className="link" onClick={() => setSkills([...skills, { type: "" }])}>
						Add a qualification
					</button>
				</fieldset>
				<Acts busy={put.isPending || assign.isPending} disabled={!name.trim()} onClose={onClose}>
					{!o && (
						<button type="button" className="action" disabled={!name.trim() || put.isPending} onClick={() => save(true)}>
							This one, and another
						</button>
					)}
				</Acts>
			</form>
		</Board>
	);
}

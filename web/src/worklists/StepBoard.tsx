import { useState } from "react";
import type { Schemas } from "../api/client";
import { useTerms } from "../parts/AssignBoard";
import { DayField } from "../parts/DayField";
import { beginLike, dayOf, endLike, lastDayOf } from "../parts/days";
import { Board } from "../parts/dialog";
import { Acts, Field, orNone, TextField } from "../parts/fields";
import { Chips, PickOne } from "../parts/Picker";

type Step = Schemas["WorklistStep"];
type Ref = Schemas["Ref"];
type Do = Step["do"];

/** What steps do, in words, by what they are about. */
const offered: { about: string; does: [Do, string][] }[] = [
	{
		about: "What they hold",
		does: [
			["assign", "Assign roles and sets"],
			["revoke", "Take assignments away"],
			["join", "Put into groups"],
			["leave", "Take out of groups"],
			["seat", "Give seats"],
			["unseat", "Take seats"],
		],
	},
	{
		about: "Who they are",
		does: [
			["set", "Set home, manager, title …"],
			["validity", "Set from when and until when"],
			["qualify", "Add a qualification"],
			["unqualify", "Take a qualification away"],
		],
	},
	{
		about: "Sign-in",
		does: [
			["lock", "Lock"],
			["unlock", "Unlock"],
			["deactivate", "Deactivate"],
			["bring-back", "Bring back"],
			["invite", "Send the invitation once more"],
			["cancel", "Cancel the invitation"],
			["sign-out", "Sign out everywhere"],
			["new-password", "Ask for a new password"],
		],
	},
	{ about: "For good", does: [["delete", "Delete the person"]] },
];

const titles = new Map(offered.flatMap((o) => o.does));

/** Chooses a step, and says of what. */
export function StepBoard({
	step,
	named,
	onStep,
	onClose,
}: {
	/** What is changed; none for a new one. */
	step?: Step;
	named?: Ref[];
	onStep: (step: Step) => void;
	onClose: () => void;
}) {
	const [what, setWhat] = useState<Do | undefined>(step?.do);
	return (
		<Board
			open
			onClose={onClose}
			wide={!what}
			title={what ? (titles.get(what) ?? what) : "Add a step"}
			about={
				what === "delete"
					? "The accounts are deleted, not just removed from this list. What somebody owns, manages and administers goes to a successor."
					: "It applies to everybody on the list who is not left out; you see what will happen to each before anything is drafted."
			}
		>
			{what ? (
				<Form
					key={what}
					what={what}
					step={step?.do === what ? step : undefined}
					named={named ?? []}
					onStep={onStep}
					onClose={onClose}
					onBack={step ? undefined : () => setWhat(undefined)}
				/>
			) : (
				<div className="grid grid-cols-4 gap-5 max-[700px]:grid-cols-1">
					{offered.map((o) => (
						<section key={o.about} aria-label={o.about}>
							<h3 className="border-b-[3px] border-[var(--beam)] font-bold">{o.about}</h3>
							<ul>
								{o.does.map(([id, name]) => (
									<li key={id} className="border-b border-hair">
										<button
											type="button"
											data-do={id}
											className={`w-full py-1.5 text-left hover:bg-sunk ${id === "delete" ? "font-semibold text-ox" : "text-slate"}`}
											onClick={() => setWhat(id)}
										>
											{name}
										</button>
									</li>
								))}
							</ul>
						</section>
					))}
				</div>
			)}
		</Board>
	);
}

const fields: [string, string][] = [
	["title", "the title"],
	["department", "the department"],
	["userType", "the kind"],
	["area", "the home"],
	["manager", "the manager"],
];

/** What a step needs to be told. */
function Form({
	what,
	step,
	named,
	onStep,
	onClose,
	onBack,
}: {
	what: Do;
	step?: Step;
	named: Ref[];
	onStep: (step: Step) => void;
	onClose: () => void;
	onBack?: () => void;
}) {
	const of = (...kinds: string[]) => named.filter((r) => kinds.includes(r.kind));
	const [grants, setGrants] = useState(of("role", "set"));
	const [groups, setGroups] = useState(of("group"));
	const [licences, setLicences] = useState(of("licence"));
	const [field, setField] = useState(step?.field ?? (what === "set" ? "title" : ""));
	const [value, setValue] = useState(step?.value ?? "");
	const [thing, setThing] = useState<Ref | undefined>(
		named.find((r) => r.id === step?.value && ["area", "user"].includes(r.kind)),
	);
	const [level, setLevel] = useState(step?.level?.toString() ?? "");
	const [from, setFrom] = useState(dayOf(step?.from));
	const [until, setUntil] = useState(lastDayOf(step?.until));
	const [successor, setSuccessor] = useState<Ref | undefined>(named.find((r) => r.id === step?.successor));
	const [home, setHome] = useState(step?.home ?? false);
	const terms = useTerms({
		area: step?.area,
		reach: step?.reach as Schemas["JoinTerms"]["reach"],
		mode: step?.mode as Schemas["JoinTerms"]["mode"],
		from: step?.from,
		until: step?.until,
		reason: step?.reason,
	});
	const ids = (list: Ref[], kind: string) => list.filter((r) => r.kind === kind).map((r) => r.id);
	const picks = field === "area" || field === "manager";
	const ready = {
		assign: grants.length > 0,
		join: groups.length > 0,
		seat: licences.length > 0,
		qualify: field.trim() !== "",
		unqualify: field.trim() !== "",
	}[what as string];
	const made = (): Step => {
		switch (what) {
			case "assign":
				return {
					do: what,
					roles: ids(grants, "role"),
					sets: ids(grants, "set"),
					...terms.terms,
					area: home ? undefined : terms.terms.area,
					home: home || undefined,
				};
			case "revoke":
				return { do: what, roles: ids(grants, "role"), sets: ids(grants, "set") };
			case "join":
			case "leave":
				return { do: what, groups: groups.map((g) => g.id) };
			case "seat":
			case "unseat":
				return { do: what, licences: licences.map((l) => l.id) };
			case "set":
				return { do: what, field, value: picks ? thing?.id : orNone(value) };
			case "validity":
				return { do: what, from: beginLike(from, step?.from), until: endLike(until, step?.until) };
			case "qualify":
				return {
					do: what,
					field: field.trim(),
					level: level.trim() ? Number(level) : undefined,
					until: endLike(until, step?.until),
				};
			case "unqualify":
				return { do: what, field: field.trim() };
			case "delete":
				return { do: what, successor: successor?.id };
			default:
				return { do: what };
		}
	};
	const day = (label: string, at: string, set: (at: string) => void, hint: string, last?: boolean) => (
		<Field label={label} hint={hint}>
			{(id) => <DayField id={id} value={at} onChange={set} last={last} />}
		</Field>
	);
	return (
		<form
			onSubmit={(e) => {
				e.preventDefault();
				onStep(made());
			}}
		>
			{(what === "assign" || what === "revoke") && (
				<Chips
					kinds={["role", "set"]}
					label="Roles and sets"
					placeholder={what === "assign" ? "a role or set …" : "a role or set; none for all they are assigned …"}
					mine={what}
					autoFocus
					chosen={grants}
					onChange={setGrants}
				/>
			)}
			{what === "assign" && (
				<>
					<p className="mt-2 text-[15px] leading-[38px]">{terms.sentence}</p>
					<label className="mt-1 flex items-center gap-2">
						<input type="checkbox" checked={home} onChange={(e) => setHome(e.target.checked)} />
						at the home of each, in place of one area
					</label>
					{terms.why}
				</>
			)}
			{(what === "join" || what === "leave") && (
				<Chips
					kinds={["group"]}
					label="Groups"
					placeholder={what === "join" ? "a group …" : "a group; none for every group that lists them …"}
					mine="membership"
					autoFocus
					chosen={groups}
					onChange={setGroups}
				/>
			)}
			{(what === "seat" || what === "unseat") && (
				<Chips
					kinds={["licence"]}
					label="Licences"
					placeholder={what === "seat" ? "a licence …" : "a licence; none for every seat they have …"}
					mine="seat"
					autoFocus
					chosen={licences}
					onChange={setLicences}
				/>
			)}
			{what === "set" && (
				<>
					<Field label="What is set">
						{(id) => (
							<select
								id={id}
								className="field"
								value={field}
								onChange={(e) => {
									setField(e.target.value);
									setThing(undefined);
								}}
							>
								{fields.map(([f, name]) => (
									<option key={f} value={f}>
										{name}
									</option>
								))}
							</select>
						)}
					</Field>
					{picks ? (
						<PickOne
							key={field}
							kinds={[field === "area" ? "area" : "user"]}
							label={field === "area" ? "Home" : "Manager"}
							placeholder={
								field === "area" ? "an area; none for the whole organisation …" : "a person; none for no manager …"
							}
							mine="move"
							value={thing}
							onChange={setThing}
						/>
					) : (
						<TextField label="To" hint="Left empty, it is taken away." value={value} onChange={setValue} max={500} />
					)}
				</>
			)}
			{(what === "qualify" || what === "unqualify") && (
				<TextField label="Qualification" required autoFocus value={field} onChange={setField} />
			)}
			{what === "qualify" && (
				<Field label="Level" hint="A number, if it has one.">
					{(id) => (
						<input
							id={id}
							type="number"
							step="any"
							className="field"
							value={level}
							onChange={(e) => setLevel(e.target.value)}
						/>
					)}
				</Field>
			)}
			{what === "validity" && day("Valid from", from, setFrom, "Left empty: since ever.")}
			{what === "validity" &&
				day("Until the end of", until, setUntil, "The last day. Left empty: without an end.", true)}
			{what === "qualify" && day("Until the end of", until, setUntil, "Left empty: without an end.", true)}
			{what === "delete" && (
				<>
					<PickOne
						kinds={["user"]}
						label="Successor"
						placeholder="who takes over what they own, manage and administer …"
						autoFocus
						value={successor}
						onChange={setSuccessor}
					/>
					<p className="mt-1 text-[12px] text-quiet">
						Without one, whoever owns, manages or administers something is not deleted. To keep everything in place and
						only stop the access, deactivate instead.
					</p>
				</>
			)}
			{["lock", "unlock", "deactivate", "bring-back", "cancel", "invite", "sign-out", "new-password"].includes(
				what,
			) && <p>There is nothing more to choose.</p>}
			<Acts busy={false} disabled={ready === false} name={step ? "Change the step" : "Add the step"} onClose={onClose}>
				{onBack && (
					<button type="button" className="action mr-auto" onClick={onBack}>
						Another step
					</button>
				)}
			</Acts>
		</form>
	);
}

import { keepPreviousData } from "@tanstack/react-query";
import { useDeferredValue } from "react";
import { type Ask, useAsk } from "../api/ask";
import { data, type Schemas } from "../api/client";
import { design, putDelegation, useAreas } from "../api/hooks";
import { Bracket } from "../parts/Bracket";
import { DayField } from "../parts/DayField";
import { useDraftForm } from "../parts/DraftForm";
import { beginLike, dayOf, endLike, lastDayOf, sayDay } from "../parts/days";
import { Few } from "../parts/More";
import { type By, PeopleBracket } from "../parts/PeopleBracket";
import { Chips, Picker } from "../parts/Picker";
import { CeilingExample, CeilingLine } from "./Ceiling";
import { Covers } from "./Covers";
import { actionWords } from "./Sentence";

type Ref = Schemas["Ref"];

/** What the brackets of the sentence hold. */
type Said = {
	name: string;
	delegate?: Ref;
	actions: string[];
	by: By;
	filter: string;
	peopleIn?: Ref;
	grants: Ref[];
	groups: Ref[];
	whole: boolean;
	area?: Ref;
	days: string;
	from: string;
	until: string;
};

const names = (refs: Ref[]) => refs.map((r) => r.name).join(", ");

/** Writes a delegation as a sentence, each bracket its own picker, with what it would cover told as it is written. */
export function EditDelegation({
	of,
	copy,
	onClose,
}: {
	of?: Schemas["DelegationSheet"];
	copy?: boolean;
	onClose: () => void;
}) {
	const areas = useAreas();
	const o = of?.delegation;
	const edited = copy ? undefined : o;
	const root = areas.data?.[0]?.id;
	const named = of?.people.find((p) => p.id);
	const start: Said = {
		name: of ? (copy ? `${of.ref.name}, copy` : of.ref.name) : "",
		delegate: of?.delegate,
		actions: of?.actions ?? [],
		by: o?.people.filter ? "filter" : o?.people.group ? "group" : "area",
		filter: o?.people.filter ?? "",
		peopleIn: named?.id ? { kind: named.kind as Ref["kind"], id: named.id, name: named.text } : undefined,
		grants: [...(of?.roles ?? []), ...(of?.sets ?? [])],
		groups: of?.groups ?? [],
		whole: o?.groupsWhole ?? false,
		area: of && !of.whole ? of.area : undefined,
		days: o?.maxDays === undefined ? "" : String(o.maxDays),
		from: dayOf(o?.from),
		until: lastDayOf(o?.until),
	};
	const meant = (v: Said): Schemas["DesignDelegation"] => ({
		id: edited?.id ?? "",
		name: v.name.trim(),
		delegate: v.delegate?.kind === "group" ? { group: v.delegate.id } : { user: v.delegate?.id ?? "" },
		people:
			v.by === "filter"
				? { filter: v.filter }
				: v.by === "group"
					? { group: v.peopleIn?.id ?? "" }
					: { area: v.peopleIn?.id ?? "" },
		actions: v.actions,
		roles: v.grants.filter((g) => g.kind === "role").map((g) => g.id),
		sets: v.grants.filter((g) => g.kind === "set").map((g) => g.id),
		groups: v.groups.map((g) => g.id),
		groupsWhole: v.whole || undefined,
		area: v.area?.id === root ? undefined : v.area?.id,
		maxDays: v.days ? Number(v.days) : undefined,
		from: beginLike(v.from, o?.from),
		until: endLike(v.until, o?.until),
	});
	const form = useDraftForm({
		start,
		write: (v: Said) => putDelegation(edited ? { before: edited, after: meant(v) } : { after: meant(v) }),
		onClose,
	});
	const { register, setValue, watch } = form;
	const said = watch();
	const { delegate, actions, by, filter, peopleIn, grants, groups, whole, area, days, from, until } = said;
	const after = meant(said);
	const ready = !!delegate && actions.length > 0 && (by === "filter" ? filter.trim() !== "" : !!peopleIn);
	const tried = useDeferredValue(after);
	const coverage = useAsk({
		queryKey: [...design, "try-delegation", tried],
		queryFn: (ask: Ask) => data(ask.POST("/api/delegations/try", { body: { ...tried, name: tried.name || "new" } })),
		enabled: by === "filter" ? filter.trim() !== "" : !!peopleIn,
		placeholderData: keepPreviousData,
	});
	const ceiling = useAsk({
		queryKey: [...design, "try-ceiling", tried],
		queryFn: (ask: Ask) =>
			data(ask.POST("/api/delegations/try/ceiling", { body: { ...tried, name: tried.name || "new" } })),
		enabled: ready,
		placeholderData: keepPreviousData,
	});
	const grantable = actions.includes("assign") || actions.includes("revoke");
	const member = actions.includes("membership");
	return (
		<form
			className="flex h-full flex-col px-[18px] pt-3"
			onSubmit={(e) => {
				e.preventDefault();
				form.save();
			}}
		>
			<div className="flex items-baseline gap-4 border-b-[3px] border-[var(--beam)] pb-2">
				<h1 className="text-[22px] font-bold whitespace-nowrap">
					{edited ? "Rewrite a delegation" : "New delegation"}
				</h1>
				<p className="grow text-quiet">
					Choose what stands in each bracket. Nobody can use a delegation on themselves, or on a person who holds
					something critical that they do not.
				</p>
				<button type="button" className="action" onClick={onClose}>
					Cancel
				</button>
				<button type="submit" className="action main" disabled={!ready || !said.name.trim() || form.busy}>
					Put into the draft
				</button>
			</div>
			<div className="grid min-h-0 grow grid-cols-[minmax(0,1fr)_360px]">
				<div className="min-h-0 overflow-auto py-4 pr-6">
					<label className="mb-4 block max-w-[420px]">
						<span className="text-[12px] text-quiet">Name</span>
						<input
							className="field"
							required
							maxLength={200}
							placeholder="e.g. Terminal 2, its people and roles"
							{...register("name")}
						/>
					</label>
					<p className="text-[18px] leading-[40px]">
						<Bracket label="Who" text={delegate?.name ?? ""} empty="a person or group">
							<Picker
								kinds={["user", "group"]}
								label="Delegate"
								placeholder="a person or group …"
								autoFocus
								onPick={(r) => setValue("delegate", r)}
							/>
						</Bracket>{" "}
						may{" "}
						<Bracket
							label="Which acts"
							text={Object.keys(actionWords)
								.filter((a) => actions.includes(a))
								.map((a) => actionWords[a])
								.join(", ")}
							empty="do what"
						>
							{Object.entries(actionWords).map(([id, words]) => (
								<label key={id} className="flex items-center gap-2 py-1">
									<input
										type="checkbox"
										checked={actions.includes(id)}
										onChange={(e) =>
											setValue("actions", e.target.checked ? [...actions, id] : actions.filter((a) => a !== id))
										}
									/>
									{words}
								</label>
							))}
						</Bracket>{" "}
						for{" "}
						<PeopleBracket
							label="Whom"
							ways={["area", "group", "filter"]}
							by={by}
							filter={filter}
							peopleIn={peopleIn}
							onBy={(way) => {
								setValue("by", way);
								setValue("peopleIn", undefined);
							}}
							onFilter={(text) => setValue("filter", text)}
							onPick={(r) => setValue("peopleIn", r)}
						/>
						{grantable && (
							<>
								{" "}
								the roles and sets{" "}
								<Bracket label="Which roles and sets" text={names(grants)} empty="none yet">
									<Chips
										kinds={["role", "set"]}
										label="Roles and sets"
										placeholder="a role or set …"
										chosen={grants}
										onChange={(list) => setValue("grants", list)}
									/>
								</Bracket>
							</>
						)}
						{member && (
							<>
								, in the groups{" "}
								<Bracket
									label="Which groups"
									text={`${names(groups)}${whole && groups.length > 0 ? ", handed over whole" : ""}`}
									empty="none yet"
								>
									<Chips
										kinds={["group"]}
										label="Groups"
										placeholder="a group …"
										chosen={groups}
										onChange={(list) => setValue("groups", list)}
									/>
									<label className="mt-3 flex items-start gap-2">
										<input type="checkbox" className="mt-1" {...register("whole")} />
										<span>
											handed over whole: members may be changed even if the group holds what the delegate could not
											assign. <b className="text-ochre">This can raise people above the delegate.</b>
										</span>
									</label>
								</Bracket>
							</>
						)}{" "}
						within{" "}
						<Bracket label="Within which area" text={area?.name ?? "the whole organisation"} empty="">
							<Picker kinds={["area"]} label="Area" placeholder="an area …" onPick={(r) => setValue("area", r)} />
							{area && (
								<button type="button" className="link mt-2" onClick={() => setValue("area", undefined)}>
									The whole organisation
								</button>
							)}
						</Bracket>
						{actions.includes("assign") && (
							<>
								{" "}
								for at most{" "}
								<Bracket label="For at most how many days" text={days ? `${days} days` : "any time"} empty="">
									<input
										type="number"
										aria-label="Days"
										min={1}
										className="field"
										placeholder="without a limit"
										{...register("days")}
									/>
								</Bracket>
							</>
						)}
						,{" "}
						<Bracket
							label="From and until when it holds"
							text={
								from || until
									? [from && `from ${sayDay(from)}`, until && `until the end of ${sayDay(until)}`]
											.filter(Boolean)
											.join(" ")
									: "from now on, without an end"
							}
							empty=""
						>
							<div className="mb-2">
								from <DayField label="From" value={from} onChange={(d) => setValue("from", d)} />
							</div>
							<div>
								until the end of <DayField label="Last day" last value={until} onChange={(d) => setValue("until", d)} />
							</div>
						</Bracket>
						.
					</p>
				</div>
				<aside
					aria-label="What it covers now"
					aria-live="polite"
					className="min-h-0 overflow-auto border-l-[3px] border-[var(--beam)] py-4 pl-5"
				>
					<h2 className="mb-1 text-[14px] font-bold">What it covers now</h2>
					{coverage.data ? (
						<>
							<Covers of={coverage.data} full />
							{ready && ceiling.data && !ceiling.data.trouble && (
								<p
									className="mt-3 border-t border-hair pt-3 text-[12px]"
									data-ceiling={ceiling.isFetching ? undefined : "told"}
								>
									<CeilingLine of={ceiling.data} />
									{ceiling.data.beyond > 0 && <CeilingExample of={ceiling.data} />}
								</p>
							)}
							<BackDoors
								of={coverage.data.backDoors}
								onName={(group) => {
									setValue("groups", [...groups.filter((g) => g.id !== group.id), group]);
									if (!actions.includes("membership")) setValue("actions", [...actions, "membership"]);
								}}
								onLeave={(acts) =>
									setValue(
										"actions",
										actions.filter((a) => !acts.includes(a)),
									)
								}
							/>
						</>
					) : (
						<p className="text-quiet" data-waiting={coverage.isFetching || undefined}>
							Choose the people, and this shows whom and what the delegation covers.
						</p>
					)}
				</aside>
			</div>
		</form>
	);
}

/** Into which groups people could come by their rules, through what the delegate changes of them; with both ways out. */
function BackDoors({
	of,
	onName,
	onLeave,
}: {
	of: Schemas["BackDoor"][];
	onName: (group: Ref) => void;
	onLeave: (actions: string[]) => void;
}) {
	if (of.length === 0) return null;
	return (
		<section
			aria-label="Groups that open by their rules"
			className="mt-4 border-l-8 border-ochre-line bg-sunk px-3 py-2 text-[12px]"
		>
			<h3 className="font-bold">People could enter these groups through their rules</h3>
			<p className="text-quiet">
				Every act that would bring somebody in is refused, unless the group is included here or the action is left out.
			</p>
			<Few of={of} most={30}>
				{(shown, more) => (
					<>
						<ul>
							{shown.map((b) => (
								<li key={b.group.id} className="mt-2">
									<b>{b.group.name}</b>, by: {b.actions.map((a) => actionWords[a]).join(", ")}
									<span className="flex gap-4">
										<button type="button" className="link" onClick={() => onName(b.group)}>
											Name the group
										</button>
										<button type="button" className="link" onClick={() => onLeave(b.actions)}>
											Leave {b.actions.length === 1 ? "the action" : "these actions"} out
										</button>
									</span>
								</li>
							))}
						</ul>
						{more && <p className="mt-2">{more}</p>}
					</>
				)}
			</Few>
		</section>
	);
}

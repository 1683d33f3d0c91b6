import { keepPreviousData } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { type Ask, useAsk } from "../api/ask";
import { data, type Schemas } from "../api/client";
import { design, putDelegation, useAreas, useDrafting } from "../api/hooks";
import { Bracket } from "../parts/Bracket";
import { dateOf, instantOf } from "../parts/fields";
import { useNotice } from "../parts/notice";
import { Chips, Picker } from "../parts/Picker";
import { RuleBox } from "../sheets/group/RuleBox";
import { Covers } from "./Delegations";
import { actionWords } from "./Sentence";

type Ref = Schemas["Ref"];

const names = (refs: Ref[]) => refs.map((r) => r.name).join(", ");

/** Writes a delegation as a sentence, each bracket its own picker, with what it would cover told as it is written. */
export function EditDelegation({ of, copy, onClose }: { of?: Schemas["DelegationSheet"]; copy?: boolean; onClose: () => void }) {
	const { refuse } = useNotice();
	const save = useDrafting(putDelegation);
	const areas = useAreas();
	const o = of?.delegation;
	const edited = copy ? undefined : o;
	const [name, setName] = useState(of ? (copy ? `${of.ref.name}, copy` : of.ref.name) : "");
	const [delegate, setDelegate] = useState<Ref | undefined>(of?.delegate);
	const [actions, setActions] = useState<string[]>(of?.actions ?? []);
	const [by, setBy] = useState<"area" | "group" | "filter">(o?.people.filter ? "filter" : o?.people.group ? "group" : "area");
	const [filter, setFilter] = useState(o?.people.filter ?? "");
	const [peopleIn, setPeopleIn] = useState<Ref | undefined>(() => {
		const named = of?.people.find((p) => p.id);
		return named?.id ? { kind: named.kind as Ref["kind"], id: named.id, name: named.text } : undefined;
	});
	const [grants, setGrants] = useState<Ref[]>([...(of?.roles ?? []), ...(of?.sets ?? [])]);
	const [groups, setGroups] = useState<Ref[]>(of?.groups ?? []);
	const [whole, setWhole] = useState(o?.groupsWhole ?? false);
	const [area, setArea] = useState<Ref | undefined>(of && !of.whole ? of.area : undefined);
	const [days, setDays] = useState(o?.maxDays === undefined ? "" : String(o.maxDays));
	const [from, setFrom] = useState(dateOf(o?.from));
	const [until, setUntil] = useState(dateOf(o?.until));

	const people = by === "filter" ? { filter } : by === "group" ? { group: peopleIn?.id ?? "" } : { area: peopleIn?.id ?? "" };
	const kept = (date: string, was?: string) => (date === dateOf(was) ? was : instantOf(date));
	const root = areas.data?.[0]?.id;
	const after: Schemas["DesignDelegation"] = {
		id: edited?.id ?? "",
		name: name.trim(),
		delegate: delegate?.kind === "group" ? { group: delegate.id } : { user: delegate?.id ?? "" },
		people,
		actions,
		roles: grants.filter((g) => g.kind === "role").map((g) => g.id),
		sets: grants.filter((g) => g.kind === "set").map((g) => g.id),
		groups: groups.map((g) => g.id),
		groupsWhole: whole || undefined,
		area: area?.id === root ? undefined : area?.id,
		maxDays: days ? Number(days) : undefined,
		from: kept(from, o?.from),
		until: kept(until, o?.until),
	};
	const ready = !!delegate && actions.length > 0 && (by === "filter" ? filter.trim() !== "" : !!peopleIn);
	const tried = useDeferredValue(after);
	const coverage = useAsk({
		queryKey: [...design, "try-delegation", tried],
		queryFn: (ask: Ask) => data(ask.POST("/api/delegations/try", { body: { ...tried, name: tried.name || "new" } })),
		enabled: by === "filter" ? filter.trim() !== "" : !!peopleIn,
		placeholderData: keepPreviousData,
	});
	const grantable = actions.includes("assign") || actions.includes("revoke");
	const member = actions.includes("membership");
	return (
		<form
			className="flex h-full flex-col px-[18px] pt-3"
			onSubmit={(e) => {
				e.preventDefault();
				save.mutate(edited ? { before: edited, after } : { after }, { onError: refuse, onSuccess: onClose });
			}}
		>
			<div className="flex items-baseline gap-4 border-b-[3px] border-[var(--beam)] pb-2">
				<h1 className="text-[22px] font-bold whitespace-nowrap">{edited ? "Rewrite a delegation" : "New delegation"}</h1>
				<p className="grow text-quiet">
					Choose what stands in each bracket. Nobody acts on themselves through a delegation, nor on a person who holds something critical that they
					do not.
				</p>
				<button type="button" className="action" onClick={onClose}>
					Cancel
				</button>
				<button type="submit" className="action main" disabled={!ready || !name.trim() || save.isPending}>
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
							value={name}
							onChange={(e) => setName(e.target.value)}
						/>
					</label>
					<p className="text-[18px] leading-[40px]">
						<Bracket label="Who" text={delegate?.name ?? ""} empty="a person or group">
							<Picker kinds={["user", "group"]} label="Delegate" placeholder="a person or group …" autoFocus onPick={setDelegate} />
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
										onChange={(e) => setActions(e.target.checked ? [...actions, id] : actions.filter((a) => a !== id))}
									/>
									{words}
								</label>
							))}
						</Bracket>{" "}
						for{" "}
						<Bracket
							label="Whom"
							text={
								by === "filter"
									? filter
										? `people with ${filter}`
										: ""
									: peopleIn
										? `${by === "group" ? "the members of" : "people of"} ${peopleIn.name}`
										: ""
							}
							empty="whom"
						>
							<div className="mb-2 flex gap-4">
								{(
									[
										["area", "of an area"],
										["group", "of a group"],
										["filter", "by a filter"],
									] as const
								).map(([id, words]) => (
									<label key={id} className="flex items-center gap-2">
										<input
											type="radio"
											name="people"
											checked={by === id}
											onChange={() => {
												setBy(id);
												setPeopleIn(undefined);
											}}
										/>
										{words}
									</label>
								))}
							</div>
							{by === "filter" ? (
								<RuleBox rule={filter} onRule={setFilter} />
							) : (
								<Picker
									kinds={[by]}
									label={by === "area" ? "People of the area" : "Members of the group"}
									placeholder={by === "area" ? "an area …" : "a group …"}
									onPick={setPeopleIn}
								/>
							)}
						</Bracket>
						{grantable && (
							<>
								{" "}
								the roles and sets{" "}
								<Bracket label="Which roles and sets" text={names(grants)} empty="none yet">
									<Chips kinds={["role", "set"]} label="Roles and sets" placeholder="a role or set …" chosen={grants} onChange={setGrants} />
								</Bracket>
							</>
						)}
						{member && (
							<>
								, in the groups{" "}
								<Bracket label="Which groups" text={`${names(groups)}${whole && groups.length > 0 ? ", handed over whole" : ""}`} empty="none yet">
									<Chips kinds={["group"]} label="Groups" placeholder="a group …" chosen={groups} onChange={setGroups} />
									<label className="mt-3 flex items-start gap-2">
										<input type="checkbox" className="mt-1" checked={whole} onChange={(e) => setWhole(e.target.checked)} />
										<span>
											handed over whole: members may be changed even where the group holds what the delegate could not assign.{" "}
											<b className="text-ochre">This can raise people above the delegate.</b>
										</span>
									</label>
								</Bracket>
							</>
						)}{" "}
						within{" "}
						<Bracket label="Within which area" text={area?.name ?? "the whole organisation"} empty="">
							<Picker kinds={["area"]} label="Area" placeholder="an area …" onPick={setArea} />
							{area && (
								<button type="button" className="link mt-2" onClick={() => setArea(undefined)}>
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
										value={days}
										onChange={(e) => setDays(e.target.value)}
									/>
								</Bracket>
							</>
						)}
						,{" "}
						<Bracket
							label="From and until when it holds"
							text={from || until ? [from && `from ${from}`, until && `until ${until}`].filter(Boolean).join(" ") : "from now on, without an end"}
							empty=""
						>
							<label className="mb-2 block">
								from
								<input type="date" className="field" value={from} onChange={(e) => setFrom(e.target.value)} />
							</label>
							<label className="block">
								until
								<input type="date" className="field" value={until} onChange={(e) => setUntil(e.target.value)} />
							</label>
						</Bracket>
						.
					</p>
				</div>
				<aside aria-label="What it covers now" aria-live="polite" className="min-h-0 overflow-auto border-l-[3px] border-[var(--beam)] py-4 pl-5">
					<h2 className="mb-1 text-[14px] font-bold">What it covers now</h2>
					{coverage.data ? (
						<Covers of={coverage.data} full />
					) : (
						<p className="text-quiet" data-waiting={coverage.isFetching || undefined}>
							Say for whom, and it is told here whom and what that covers.
						</p>
					)}
				</aside>
			</div>
		</form>
	);
}

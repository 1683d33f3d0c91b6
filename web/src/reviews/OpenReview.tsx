import { keepPreviousData, useMutation } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { type Ask, useAsk } from "../api/ask";
import { api, data, type Schemas } from "../api/client";
import { design, useAreas, useRefresh } from "../api/hooks";
import { useHouse } from "../house/context";
import { Bracket } from "../parts/Bracket";
import { DayField } from "../parts/DayField";
import { endOf, sayDay } from "../parts/days";
import { useNotice } from "../parts/notice";
import { Picker } from "../parts/Picker";
import { count, day, kindWords, riskWords } from "../parts/words";
import { RuleBox } from "../sheets/group/RuleBox";
import { useReturning } from "./Returning";

type Ref = Schemas["Ref"];
type Kind = "role" | "set" | "system" | "group";
type What = Partial<Record<Kind, Ref>>;
type Asks = NonNullable<Schemas["NewReview"]["ask"]>;
type By = "manager" | "owner" | "person";

/** What a review can ask: in words, by what it is narrowed, what is said if it is not, and who decides unless somebody else is named. */
const asks: Record<
	Asks,
	{ says: string; kinds: Kind[]; all: string; by: By; people?: true; where?: true; risk?: true }
> = {
	"": {
		says: "people should keep what they have",
		kinds: ["role", "set", "system", "group"],
		all: "anything",
		by: "manager",
		people: true,
		where: true,
		risk: true,
	},
	groups: {
		says: "groups should go on giving what they give",
		kinds: ["group", "role", "set", "system"],
		all: "every group",
		by: "owner",
		where: true,
		risk: true,
	},
	roles: {
		says: "roles should go on giving what makes them up",
		kinds: ["role", "set", "system"],
		all: "every role",
		by: "owner",
		risk: true,
	},
	delegations: { says: "delegations should go on", kinds: ["group"], all: "all of them", by: "manager", where: true },
	exceptions: {
		says: "exceptions, and what is set aside, should stand",
		kinds: [],
		all: "",
		by: "manager",
		people: true,
		where: true,
	},
	accounts: {
		says: "accounts that nobody uses should stay",
		kinds: [],
		all: "",
		by: "manager",
		people: true,
		where: true,
	},
};

const byWords: Record<By, string> = {
	manager: "the managers",
	owner: "the owners of roles, sets and groups",
	person: "",
};

/**
 * Opens a review: a sentence whose brackets say what is asked, of whom, and what becomes of what nobody decides; with a
 * live count. Of a series, it changes what its rounds will be.
 */
export function OpenReview({ of, onDone }: { of?: Schemas["Series"]; onDone?: () => void }) {
	const { me } = useHouse();
	const [params] = useSearchParams();
	const areas = useAreas();
	const navigate = useNavigate();
	const refresh = useRefresh();
	const { refuse } = useNotice();
	const was = of?.said.review;
	const ref = (kind: string, id?: string): Ref | undefined => of?.names.find((n) => n.kind === kind && n.id === id);
	const [ask, setAsk] = useState<Asks>(was?.ask ?? "");
	const [what, setWhat] = useState<What>({
		role: ref("role", was?.role),
		set: ref("set", was?.set),
		system: ref("system", was?.system),
		group: ref("group", was?.group),
	});
	const [risk, setRisk] = useState(was?.risk ?? 0);
	const [filter, setFilter] = useState(was?.filter ?? "");
	const [place, setPlace] = useState<Ref | undefined>(ref("area", was?.area));
	const [by, setBy] = useState<By>(was?.by || "manager");
	const [person, setPerson] = useState<Ref | undefined>(ref("user", was?.person));
	const [fallback, setFallback] = useState<Ref | undefined>(ref("user", was?.fallback));
	const [then, setThen] = useState<By | "">(was?.second?.by ?? "");
	const [thenPerson, setThenPerson] = useState<Ref | undefined>(ref("user", was?.second?.person));
	const [thenRisk, setThenRisk] = useState(was?.second?.risk ?? 2);
	const [fate, setFate] = useState<"keep" | "revoke">(was?.fate || "keep");
	const [due, setDue] = useState("");
	const [name, setName] = useState(was?.name ?? "");
	const returning = useReturning(of?.said);
	const known = asks[ask];

	const whereId = known.where ? (place?.id ?? (of ? undefined : params.get("where")) ?? undefined) : undefined;
	const where = place?.name ?? areas.data?.find((a) => a.id === whereId)?.name;
	const body: Schemas["NewReview"] = {
		ask: ask || undefined,
		...Object.fromEntries(known.kinds.map((k) => [k, what[k]?.id])),
		risk: (known.risk && risk) || undefined,
		filter: (known.people && filter.trim()) || undefined,
		area: whereId,
		by,
		person: by === "person" ? person?.id : undefined,
		fallback: fallback?.id,
		second: then
			? { by: then, person: then === "person" ? thenPerson?.id : undefined, risk: thenRisk || undefined }
			: undefined,
		fate,
		due: due ? new Date(Date.parse(endOf(due) as string) - 1000).toISOString() : undefined, // within that day
	};
	const chosen =
		ask !== "" || Object.values(what).some(Boolean) || risk > 0 || filter.trim() !== "" || whereId !== undefined;
	const decided = (by !== "person" || !!person) && (then !== "person" || !!thenPerson);
	const tried = useDeferredValue(body); // what it is called changes nothing of it
	const preview = useAsk({
		queryKey: [...design, "review-preview", tried],
		queryFn: (ask: Ask) => data(ask.POST("/api/reviews/preview", { body: tried })),
		enabled: !returning.returns && chosen && decided,
		placeholderData: keepPreviousData,
	});
	const named = { ...body, name: name.trim() || undefined };
	const { returns, said } = returning;
	const series = useDeferredValue(said && { ...said, review: tried });
	const trial = useAsk({
		queryKey: [...design, "series-trial", series],
		queryFn: (ask: Ask) => data(ask.POST("/api/series/trial", { body: series as Schemas["NewSeries"] })),
		enabled: !!series && chosen && decided,
		placeholderData: keepPreviousData,
	});
	const open = useMutation({
		mutationFn: async () =>
			of && said
				? `/series/${(await data(api.PATCH("/api/series/{id}", { params: { path: { id: of.id } }, body: { said: { ...said, review: named } } }))).id}`
				: said
					? `/series/${(await data(api.POST("/api/series", { body: { ...said, review: named } }))).id}`
					: `/reviews/${(await data(api.POST("/api/reviews", { body: named }))).id}`,
		onSuccess: async (to) => {
			await refresh();
			onDone?.();
			navigate(to);
		},
		onError: refuse,
	});
	const p = chosen ? (returns ? trial.data?.preview : preview.data) : undefined;
	const trouble = p?.trouble || (returns && (trial.data?.trouble || (!said && "Say from which day it returns.")));
	const said_: Record<Kind, string> = {
		role: "the role ",
		set: "the set ",
		system: "something of ",
		group: ask === "" ? "something by the group " : ask === "groups" ? "the group " : "those given to ",
	};
	const whatText = [
		...known.kinds.map((k) => what[k] && said_[k] + what[k]?.name),
		known.risk && risk > 0 && `something of ${riskWords[risk]} risk${risk < 3 ? " or more" : ""}`,
	]
		.filter(Boolean)
		.join(", ");
	const deciderText = by === "person" ? (person?.name ?? "") : byWords[by];
	const thenText =
		then &&
		`, then ${then === "person" ? (thenPerson?.name ?? "a person") : byWords[then]}${thenRisk ? ` where the risk is ${riskWords[thenRisk]}${thenRisk < 3 ? " or more" : ""}` : ""}`;
	return (
		<form
			aria-label={of ? "Change the series" : "Open a review"}
			className="board mt-3 border-l-8 p-4"
			onSubmit={(e) => {
				e.preventDefault();
				open.mutate();
			}}
		>
			<p className="text-[16px] leading-[34px]">
				Ask{" "}
				<Bracket label="Who decides" text={deciderText && deciderText + thenText} empty="a person">
					{(
						[
							["manager", "the manager of each person"],
							["owner", "the owner of the role, set or group"],
							["person", "one person for all"],
						] as const
					).map(([id, words]) => (
						<label key={id} className="flex items-center gap-2 py-1">
							<input type="radio" name="by" checked={by === id} onChange={() => setBy(id)} />
							{words}
						</label>
					))}
					{by === "person" && (
						<Picker kinds={["user"]} label="Reviewer" placeholder={person?.name ?? "a person …"} onPick={setPerson} />
					)}
					<p className="mt-3 mb-1 text-[12px] text-quiet">
						Where there is nobody else, or only the person asked about:
					</p>
					<Picker
						kinds={["user"]}
						label="Fallback"
						placeholder={fallback?.name ?? `${me.user.name}, or another …`}
						onPick={setFallback}
					/>
					<label className="mt-3 flex items-center gap-2">
						Then, about what is kept,
						<select
							aria-label="Who decides once more"
							className="field !w-auto"
							value={then}
							onChange={(e) => setThen(e.target.value as By | "")}
						>
							<option value="">nobody else</option>
							<option value="manager">the manager</option>
							<option value="owner">the owner</option>
							<option value="person">one person</option>
						</select>
					</label>
					{then === "person" && (
						<Picker
							kinds={["user"]}
							label="Second reviewer"
							placeholder={thenPerson?.name ?? "a person …"}
							onPick={setThenPerson}
						/>
					)}
					{then && (
						<p className="mt-2 flex items-center gap-2">
							where it is of at least{" "}
							<RiskSelect label="Risk from which a second decides" value={thenRisk} onChange={setThenRisk} />
						</p>
					)}
				</Bracket>{" "}
				whether{" "}
				<Bracket label="What is asked" text={known.says} empty="">
					{(Object.keys(asks) as Asks[]).map((id) => (
						<label key={id} className="flex items-center gap-2 py-1">
							<input
								type="radio"
								name="ask"
								checked={ask === id}
								onChange={() => {
									setAsk(id);
									setBy(asks[id].by);
								}}
							/>
							{asks[id].says}
						</label>
					))}
				</Bracket>
				{": "}
				{known.people && (
					<>
						<Bracket
							label="Of which people"
							text={filter.trim() ? `people with ${filter.trim()}` : "everybody"}
							empty=""
						>
							<p className="mb-1">A filter over people; empty means everybody.</p>
							<RuleBox rule={filter} onRule={setFilter} />
						</Bracket>{" "}
					</>
				)}
				{ask === "" && "who has "}
				{known.kinds.length > 0 && (
					<Bracket label="What" text={whatText || (ask && known.all)} empty={chosen ? known.all : "what"}>
						{known.kinds.map((k) => (
							<div key={k} className="mb-2">
								{what[k] ? (
									<p className="flex items-baseline gap-2">
										<span className="text-quiet">{kindWords[k]}</span>
										<b className="grow">{what[k]?.name}</b>
										<button
											type="button"
											className="font-bold text-ox"
											aria-label={`Take out ${what[k]?.name}`}
											onClick={() => setWhat({ ...what, [k]: undefined })}
										>
											✕
										</button>
									</p>
								) : (
									<Picker
										kinds={[k]}
										label={kindWords[k][0].toUpperCase() + kindWords[k].slice(1)}
										placeholder={`a ${kindWords[k]} …`}
										onPick={(r) => setWhat({ ...what, [k]: r })}
									/>
								)}
							</div>
						))}
						{known.risk && (
							<p className="flex items-center gap-2">
								of at least <RiskSelect label="Risk" value={risk} onChange={setRisk} />
							</p>
						)}
					</Bracket>
				)}{" "}
				{known.where && (
					<Bracket label="Where" text={where ? `at ${where}` : "anywhere"} empty="">
						<Picker kinds={["area"]} label="Area" placeholder="an area …" onPick={setPlace} />
						{place && (
							<button type="button" className="link mt-2" onClick={() => setPlace(undefined)}>
								Anywhere
							</button>
						)}
					</Bracket>
				)}
				{returns && ask === "" && <>, {returning.foundBracket}</>}; {returning.oftenBracket}
				{returns ? (
					<>, {returning.daysBracket}</>
				) : (
					<>
						, by{" "}
						<Bracket label="Due" text={due ? sayDay(due) : "in three weeks"} empty="">
							<DayField label="Due day" last value={due} onChange={setDue} />
						</Bracket>
					</>
				)}
				; what nobody decides{" "}
				<Bracket
					label="What happens to undecided items at the end"
					text={fate === "keep" ? "is kept" : "is revoked"}
					empty=""
				>
					{(
						[
							["keep", "is kept, and the report says that nobody decided"],
							["revoke", "is revoked"],
						] as const
					).map(([id, words]) => (
						<label key={id} className="flex items-center gap-2 py-1">
							<input type="radio" name="fate" checked={fate === id} onChange={() => setFate(id)} />
							{words}
						</label>
					))}
				</Bracket>
				.
			</p>
			<div className="mt-2 flex items-center gap-4">
				<p aria-live="polite" className="min-h-[18px] min-w-0 grow text-quiet">
					{!chosen && "Say what is asked about: a role, a set, a system, a group, an area, a risk or a filter."}
					{p &&
						!trouble &&
						(p.items > 0 ? (
							<>
								{returns && "Today: "}
								<Count preview={p} access={ask === ""} />
							</>
						) : returns ? (
							"Today it would find nobody; rounds without anybody are recorded as such."
						) : (
							"That covers nothing, so there is nothing to review."
						))}
					{chosen && trouble && <span className="font-semibold text-ox">✕ {trouble}</span>}
					{(returns ? trial : preview).error?.message}
					{returns && trial.data && !trouble && (
						<span className="block">Rounds open {trial.data.next.map((at) => day(at)).join(", ")} …</span>
					)}
				</p>
				<input
					aria-label="Name of the review"
					className="field max-w-[220px]"
					placeholder="named after what it asks"
					maxLength={200}
					value={name}
					onChange={(e) => setName(e.target.value)}
				/>
				<button
					type="submit"
					className="action main"
					disabled={
						!p ||
						open.isPending ||
						(returns ? !!p.trouble || !trial.data?.next.length : p.items === 0 || p.nobody.length > 0)
					}
				>
					{of ? "Change it from now on" : returns ? "Make it recur" : "Open the review"}
				</button>
				{of && (
					<button type="button" className="action" onClick={onDone}>
						Leave it as it is
					</button>
				)}
			</div>
		</form>
	);
}

/** At least which risk. */
function RiskSelect(props: { label: string; value: number; onChange: (risk: number) => void }) {
	return (
		<select
			aria-label={props.label}
			className="field !w-auto"
			value={props.value}
			onChange={(e) => props.onChange(Number(e.target.value))}
		>
			<option value={0}>any risk</option>
			{[1, 2, 3].map((r) => (
				<option key={r} value={r}>
					{riskWords[r]} risk
				</option>
			))}
		</select>
	);
}

/** What opening would ask, in figures. */
function Count({ preview: p, access }: { preview: Schemas["ReviewPreview"]; access: boolean }) {
	return (
		<>
			<b className="text-ink">
				{count(p.items, "item", "items")} for {count(p.reviewers.length, "reviewer", "reviewers")}
			</b>
			{access ? (
				<>
					, about {count(p.people, "person", "people")}.{" "}
					{p.byHand === p.items
						? "All are given by hand"
						: p.byHand === 0
							? "All come by groups"
							: `${p.byHand} are given by hand, the others come by groups`}
				</>
			) : null}
			.{p.twice > 0 && ` ${p.twice} would be decided twice.`}
			{p.doubtful > 0 && ` There are doubts about ${p.doubtful}.`}
			{p.fallback > 0 && ` ${p.fallback} ${p.fallback === 1 ? "comes" : "come"} to the fallback.`}
			{p.nobody.length > 0 && (
				<b className="text-ox">
					{" "}
					✕ Nobody could decide about {p.nobody.map((n) => n.name).join(", ")}: name another fallback.
				</b>
			)}
		</>
	);
}

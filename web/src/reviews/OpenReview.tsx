import { keepPreviousData, useMutation } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { type Ask, useAsk } from "../api/ask";
import { api, data, type Schemas } from "../api/client";
import { design, useAreas, useRefresh } from "../api/hooks";
import { useHouse } from "../house/context";
import { Bracket } from "../parts/Bracket";
import { useNotice } from "../parts/notice";
import { Picker } from "../parts/Picker";
import { count, day, kindWords, riskWords } from "../parts/words";
import { RuleBox } from "../sheets/group/RuleBox";
import { useReturning } from "./Returning";

type Ref = Schemas["Ref"];
type What = Partial<Record<"role" | "set" | "system" | "group", Ref>>;

/** Opens a review: a sentence whose brackets say what is asked, of whom, and what becomes of what nobody decides; with a live count. */
export function OpenReview() {
	const { me } = useHouse();
	const [params] = useSearchParams();
	const areas = useAreas();
	const navigate = useNavigate();
	const refresh = useRefresh();
	const { refuse } = useNotice();
	const [what, setWhat] = useState<What>({});
	const [risk, setRisk] = useState(0);
	const [filter, setFilter] = useState("");
	const [place, setPlace] = useState<Ref | undefined>();
	const [by, setBy] = useState<"manager" | "owner" | "person">("manager");
	const [person, setPerson] = useState<Ref | undefined>();
	const [fallback, setFallback] = useState<Ref | undefined>();
	const [fate, setFate] = useState<"keep" | "revoke">("keep");
	const [due, setDue] = useState("");
	const [name, setName] = useState("");
	const returning = useReturning();

	const whereId = place?.id ?? params.get("where") ?? undefined;
	const where = place?.name ?? areas.data?.find((a) => a.id === whereId)?.name;
	const body: Schemas["NewReview"] = {
		role: what.role?.id,
		set: what.set?.id,
		system: what.system?.id,
		group: what.group?.id,
		risk: risk || undefined,
		filter: filter.trim() || undefined,
		area: whereId,
		by,
		person: by === "person" ? person?.id : undefined,
		fallback: fallback?.id,
		fate,
		due: due ? new Date(`${due}T23:59:59Z`).toISOString() : undefined,
	};
	const chosen = Object.values(what).some(Boolean) || risk > 0 || filter.trim() !== "" || whereId !== undefined;
	const tried = useDeferredValue(body); // what it is called changes nothing of it
	const preview = useAsk({
		queryKey: [...design, "review-preview", tried],
		queryFn: (ask: Ask) => data(ask.POST("/api/reviews/preview", { body: tried })),
		enabled: !returning.returns && chosen && (by !== "person" || !!person),
		placeholderData: keepPreviousData,
	});
	const named = { ...body, name: name.trim() || undefined };
	const { returns, said } = returning;
	const series = useDeferredValue(said && { ...said, review: tried });
	const trial = useAsk({
		queryKey: [...design, "series-trial", series],
		queryFn: (ask: Ask) => data(ask.POST("/api/series/trial", { body: series as Schemas["NewSeries"] })),
		enabled: !!series && chosen && (by !== "person" || !!person),
		placeholderData: keepPreviousData,
	});
	const open = useMutation({
		mutationFn: async () =>
			said
				? `/series/${(await data(api.POST("/api/series", { body: { ...said, review: named } }))).id}`
				: `/reviews/${(await data(api.POST("/api/reviews", { body: named }))).id}`,
		onSuccess: async (to) => {
			await refresh();
			navigate(to);
		},
		onError: refuse,
	});
	const p = chosen ? (returns ? trial.data?.preview : preview.data) : undefined;
	const trouble = p?.trouble || (returns && (trial.data?.trouble || (!said && "Say from which day it returns.")));
	const kinds = ["role", "set", "system", "group"] as const;
	const whatText = [
		what.role && `the role ${what.role.name}`,
		what.set && `the set ${what.set.name}`,
		what.system && `something of ${what.system.name}`,
		what.group && `something by the group ${what.group.name}`,
		risk > 0 && `something of ${riskWords[risk]} risk${risk < 3 ? " or more" : ""}`,
	]
		.filter(Boolean)
		.join(", ");
	return (
		<form
			aria-label="Open a review"
			className="board mt-3 border-l-8 p-4"
			onSubmit={(e) => {
				e.preventDefault();
				open.mutate();
			}}
		>
			<p className="text-[16px] leading-[34px]">
				Ask{" "}
				<Bracket
					label="Who decides"
					text={
						by === "manager"
							? "the managers"
							: by === "owner"
								? "the owners of roles, sets and groups"
								: (person?.name ?? "")
					}
					empty="a person"
				>
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
				</Bracket>{" "}
				whether{" "}
				<Bracket label="Of which people" text={filter.trim() ? `people with ${filter.trim()}` : "everybody"} empty="">
					<p className="mb-1">A filter over people; empty means everybody.</p>
					<RuleBox rule={filter} onRule={setFilter} />
				</Bracket>{" "}
				who has{" "}
				<Bracket label="What" text={whatText} empty={chosen ? "anything" : "what"}>
					{kinds.map((k) => (
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
					<label className="flex items-center gap-2">
						of at least
						<select className="field !w-auto" value={risk} onChange={(e) => setRisk(Number(e.target.value))}>
							<option value={0}>any risk</option>
							{[1, 2, 3].map((r) => (
								<option key={r} value={r}>
									{riskWords[r]} risk
								</option>
							))}
						</select>
					</label>
				</Bracket>{" "}
				<Bracket label="Where" text={where ? `at ${where}` : "anywhere"} empty="">
					<Picker kinds={["area"]} label="Area" placeholder="an area …" onPick={setPlace} />
					{place && (
						<button type="button" className="link mt-2" onClick={() => setPlace(undefined)}>
							Anywhere
						</button>
					)}
				</Bracket>
				{returns && <>, {returning.foundBracket},</>} should keep it: {returning.oftenBracket}
				{returns ? (
					<>, {returning.daysBracket}</>
				) : (
					<>
						, by{" "}
						<Bracket label="Due" text={due ? day(`${due}T12:00:00Z`) : "in three weeks"} empty="">
							<input
								type="date"
								aria-label="Due day"
								className="field"
								value={due}
								onChange={(e) => setDue(e.target.value)}
							/>
						</Bracket>
					</>
				)}
				; what nobody decides{" "}
				<Bracket
					label="The fate of what is undecided at the end"
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
								<Count preview={p} />
							</>
						) : returns ? (
							"Today it would find nobody; rounds without anybody are recorded as such."
						) : (
							"Nobody has anything of that, so there is nothing to ask."
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
					{returns ? "Have it return" : "Open the review"}
				</button>
			</div>
		</form>
	);
}

/** What opening would ask, in figures. */
function Count({ preview: p }: { preview: Schemas["ReviewPreview"] }) {
	return (
		<>
			<b className="text-ink">
				{count(p.items, "item", "items")} for {count(p.reviewers.length, "reviewer", "reviewers")}
			</b>
			, about {count(p.people, "person", "people")}.{" "}
			{p.byHand === p.items
				? "All are given by hand"
				: p.byHand === 0
					? "All come by groups"
					: `${p.byHand} are given by hand, the others come by groups`}
			.{p.doubtful > 0 && ` Against ${p.doubtful} something speaks.`}
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

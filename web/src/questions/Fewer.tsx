import { useState } from "react";
import { Link } from "react-router";
import { useAsk } from "../api/ask";
import { api, data, type Schemas } from "../api/client";
import { design, useDrafting } from "../api/hooks";
import { useHouse } from "../house/context";
import { useTo } from "../house/lens";
import { acting, may } from "../house/rights";
import { Bracket } from "../parts/Bracket";
import { Failed } from "../parts/loading";
import { Few } from "../parts/More";
import { Picker } from "../parts/Picker";
import { Scroll } from "../parts/Scroll";
import { Part } from "../parts/sheet";
import { Rooms } from "../parts/tabs";
import { count, Named, number, Risk } from "../parts/words";
import { RuleBox } from "../sheets/group/RuleBox";

type Ref = Schemas["Ref"];
type Proposed = Schemas["ProposedRole"];
type Price = Required<Pick<Schemas["FewerAsk"], "role" | "assignment" | "over" | "under">>;

const usual: Price = { role: 10, assignment: 1, over: 3, under: 1 };
const draftFewer = (body: Schemas["DraftFewerInputBody"]) => data(api.POST("/api/draft/fewer", { body }));

/** Fewer roles: what people were given by hand, given by as few roles as pay, exactly or almost. */
export function Fewer() {
	const { me } = useHouse();
	const [system, setSystem] = useState<Ref>();
	const [area, setArea] = useState<Ref>();
	const [filter, setFilter] = useState("");
	const [almost, setAlmost] = useState(false);
	const [price, setPrice] = useState(usual);
	const [groups, setGroups] = useState(false);
	const body: Schemas["FewerAsk"] = {
		system: system?.id,
		area: area?.id,
		filter: filter.trim() || undefined,
		almost: almost || undefined,
		...price,
	};
	const [asked, setAsked] = useState(body);
	const fresh = JSON.stringify(asked) === JSON.stringify(body);
	const answer = useAsk({
		queryKey: [...design, "fewer", asked],
		queryFn: (ask) => data(ask.POST("/api/fewer", { body: asked })),
	});
	const put = useDrafting(draftFewer);
	const a = answer.data;
	const drafts = acting(me) && may(me, "design:edit") && may(me, "assignment:edit");
	const pay = (name: keyof Price, label: string) => (
		<label className="flex items-center gap-3 py-1">
			<span className="grow">{label}</span>
			<input
				type="number"
				className="field !w-[80px]"
				min={0}
				max={1000}
				value={price[name]}
				onChange={(e) => setPrice({ ...price, [name]: Math.max(0, Math.min(1000, Number(e.target.value) || 0)) })}
			/>
		</label>
	);
	return (
		<div className="h-full overflow-auto px-[18px] py-3">
			<Rooms />
			<form
				aria-label="What is asked"
				className="board mt-3 border-l-8 p-4"
				onSubmit={(e) => {
					e.preventDefault();
					setAsked(body);
				}}
			>
				<p className="text-[16px] leading-[34px]">
					From what{" "}
					<Bracket label="Of which people" text={filter.trim() ? `people with ${filter.trim()}` : "everybody"} empty="">
						<p className="mb-1">A filter over people; empty means everybody.</p>
						<RuleBox rule={filter} onRule={setFilter} />
					</Bracket>{" "}
					was given by hand{" "}
					<Bracket label="Of which system" text={system ? `of ${system.name}` : "of any system"} empty="">
						<Picker kinds={["system"]} label="System" placeholder="a system …" onPick={setSystem} />
						{system && (
							<button type="button" className="link mt-2" onClick={() => setSystem(undefined)}>
								Of any system
							</button>
						)}
					</Bracket>{" "}
					<Bracket label="Where" text={area ? `at ${area.name}` : "anywhere"} empty="">
						<Picker kinds={["area"]} label="Area" placeholder="an area …" onPick={setArea} />
						{area && (
							<button type="button" className="link mt-2" onClick={() => setArea(undefined)}>
								Anywhere
							</button>
						)}
					</Bracket>
					, make fewer roles that give{" "}
					<Bracket label="How exactly" text={almost ? "almost the same" : "exactly the same"} empty="">
						<label className="flex items-center gap-2 py-1">
							<input type="radio" name="almost" checked={!almost} onChange={() => setAlmost(false)} />
							exactly the same: nobody gains or loses anything
						</label>
						<label className="flex items-center gap-2 py-1">
							<input type="radio" name="almost" checked={almost} onChange={() => setAlmost(true)} />
							almost the same: at most a tenth of what a person holds may be too much or too little
						</label>
					</Bracket>
					,{" "}
					<Bracket
						label="What is weighed"
						text={`a role weighing as much as ${price.assignment ? number(Math.round(price.role / price.assignment)) : "∞"} assignments`}
						empty=""
					>
						{pay("role", "One more role to look after")}
						{pay("assignment", "One more assignment")}
						{almost && pay("over", "A permission too many")}
						{almost && pay("under", "A permission too few")}
					</Bracket>
					.
				</p>
				<div className="mt-2 flex items-center gap-4">
					<p aria-live="polite" className="min-h-[18px] min-w-0 grow text-quiet">
						{answer.isFetching
							? "Looking for what people have in common …"
							: a?.trouble
								? `✕ ${a.trouble}`
								: a && <Sum answer={a} />}
					</p>
					<button type="submit" className={`action ${fresh ? "" : "main"}`} disabled={fresh}>
						Look again
					</button>
				</div>
			</form>
			{answer.error && <Failed error={answer.error} retry={() => answer.refetch()} />}
			{a && !a.trouble && (
				<>
					<Scales answer={a} />
					{drafts && a.roles.length > 0 && (
						<div className="mt-3 flex items-center gap-4">
							<label className="flex grow items-center gap-2">
								<input type="checkbox" checked={groups} onChange={(e) => setGroups(e.target.checked)} />
								where a title says exactly who, make a group by that rule and assign the role to it
							</label>
							<button
								type="button"
								className="action main"
								disabled={!fresh || put.isPending}
								onClick={() => put.mutate({ ...asked, groups: groups || undefined })}
							>
								Put it into the draft
							</button>
						</div>
					)}
					{drafts && a.roles.some((r) => !r.existing) && (
						<p className="mt-1 text-[12px] text-quiet">
							New roles list their permissions one by one, so they do not follow the supplied sets of a system.
						</p>
					)}
					<Part title="Roles that would do" count={a.roles.length}>
						{a.roles.length === 0 && (
							<p className="py-1.5 text-quiet">
								None is worthwhile: what people were assigned by hand has too little in common, or roles already give
								it.
							</p>
						)}
						<ul>
							{a.roles.map((r) => (
								<RoleLine key={r.name} role={r} />
							))}
						</ul>
					</Part>
					<Beside list={a.beside} more={a.moreBesides} />
				</>
			)}
		</div>
	);
}

/** What a proposal comes to, in a sentence. */
function Sum({ answer: a }: { answer: Schemas["FewerAnswer"] }) {
	if (a.before.assignments === 0) return <>None of that was assigned by hand.</>;
	return (
		<>
			<b className="text-ink">
				{count(a.before.bundles, "role or set", "roles and sets")} in{" "}
				{count(a.before.assignments, "assignment", "assignments")} become {number(a.after.bundles)} in{" "}
				{number(a.after.assignments)}
			</b>
			{a.left > 0 && `; ${count(a.left, "assignment stays", "assignments stay")} as they are`}
			{a.over + a.under > 0 &&
				`; ${count(a.over, "permission", "permissions")} too much, ${number(a.under)} too little, over all people`}
			.
		</>
	);
}

/** How much there is to look after now and then, drawn as two beams. */
function Scales({ answer: a }: { answer: Schemas["FewerAnswer"] }) {
	const most = Math.max(1, a.before.bundles + a.before.assignments, a.after.bundles + a.after.assignments);
	return (
		<div className="mt-4" aria-hidden="true">
			{(
				[
					["Now", a.before],
					["Then", a.after],
				] as const
			).map(([name, t]) => (
				<div key={name} className="mb-1 flex items-center gap-3">
					<span className="w-[44px] font-bold">{name}</span>
					<span className="flex h-[20px] grow">
						<span
							className="border-[2px] border-[var(--beam)] bg-slate"
							style={{ width: `${(100 * t.bundles) / most}%` }}
						/>
						<span
							className="border-[2px] border-l-0 border-[var(--beam)] bg-sunk"
							style={{ width: `${(100 * t.assignments) / most}%` }}
						/>
					</span>
				</div>
			))}
			<p className="pl-[56px] text-[12px] text-quiet">
				<span className="inline-block h-[9px] w-[9px] bg-slate" /> roles and sets{" "}
				<span className="ml-3 inline-block h-[9px] w-[9px] border border-[var(--beam)] bg-sunk" /> assignments
			</p>
		</div>
	);
}

/** A proposed role: what it gives, who would have it, what it is in place of, and whom these people resemble. */
function RoleLine({ role: r }: { role: Proposed }) {
	const [open, setOpen] = useState(false);
	const to = useTo();
	return (
		<li className="border-b border-hair py-2">
			<div className="grid grid-cols-[minmax(0,3fr)_110px_100px_minmax(0,4fr)_60px] items-baseline gap-4 max-[900px]:grid-cols-1 max-[900px]:gap-1">
				<span className="min-w-0 font-semibold">
					{r.existing ? <Named of={r.existing} /> : r.name}
					<span className="block text-[12px] font-normal text-quiet">{r.existing ? "this role exists" : "new"}</span>
				</span>
				<span>{count(r.permissions.length, "permission", "permissions")}</span>
				<span>{count(r.count, "person", "people")}</span>
				<span className="min-w-0 text-quiet">
					{r.like ? (
						<>
							{r.like.have} of {count(r.like.of, "person", "people")} with the title <b>{r.like.title}</b>
							{r.like.department && ` in ${r.like.department}`}
							{r.like.exact ? (
								<b className="text-moss"> ✓ exactly these</b>
							) : (
								r.count > r.like.have && `, and ${count(r.count - r.like.have, "other", "others")}`
							)}
						</>
					) : (
						"nobody in particular"
					)}
				</span>
				<button type="button" className="link text-left" aria-expanded={open} onClick={() => setOpen(!open)}>
					{open ? "Less" : "More"}
				</button>
			</div>
			{open && (
				<div className="mt-2 grid grid-cols-3 gap-6 max-[900px]:grid-cols-1">
					<div>
						<h3 className="border-b-[3px] border-[var(--beam)] font-bold">What it gives</h3>
						<Scroll className="max-h-[220px]">
							<ul>
								{r.permissions.map((p) => (
									<li key={p.key} className="flex items-baseline gap-2 border-b border-hair py-[3px]">
										<span className="narrow min-w-0 grow truncate font-mono text-[12px]" title={p.label}>
											{p.key}
										</span>
										<Risk level={p.risk} />
									</li>
								))}
							</ul>
						</Scroll>
					</div>
					<div>
						<h3 className="border-b-[3px] border-[var(--beam)] font-bold">Who would have it</h3>
						<Scroll className="max-h-[220px]">
							<ul>
								<Few of={r.people} most={100} total={r.count}>
									{(people, more) => (
										<>
											{people.map((u) => (
												<li key={u.id} className="border-b border-hair py-[3px]">
													<Link className="link" to={to(`/people/${u.id}`)}>
														{u.name}
													</Link>
												</li>
											))}
											{more && <li className="py-[3px]">{more}</li>}
										</>
									)}
								</Few>
							</ul>
						</Scroll>
					</div>
					<div>
						<h3 className="border-b-[3px] border-[var(--beam)] font-bold">In place of</h3>
						<ul className="max-h-[150px] overflow-auto">
							{r.replaces.map((x) => (
								<li key={x.kind + x.id} className="border-b border-hair py-[3px]">
									<Named of={x} />
								</li>
							))}
						</ul>
						{r.like && (
							<>
								<h3 className="mt-3 border-b-[3px] border-[var(--beam)] font-bold">As a rule</h3>
								<p className="py-1 font-mono text-[12px]">{r.like.filter}</p>
							</>
						)}
					</div>
				</div>
			)}
		</li>
	);
}

const besideWords: Record<Schemas["RolesBeside"]["how"], string> = {
	same: "gives the same as",
	within: "gives nothing that is not in",
	together: "is held by the same people as",
};

/** Roles that stand side by side: perhaps one of two is enough. */
function Beside({ list, more }: { list: Schemas["RolesBeside"][]; more: number }) {
	if (list.length === 0) return null;
	return (
		<Part title="Side by side" count={list.length + more}>
			<Few of={list} most={100} total={list.length + more}>
				{(pairs, rest) => (
					<>
						<ul className="columns-2 gap-8 max-[900px]:columns-1">
							{pairs.map((b) => (
								<li key={b.how + b.a.id + b.b.id} className="break-inside-avoid border-b border-hair py-1.5">
									<Named of={b.a} /> <span className="text-quiet">{besideWords[b.how]}</span> <Named of={b.b} />
								</li>
							))}
						</ul>
						{rest && <p className="py-1.5">{rest}</p>}
					</>
				)}
			</Few>
		</Part>
	);
}

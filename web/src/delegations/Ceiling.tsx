import { useRef, useState } from "react";
import { Link } from "react-router";
import { type Ask, useAsk } from "../api/ask";
import { data, type Schemas } from "../api/client";
import { design, putDelegation, putGroup, useDrafting } from "../api/hooks";
import { useHouse } from "../house/context";
import { useTo } from "../house/lens";
import { acting, may } from "../house/rights";
import { bricksByArrow } from "../parts/bricks";
import { Choose } from "../parts/Choose";
import { Loaded, Waiting } from "../parts/loading";
import { Few } from "../parts/More";
import { useNotice } from "../parts/notice";
import { addressOf, count, extent, NamedAll, number, riskWords, Sentence } from "../parts/words";

type Sheet = Schemas["CeilingSheet"];
type Brick = Schemas["CeilingBrick"];

/** What a brick says of how it could come to somebody, and how it looks. */
const hows: Record<string, { words: string; look: string }> = {
	beyond: {
		words: "beyond what the delegate holds or could assign",
		look: "border-ox border-l-[7px] bg-raised font-semibold text-ox",
	},
	listed: { words: "can be assigned, as a delegation lists", look: "border-ochre-line border-l-[7px] bg-raised" },
	held: { words: "the delegate holds it as widely", look: "border-dashed border-hair text-quiet" },
};

/** What could come of a delegation: a wall, and behind each brick the shortest chain of acts that leads to it. */
export function Ceiling({ delegation }: { delegation: string }) {
	const [user, setUser] = useState("");
	const query = useAsk({
		queryKey: [...design, "ceiling", delegation, user],
		queryFn: (ask: Ask) =>
			data(
				ask.GET("/api/delegations/{id}/ceiling", {
					params: { path: { id: delegation }, query: { user: user || undefined } },
				}),
			),
	});
	return (
		<Loaded query={query}>
			{(c) => <CeilingOf ceiling={c} onUser={c.delegates.length > 1 ? setUser : undefined} />}
		</Loaded>
	);
}

/** How high a ceiling is, in a sentence. */
export function CeilingLine({ of: c }: { of: Sheet }) {
	if (c.unlimited)
		return (
			<span className="font-semibold text-ochre">
				No ceiling: {c.of.name} holds the right {c.unlimited} in Fachwerk.
			</span>
		);
	if (c.beyond > 0)
		return (
			<span className="font-semibold text-ox">
				✕ Too high by {count(c.beyond, "permission", "permissions")} that {c.of.name} neither holds nor could assign
			</span>
		);
	if (c.held + c.listed === 0) return <span className="text-moss">✓ Nothing could come of it</span>;
	return (
		<span className="text-moss">
			✓ Nothing could come of it but what {c.of.name} holds or could assign:{" "}
			{count(c.held + c.listed, "permission", "permissions")}
		</span>
	);
}

/** One way by which a ceiling is too high, in a line. */
export function CeilingExample({ of: c }: { of: Sheet }) {
	const brick = c.panels.flatMap((p) => p.courses.flatMap((o) => o.bricks)).find((b) => b.how === "beyond");
	const way = brick?.ways[0];
	if (!way) return null;
	return (
		<span className="block text-quiet">
			{way.steps.map((s, i) => (
				// biome-ignore lint/suspicious/noArrayIndexKey: a step is its place in the chain
				<span key={i}>
					{i > 0 && ", then "}
					<Sentence parts={s.said} />
				</span>
			))}
			: <span className="narrow font-mono break-words">{brick.key}</span> {extent(way.held)}
		</span>
	);
}

function CeilingOf({ ceiling: c, onUser }: { ceiling: Sheet; onUser?: (user: string) => void }) {
	const wall = useRef<HTMLDivElement>(null);
	const [all, setAll] = useState(false);
	const [key, setKey] = useState<string>();
	const shows = (b: Brick) => all || c.beyond === 0 || b.how === "beyond";
	const panels = c.panels
		.map((p) => ({
			...p,
			courses: p.courses.map((o) => ({ ...o, bricks: o.bricks.filter(shows) })).filter((o) => o.bricks.length > 0),
		}))
		.filter((p) => p.courses.length > 0);
	const bricks = panels.flatMap((p) => p.courses.flatMap((o) => o.bricks));
	const chosen = bricks.find((b) => b.key === key) ?? bricks[0];
	return (
		<section aria-label="What could come of it" className="pt-3">
			<div className="flex flex-wrap items-baseline gap-x-4 gap-y-1 pb-2">
				<h2 className="text-[18px] font-bold">What could come of it</h2>
				{onUser ? (
					<span className="flex items-baseline gap-2">
						<span className="text-quiet">by</span>
						<Choose
							label="By whom"
							className="field !w-auto"
							value={c.of.id}
							options={c.delegates.map((d) => ({ value: d.id, name: d.name }))}
							onChange={onUser}
						/>
					</span>
				) : (
					<span className="text-quiet">by {c.of.name}, with all else that is delegated to them</span>
				)}
				<span role="status">
					<CeilingLine of={c} />
				</span>
				<span className="grow" />
				{c.beyond > 0 && c.held + c.listed > 0 && (
					<label className="flex cursor-pointer items-center gap-2 text-[12px] text-quiet">
						<input type="checkbox" checked={all} onChange={(e) => setAll(e.target.checked)} />
						show what is held or listed too ({number(c.held + c.listed)})
					</label>
				)}
			</div>
			{c.empowered.length > 0 && (
				<p className="pb-2 text-[12px] text-ochre">
					<Few of={c.empowered} most={12}>
						{(empowered, more) => (
							<>
								Could come to be delegates by it: <NamedAll of={empowered} /> {more}
							</>
						)}
					</Few>
				</p>
			)}
			{bricks.length === 0 ? (
				<p className="max-w-[560px] border-l-8 border-ochre-line bg-raised p-3">
					{c.unlimited
						? "People who may change the design need no delegation to assign anything to anybody."
						: "No act that it permits could give anybody anything that they do not already hold."}
				</p>
			) : (
				<div className="grid grid-cols-[minmax(0,6fr)_minmax(320px,5fr)] gap-6 max-[900px]:grid-cols-1">
					{/* biome-ignore lint/a11y/noStaticElementInteractions: the bricks in it are buttons; the arrows move between them */}
					<div ref={wall} onKeyDown={(e) => bricksByArrow(e, wall.current)}>
						{panels.map((p) => (
							<section
								key={p.system.id}
								aria-label={p.system.name}
								className="mt-2 border-l-[3px] border-[var(--beam)] pl-[9px]"
							>
								<h3 className="text-[15px] font-bold">{p.system.name}</h3>
								{p.courses.map((o) => (
									<div key={o.object} className="flex gap-2 py-[2px]">
										<div className="narrow w-[132px] shrink-0 truncate pt-[5px] font-mono text-[12px]" title={o.object}>
											{o.object}
										</div>
										<div className="flex min-w-0 flex-wrap gap-[5px]">
											{o.bricks.map((b) => (
												<button
													key={b.key}
													type="button"
													data-brick={b.key}
													data-how={b.how}
													tabIndex={b === chosen ? 0 : -1}
													aria-pressed={b === chosen}
													title={`${b.key}${b.label ? ` — ${b.label}` : ""}; ${hows[b.how].words}`}
													onClick={() => setKey(b.key)}
													className={`h-[27px] border-[1.5px] px-[8px] text-left ${b === chosen ? "border-slate bg-slate text-on-slate" : hows[b.how].look}`}
												>
													{b.action}
													{b.risk > 1 && <span className="ml-2 text-[11px]">{"!".repeat(b.risk - 1)}</span>}
												</button>
											))}
										</div>
									</div>
								))}
							</section>
						))}
					</div>
					{chosen && <LoadPath of={chosen} lower={c.beyond > 0 ? c.of : undefined} />}
				</div>
			)}
		</section>
	);
}

/** The shortest chain of acts to a brick, drawn as the beams that would carry it. */
export function LoadPath({ of: b, lower }: { of: Brick; lower?: Schemas["Ref"] }) {
	const to = useTo();
	return (
		<aside aria-label="The shortest way" className="min-w-0">
			<h3 className="font-mono text-[13px] font-bold break-words">{b.key}</h3>
			<p className="text-[12px] text-quiet">
				{[b.label, riskWords[b.risk], hows[b.how].words].filter(Boolean).join(" · ")}
			</p>
			{b.ways.map((w) => (
				<section key={`${w.held.area.id} ${w.held.reach}`} className="mt-3">
					<ol className="relative">
						{w.steps.map((s, i) => (
							// biome-ignore lint/suspicious/noArrayIndexKey: a step is its place in the chain
							<li key={i} className="flex">
								<span aria-hidden className="flex w-[26px] shrink-0 flex-col items-center">
									<span className="grid h-[22px] w-[22px] place-items-center border-[2px] border-[var(--beam)] text-[11px] font-bold">
										{i + 1}
									</span>
									<span className="w-[5px] grow bg-[var(--beam)]" />
								</span>
								<span className="min-w-0 pb-3 pl-2">
									<Sentence parts={s.said} />
									<span className="block text-[12px] text-quiet">
										by “
										<Link className="link" to={to(addressOf("delegation", s.delegation.id) ?? "/delegations")}>
											{s.delegation.name}
										</Link>
										”
									</span>
								</span>
							</li>
						))}
					</ol>
					<p
						data-lands={w.how}
						className={`border-[2px] px-2 py-1 ${w.how === "beyond" ? "border-ox" : w.how === "listed" ? "border-ochre-line" : "border-hair"}`}
					>
						<b>{w.user ? w.user.name : "Somebody new"}</b> then holds it {extent(w.held)}
						{w.how !== b.how && <span className="text-quiet">: {hows[w.how].words}</span>}
					</p>
				</section>
			))}
			{lower && <LowerIt of={lower} />}
		</aside>
	);
}

/** What would make the ceiling lower, tried. */
function LowerIt({ of }: { of: Schemas["Ref"] }) {
	const { me } = useHouse();
	const { refuse, tell } = useNotice();
	const delegation = useDrafting(putDelegation);
	const group = useDrafting(putGroup);
	const query = useAsk({
		queryKey: [...design, "lower-ceiling", of.id],
		queryFn: (ask: Ask) => data(ask.GET("/api/people/{id}/ceiling/lower", { params: { path: { id: of.id } } })),
	});
	return (
		<section aria-label="What would lower it" className="mt-4 border-t-[3px] border-[var(--beam)] pt-2">
			<h3 className="font-bold">What would lower it</h3>
			{query.isLoading && <Waiting />}
			{query.error && <p className="text-ox">{query.error.message}</p>}
			{query.data?.length === 0 && (
				<p className="text-quiet">
					No single change to a delegation does: remove what its groups give, or the delegation itself.
				</p>
			)}
			<ul>
				{query.data?.map((l) => (
					<li key={JSON.stringify(l.said)} className="flex items-baseline gap-3 border-b border-hair py-2">
						<span className="min-w-0 grow">
							<Sentence parts={l.said} />
							<span className={`block text-[12px] ${l.left === 0 ? "text-moss" : "text-ochre"}`}>
								{l.left === 0 ? "then it is not too high" : `then still too high by ${number(l.left)}`}
							</span>
						</span>
						{acting(me) && may(me, l.rule ? "group:edit" : "delegation:edit") && (
							<button
								type="button"
								className="action shrink-0"
								disabled={delegation.isPending || group.isPending}
								onClick={() =>
									l.rule
										? group.mutate(l.rule, {
												onError: refuse,
												onSuccess: () => tell("The rule is changed in your draft."),
											})
										: l.after &&
											delegation.mutate(
												{ before: l.before, after: l.after },
												{ onError: refuse, onSuccess: () => tell("The delegation is changed in your draft.") },
											)
								}
							>
								Put into the draft
							</button>
						)}
					</li>
				))}
			</ul>
		</section>
	);
}

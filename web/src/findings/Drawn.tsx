import type { ReactNode } from "react";
import { Link } from "react-router";
import { type Ask, useAsk } from "../api/ask";
import { data, type Schemas } from "../api/client";
import { design, useConflict, useGuarantee, useLicence } from "../api/hooks";
import { LoadPath } from "../delegations/Ceiling";
import { useTo } from "../house/lens";
import { Loaded } from "../parts/loading";
import { Few } from "../parts/More";
import { WaysTo } from "../parts/Ways";
import { count, Named, number } from "../parts/words";
import { Breaches } from "../sheets/guarantee/Kept";

type Row = Schemas["FindingRow"];
type Ref = Schemas["Ref"];

/** What a finding is about, drawn; nothing where there is nothing to draw. */
export function drawing(row: Row): ReactNode {
	const of = (kind: string) => row.objects.find((o) => o.kind === kind);
	const [user, permission, licence] = [of("user"), of("permission"), of("licence")];
	const [guarantee, conflict] = [of("guarantee"), of("conflict")];
	if (row.kind === "near-roles" || row.kind === "drifted") return <SideBySide of={row.objects} />;
	if (row.kind === "high-ceiling" && user) return <HighCeiling of={user} />;
	if (row.kind === "upgrade-waiting") return <Waiting of={row} />;
	if (guarantee) return <BrokenGuarantee of={guarantee} />;
	if (conflict && user) return <BothSides conflict={conflict} user={user} />;
	if (licence) return <Seats of={licence} />;
	if (permission && user) return <WaysTo user={user.id} permission={permission.id} most={4} />;
	return null;
}

/** The way to what a version of a catalogue would change. */
function Waiting({ of }: { of: Row }) {
	const to = useTo();
	const system = of.objects.find((o) => o.kind === "system");
	return (
		<Link className="link" to={to(system ? `/upgrade?kept=${encodeURIComponent(system.id)}` : "/upgrade")}>
			What it would change in permissions, sets, roles and people
		</Link>
	);
}

/** Two roles or sets as walls beside each other: what both give, and where one has a gap. */
function SideBySide({ of }: { of: Ref[] }) {
	const things = of.map((o) => `${o.kind}:${o.id}`);
	const query = useAsk({
		queryKey: [...design, "compare", things, true],
		queryFn: (ask: Ask) => data(ask.GET("/api/compare", { params: { query: { thing: things, all: true } } })),
	});
	return (
		<Loaded query={query}>
			{(c) => (
				<>
					<div className="grid grid-cols-2 gap-x-5 border-b-[3px] border-[var(--beam)] pb-1">
						{c.things.map((t) => (
							<span key={t.ref.id} className="min-w-0 truncate">
								<Named of={t.ref} />{" "}
								<span className="text-quiet">{count(t.permissions, "permission", "permissions")}</span>
							</span>
						))}
					</div>
					<Few of={c.systems.flatMap((s) => s.objects)} most={16}>
						{(shown, more) => (
							<>
								{shown.map((o) => (
									<div key={o.object} className="grid grid-cols-2 gap-x-5">
										{c.things.map((t, i) => (
											<div key={t.ref.id} className="flex gap-2 border-b border-hair py-[3px]">
												<span
													className="narrow w-[110px] shrink-0 truncate pt-[3px] font-mono text-[12px]"
													title={o.object}
												>
													{o.object}
												</span>
												<span className="flex min-w-0 flex-wrap gap-[4px]">
													{o.rows.map((r) => {
														const has = r.held[i].length > 0;
														const look = !has
															? "border-dashed border-ox text-ox"
															: r.alike
																? "border-[var(--beam)] bg-raised"
																: "border-ochre-line border-l-[6px] bg-raised font-semibold";
														return (
															<span
																key={r.key}
																title={`${r.key}${r.label ? ` — ${r.label}` : ""}`}
																className={`border-[1.5px] px-[7px] text-[12px] leading-[20px] ${look}`}
															>
																{has ? r.action : `not ${r.action}`}
															</span>
														);
													})}
												</span>
											</div>
										))}
									</div>
								))}
								{more && <p className="py-1">{more}</p>}
							</>
						)}
					</Few>
				</>
			)}
		</Loaded>
	);
}

/** The chain of acts by which a delegate gets beyond what they hold, and what would lower the ceiling. */
function HighCeiling({ of }: { of: Ref }) {
	const query = useAsk({
		queryKey: [...design, "ceiling-of", of.id],
		queryFn: (ask: Ask) => data(ask.GET("/api/people/{id}/ceiling", { params: { path: { id: of.id } } })),
	});
	return (
		<Loaded query={query}>
			{(c) => {
				const bricks = c.panels.flatMap((p) => p.courses.flatMap((o) => o.bricks)).filter((b) => b.how === "beyond");
				const gravest = bricks.toSorted((a, b) => b.risk - a.risk)[0];
				return gravest ? (
					<LoadPath of={gravest} lower={c.of} />
				) : (
					<p className="text-quiet">It is not too high today.</p>
				);
			}}
		</Loaded>
	);
}

/** Who breaks a promise, each with the way by which. */
function BrokenGuarantee({ of }: { of: Ref }) {
	const query = useGuarantee(of.id);
	return <Loaded query={query}>{(g) => <Breaches of={g.kept} most={4} />}</Loaded>;
}

/** Both sides of a conflict, with the ways by which somebody comes to them. */
function BothSides({ conflict, user }: { conflict: Ref; user: Ref }) {
	const query = useConflict(conflict.id);
	return (
		<Loaded query={query}>
			{(c) => {
				const sides = c.items.filter((i) => i.kind === "permission");
				if (sides.length === 0)
					return (
						<p className="text-quiet">
							Its sides are roles:{" "}
							{c.items.map((i, n) => (
								<span key={i.id}>
									{n > 0 && ", "}
									<Named of={i} />
								</span>
							))}
							.
						</p>
					);
				return (
					<div className="flex flex-wrap gap-x-8 gap-y-3">
						{sides.map((i) => (
							<section key={i.id} aria-label={i.id} className="min-w-0">
								<WaysTo user={user.id} permission={i.id} most={2} />
							</section>
						))}
					</div>
				);
			}}
		</Loaded>
	);
}

/** How many squares there are at most; of more seats, a square stands for several. */
const squares = 120;

/** The seats of a licence, each a square: used, idle, free, and those who wait for one. */
function Seats({ of }: { of: Ref }) {
	const query = useLicence(of.id);
	return (
		<Loaded query={query}>
			{({ pool: p }) => {
				const idle = Math.min(p.idle, p.used);
				const free = p.seats === undefined ? 0 : Math.max(0, p.seats - p.used - p.others);
				const parts = [
					{ name: "used", n: p.used + p.others - idle, look: "border-moss bg-moss" },
					{ name: "not used for 90 days", n: idle, look: "border-ochre-line bg-ochre-line" },
					{ name: "free", n: free, look: "border-quiet" },
					{ name: "wanted by people without one", n: p.lacking, look: "border-dashed border-ox" },
				].filter((part) => part.n > 0);
				const all = parts.reduce((n, part) => n + part.n, 0);
				const each = Math.max(1, Math.ceil(all / squares));
				return (
					<>
						<div aria-hidden="true" className="flex max-w-[520px] flex-wrap gap-[3px]">
							{parts.flatMap((part) =>
								Array.from({ length: Math.ceil(part.n / each) }, (_, i) => (
									// biome-ignore lint/suspicious/noArrayIndexKey: a seat is its place
									<span key={`${part.name}${i}`} className={`h-[13px] w-[13px] border-[1.5px] ${part.look}`} />
								)),
							)}
						</div>
						<p className="mt-2 flex flex-wrap gap-x-4 text-[12px]">
							{parts.map((part) => (
								<span key={part.name} className="flex items-center gap-1">
									<span aria-hidden="true" className={`inline-block h-[11px] w-[11px] border-[1.5px] ${part.look}`} />
									{number(part.n)} {part.name}
								</span>
							))}
							{each > 1 && <span className="text-quiet">each square is {number(each)} seats</span>}
						</p>
					</>
				);
			}}
		</Loaded>
	);
}

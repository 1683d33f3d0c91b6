import { useState } from "react";
import { Link, useParams } from "react-router";
import { type Ask, useAsk } from "../api/ask";
import { data, type Schemas } from "../api/client";
import { design } from "../api/hooks";
import { useHouse } from "../house/context";
import { useTo, useTyped } from "../house/lens";
import { acting, may } from "../house/rights";
import { DeleteBoard } from "../parts/DeleteBoard";
import { Downloads } from "../parts/Downloads";
import { Loaded } from "../parts/loading";
import { Mark } from "../parts/words";
import { Ceiling } from "./Ceiling";
import { Covers } from "./Covers";
import { EditDelegation } from "./EditDelegation";
import { DelegationSentence } from "./Sentence";

/** What a delegation's row has in a table: all that its sentence says. */
const columns = [
	"delegate",
	"actions",
	"people",
	"covers",
	"roles",
	"sets",
	"groups",
	"whole",
	"area",
	"days",
	"from",
	"until",
];

/** Who may administer what part: each delegation as a sentence, with what it covers now. Delegates read here what they may do. */
export function Delegations() {
	const { me } = useHouse();
	const { id } = useParams();
	const [editing, setEditing] = useState<Schemas["DelegationSheet"] | "new" | null>(null);
	const [copying, setCopying] = useState<Schemas["DelegationSheet"] | null>(null);
	const [deleting, setDeleting] = useState<Schemas["Ref"] | null>(null);
	const query = useAsk({
		queryKey: [...design, "delegations"],
		queryFn: (ask: Ask) => data(ask.GET("/api/delegations")),
	});
	const [typed, type] = useTyped("q");
	const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
	const all = may(me, "design:view");
	const to = useTo();
	if (copying) return <EditDelegation of={copying} copy onClose={() => setCopying(null)} />;
	if (editing) return <EditDelegation of={editing === "new" ? undefined : editing} onClose={() => setEditing(null)} />;
	return (
		<div className="flex h-full flex-col px-[18px] pt-3">
			<div className="flex items-baseline gap-4 pb-2">
				<h1 className="text-[22px] font-bold">{all ? "Delegation" : "What you may do"}</h1>
				<p className="grow text-quiet">
					{all
						? "Who may administer which part. A delegate sees only that part, and is refused everything else."
						: "This part of the administration has been handed over to you. You can neither see nor change anything else."}
				</p>
				{all && (
					<input
						aria-label="Filter delegations"
						className="field max-w-[260px]"
						placeholder="find"
						value={typed}
						onChange={(e) => type(e.target.value)}
					/>
				)}
				{all && (query.data?.length ?? 0) > 0 && (
					<Downloads path="/api/lists/delegation" query={{ q: typed || undefined, columns: columns }} />
				)}
				{acting(me) && may(me, "delegation:edit") && (
					<button type="button" className="action main shrink-0" onClick={() => setEditing("new")}>
						New delegation …
					</button>
				)}
			</div>
			<div className="min-h-0 grow overflow-auto border-t-[3px] border-[var(--beam)]">
				<Loaded query={query}>
					{(list) => {
						const shown = list.filter(
							(d) =>
								(!id || d.ref.id === id) &&
								words.every((w) =>
									JSON.stringify([d.ref.name, d.delegate, d.actions, d.people, d.roles, d.sets, d.groups, d.area])
										.toLowerCase()
										.includes(w),
								),
						);
						return (
							<>
								{id && (
									<p className="py-2">
										<Link className="link" to={to("/delegations")}>
											All delegations
										</Link>
									</p>
								)}
								{shown.length === 0 && (
									<p className="py-4 text-quiet">
										{list.length === 0
											? "Nothing is delegated yet. Hand a site over to its manager, or a system’s roles to its lead: write it as a sentence."
											: "No delegation matches."}
									</p>
								)}
								<ul>
									{shown.map((d) => (
										<li
											key={d.ref.id}
											data-delegation={d.ref.id}
											className="grid grid-cols-[minmax(0,7fr)_minmax(0,4fr)_auto] gap-6 border-b border-hair py-3"
										>
											<div className="min-w-0">
												<h2 className="flex items-baseline gap-3 text-[12px] text-quiet">
													<span className="font-semibold">{d.ref.name}</span>
													{d.force !== "now" && (
														<b className="text-ox">{d.force === "ended" ? "ended" : "not yet in force"}</b>
													)}
													<Mark draft={d.draft} />
												</h2>
												<DelegationSentence of={d} you={d.mine && !all} />
											</div>
											<Covers of={d.covers} />
											<div className="flex flex-col items-end gap-2">
												{!id && all && d.draft !== "gone" && (
													<Link className="link" to={to(`/delegations/${encodeURIComponent(d.ref.id)}`)}>
														What could come of it
													</Link>
												)}
												{d.may && d.draft !== "gone" && (
													<>
														<button type="button" className="action" onClick={() => setEditing(d)}>
															Rewrite …
														</button>
														<span className="flex gap-3">
															<button type="button" className="link" onClick={() => setCopying(d)}>
																Copy …
															</button>
															<button type="button" className="link !text-ox" onClick={() => setDeleting(d.ref)}>
																Delete …
															</button>
														</span>
													</>
												)}
											</div>
										</li>
									))}
								</ul>
								{id && all && shown.length > 0 && shown[0].draft !== "gone" && <Ceiling delegation={id} />}
							</>
						);
					}}
				</Loaded>
			</div>
			{deleting && <DeleteBoard of={deleting} onClose={() => setDeleting(null)} />}
		</div>
	);
}

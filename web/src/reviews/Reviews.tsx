import { useMutation, useQuery } from "@tanstack/react-query";
import { useId, useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import { api, data, type Schemas } from "../api/client";
import { bayQuery, useRefresh, useReviews } from "../api/hooks";
import { useHouse } from "../house/context";
import { may } from "../house/rights";
import { Loaded } from "../parts/loading";
import { useNotice } from "../parts/notice";
import { count, day } from "../parts/words";

/** All reviews, and the sentence by which a new one is opened. */
export function Reviews() {
	const { me } = useHouse();
	const reviews = useReviews();
	return (
		<div className="h-full overflow-auto px-[18px] py-3">
			<h1 className="text-[22px] font-bold">Reviews</h1>
			{may(me, "review:run") && <OpenReview />}
			<Loaded query={reviews}>
				{(list) => (
					<>
						<Shelf
							title="Open"
							list={list.filter((r) => !r.closed)}
							empty={may(me, "review:run") ? "No review is open. Write the sentence above to open one." : "No review waits for you."}
						/>
						<Shelf title="Closed" list={list.filter((r) => r.closed)} empty="None has been closed yet." />
					</>
				)}
			</Loaded>
		</div>
	);
}

function Shelf({ title, list, empty }: { title: string; list: Schemas["Review"][]; empty: string }) {
	return (
		<section className="mt-5">
			<h2 className="border-b-[3px] border-[var(--beam)] text-[15px] font-bold">{title}</h2>
			{list.length === 0 && <p className="py-2 text-quiet">{empty}</p>}
			<ul>
				{list.map((r) => {
					const open = r.items - r.kept - r.revoked;
					return (
						<li key={r.id} className="grid grid-cols-[minmax(0,4fr)_minmax(0,3fr)_minmax(0,3fr)] items-center gap-4 border-b border-hair py-2">
							<div className="min-w-0">
								<Link className="link text-[14px]" to={`/reviews/${r.id}`}>
									{r.name}
								</Link>
								<p className="truncate text-[12px] text-quiet">
									role {r.role.name}
									{r.area.id && ` · ${r.area.name}`} · opened by {r.opener.name}, {day(r.opened)}
								</p>
							</div>
							<div>
								<Progress review={r} />
								<p className="text-[12px] text-quiet">
									<span className="text-moss">{r.kept} kept</span> · <span className="text-ox">{r.revoked} revoked</span> · {open} undecided
								</p>
							</div>
							<p className="text-right">
								{r.waiting > 0 && (
									<Link className="action main mr-3 inline-block" to={`/reviews/${r.id}`}>
										Decide {count(r.waiting, "item", "items")}
									</Link>
								)}
								<span className="text-quiet">
									{r.closed ? `closed ${day(r.closed)}${r.revision ? `, revision ${r.revision}` : ", nothing revoked"}` : `due ${day(r.due)}`}
								</span>
							</p>
						</li>
					);
				})}
			</ul>
		</section>
	);
}

export function Progress({ review: r }: { review: Schemas["Review"] }) {
	const part = (n: number) => `${r.items ? (100 * n) / r.items : 0}%`;
	return (
		<div
			role="img"
			aria-label={`${r.kept} kept, ${r.revoked} revoked of ${r.items}`}
			className="flex h-[12px] border-[1.5px] border-[var(--beam)] bg-raised"
		>
			<div className="bg-moss" style={{ width: part(r.kept) }} />
			<div className="bg-ox" style={{ width: part(r.revoked) }} />
		</div>
	);
}

function OpenReview() {
	const [params] = useSearchParams();
	const where = params.get("where") ?? undefined;
	const [role, setRole] = useState("");
	const [due, setDue] = useState("");
	const ids = { role: useId(), due: useId() };
	const navigate = useNavigate();
	const refresh = useRefresh();
	const { refuse } = useNotice();
	const roles = useQuery(bayQuery("role", {}, "", 0, 500));
	const preview = useQuery({
		queryKey: ["design", "review-preview", role, where],
		queryFn: () => data(api.GET("/api/reviews/preview", { params: { query: { role, area: where } } })),
		enabled: role !== "",
	});
	const open = useMutation({
		mutationFn: () =>
			data(api.POST("/api/reviews", { body: { role, area: where, due: due ? new Date(`${due}T23:59:59Z`).toISOString() : undefined } })),
		onSuccess: async (r) => {
			await refresh();
			navigate(`/reviews/${r.id}`);
		},
		onError: refuse,
	});
	const p = preview.data;
	return (
		<form
			className="board mt-3 border-l-8 p-4"
			onSubmit={(e) => {
				e.preventDefault();
				open.mutate();
			}}
		>
			<p className="text-[15px] leading-[36px]">
				Ask the managers whether everybody who has{" "}
				<label htmlFor={ids.role} className="sr-only">
					Role
				</label>
				<select
					id={ids.role}
					className="board px-2 py-1 leading-normal font-semibold text-slate"
					value={role}
					onChange={(e) => setRole(e.target.value)}
				>
					<option value="">a role …</option>
					{roles.data?.rows.map((r) => (
						<option key={r.id} value={r.id}>
							{r.name}
						</option>
					))}
				</select>{" "}
				{where ? "in the area chosen above" : "anywhere"} should keep it, by{" "}
				<label htmlFor={ids.due} className="sr-only">
					Due
				</label>
				<input
					id={ids.due}
					type="date"
					className="board px-2 py-1 leading-normal font-semibold text-slate"
					value={due}
					onChange={(e) => setDue(e.target.value)}
				/>
				<span className="text-[12px] text-quiet">{due ? "" : " (in three weeks)"}</span>.{" "}
				<button type="submit" className="action main ml-2" disabled={!p || p.items === 0 || open.isPending}>
					Open the review
				</button>
			</p>
			<p aria-live="polite" className="min-h-[18px] text-quiet">
				{p &&
					(p.items === 0
						? "Nobody is assigned this role there, so there is nothing to ask."
						: `${count(p.items, "item", "items")} for ${count(p.reviewers.length, "reviewer", "reviewers")}. ${
								p.byHand === 0 ? "All hold it by groups" : `${p.byHand} of them ${p.byHand === 1 ? "holds" : "hold"} it by hand`
							}: what was given by hand goes away when it is revoked.${p.fallback ? ` ${p.fallback} without a manager who could decide ${p.fallback === 1 ? "comes" : "come"} to you.` : ""}`)}
				{preview.error?.message}
			</p>
		</form>
	);
}

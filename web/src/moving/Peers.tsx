import { keepPreviousData } from "@tanstack/react-query";
import { useDeferredValue, useEffect, useMemo } from "react";
import { type Ask, useAsk } from "../api/ask";
import { data, type Schemas } from "../api/client";
import { design } from "../api/hooks";
import { count } from "../parts/words";
import { Shares } from "./Shares";

type Share = Schemas["PeerShare"];

/** What somebody new could be given: what those hold who have the same job, or the one whom they are to be like. Most hold is chosen at first. */
export function Peers({
	title,
	department,
	area,
	like,
	turned,
	onTurn,
	onChosen,
}: {
	title: string;
	department: string;
	area?: string;
	like?: string;
	/** What was turned on or off by hand, by key. */
	turned: Record<string, boolean>;
	onTurn: (key: string, on: boolean) => void;
	onChosen: (chosen: Share[]) => void;
}) {
	const job = useDeferredValue(like ? "" : [title.trim(), department.trim(), area ?? ""].join("\u0000"));
	const [t, d, a] = job.split("\u0000");
	const asked = !!like || !!t || !!d;
	const peers = useAsk({
		queryKey: [...design, "peers", like, job],
		queryFn: (ask: Ask) =>
			data(
				ask.GET("/api/peers", {
					params: {
						query: like ? { like } : { title: t || undefined, department: d || undefined, area: a || undefined },
					},
				}),
			),
		enabled: asked,
		placeholderData: keepPreviousData,
	});
	const p = asked ? peers.data : undefined;
	const on = useMemo(() => (s: Share) => !s.byItself && s.may && (turned[s.key] ?? s.most), [turned]);
	useEffect(() => onChosen(p?.shares.filter(on) ?? []), [p, on, onChosen]);
	if (!p) return null;
	return (
		<section aria-label="What peers hold" className="mb-3">
			<h3 className="border-b-[3px] border-[var(--beam)] text-[13px] font-bold">
				{like
					? "What they hold"
					: p.people === 0
						? "Nobody has this title and department yet"
						: `What ${count(p.people, "person", "people")} of this job ${p.people === 1 ? "holds" : "hold"}`}
				{p.people > 0 && !like && (
					<span className="ml-2 font-normal text-quiet">what at least half hold is chosen</span>
				)}
			</h3>
			{p.people === 0 ? (
				<p className="py-1 text-quiet">Choose roles below, or leave the department empty to look more widely.</p>
			) : p.shares.length === 0 ? (
				<p className="py-1 text-quiet">They were assigned nothing by hand, and are in no group.</p>
			) : (
				<div className="max-h-[220px] overflow-auto">
					<Shares
						label="What they could be given"
						list={p.shares}
						of={p.people}
						chosen={on}
						onChoose={(s, is) => onTurn(s.key, is)}
					/>
				</div>
			)}
		</section>
	);
}

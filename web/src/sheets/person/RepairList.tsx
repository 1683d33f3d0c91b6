import { type Ask, useAsk } from "../../api/ask";
import { api, data, type Schemas } from "../../api/client";
import { design, useDrafting } from "../../api/hooks";
import { useHouse } from "../../house/context";
import { mayDraft } from "../../house/rights";
import { useNotice } from "../../parts/notice";
import { count, extent, Named, riskWords, Sentence } from "../../parts/words";

/** The smallest changes by which somebody would come to hold a permission, each ready for the draft. */
export function RepairList({
	person,
	permission,
	where,
}: {
	person: Schemas["Ref"];
	permission: string;
	where?: string;
}) {
	const { me } = useHouse();
	const { refuse } = useNotice();
	const query = useAsk({
		queryKey: [...design, "repairs", person.id, permission, where],
		queryFn: (ask: Ask) =>
			data(ask.GET("/api/people/{id}/repairs", { params: { path: { id: person.id }, query: { permission, where } } })),
	});
	const draft = useDrafting((id: string) =>
		data(api.POST("/api/draft/repair", { body: { user: person.id, permission, where, id } })),
	);
	const r = query.data;
	return (
		<section aria-label="Repairs" className="mt-4">
			<h3 className="border-b-[3px] border-[var(--beam)] text-[14px] font-bold">
				What would give it{r && (r.whole ? " over the whole organisation" : ` at ${r.at.name}`)}
			</h3>
			{query.isPending && (
				<p role="status" data-waiting className="py-2 text-quiet">
					Trying what would …
				</p>
			)}
			{r?.repairs.length === 0 && (
				<p className="py-2 text-quiet">No small change does: no role or set here gives it, or none may be given.</p>
			)}
			<ol>
				{r?.repairs.map((one, i) => (
					<li key={one.id} data-repair className="border-b border-hair py-2">
						<div className="flex items-start gap-3">
							<div className="min-w-0 grow">
								{one.sentences.map((s) => (
									<p key={s.map((p) => p.text).join("")}>
										{i === 0 && s === one.sentences[0] && <b>Smallest: </b>}
										<Sentence parts={s} />
									</p>
								))}
								<Effects repair={one} name={person.name} />
							</div>
							{mayDraft(me) && (
								<button
									type="button"
									className="action shrink-0"
									disabled={draft.isPending}
									onClick={() => draft.mutate(one.id, { onError: refuse })}
								>
									Draft
								</button>
							)}
						</div>
					</li>
				))}
			</ol>
		</section>
	);
}

/** What else a repair does, worst first. */
function Effects({ repair: r, name }: { repair: Schemas["Repair"]; name: string }) {
	const quiet = r.others + r.extras + r.losing + r.conflicts.length + r.short.length === 0;
	return (
		<p className="text-[12px] text-quiet">
			{quiet && <span className="text-moss">Nothing else, for nobody else.</span>}
			{r.others > 0 && (
				<b className="text-ochre">{count(r.others, "other person gains", "other people gain")} something. </b>
			)}
			{r.losing > 0 && <b className="text-ox">{count(r.losing, "person loses", "people lose")} something. </b>}
			{r.conflicts.length > 0 && (
				<span className="text-ox">
					Breaks{" "}
					{r.conflicts.map((c) => (
						<Named key={c.id} of={c} />
					))}
					.{" "}
				</span>
			)}
			{r.short.length > 0 && <span className="text-ox">Short of {r.short.map((l) => l.name).join(", ")}. </span>}
			{r.extras > 0 && (
				<span title={r.extra.map((h) => `${h.permission} ${extent(h)}`).join("\n")}>
					{name} also gains {count(r.extras, "permission", "permissions")}
					{r.risk > 0 && <b className={r.risk === 3 ? "text-ox" : "text-ochre"}>, up to {riskWords[r.risk]} risk</b>}.
				</span>
			)}
		</p>
	);
}

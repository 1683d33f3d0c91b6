import { useInfiniteQuery } from "@tanstack/react-query";
import { api, data } from "../api/client";
import { design, draftUndo, useDrafting } from "../api/hooks";
import { useHouse } from "../house/House";
import { mayDraft } from "../house/rights";
import { Failed } from "../parts/loading";
import { useNotice } from "../parts/notice";
import { moment, Sentence } from "../parts/words";

const pageSize = 50;

/** The record: every revision in sentences, with its undo. */
export function History() {
	const { me } = useHouse();
	const { tell, refuse } = useNotice();
	const undo = useDrafting(draftUndo);
	const pages = useInfiniteQuery({
		queryKey: [...design, "history"],
		queryFn: ({ pageParam }) => data(api.GET("/api/revisions", { params: { query: { before: pageParam, limit: pageSize } } })),
		initialPageParam: 0,
		getNextPageParam: (last) => (last.length === pageSize ? last[last.length - 1].number : undefined),
	});
	if (pages.error) return <Failed error={pages.error} retry={() => pages.refetch()} />;
	const list = pages.data?.pages.flat();
	return (
		<div className="h-full overflow-auto px-[18px] py-3">
			<h1 className="text-[22px] font-bold">History</h1>
			<p className="text-quiet">
				Every change that was applied, latest first. An undo goes into your draft, where its impact is seen before it is applied.
			</p>
			{list?.length === 0 && <p className="mt-6 text-quiet">Nothing has been applied yet.</p>}
			<ol className="relative mt-4 ml-[34px] border-l-[3px] border-[var(--beam)]">
				{list?.map((r) => (
					<li
						key={r.number}
						id={`revision-${r.number}`}
						className="relative grid grid-cols-[minmax(0,3fr)_minmax(0,8fr)_auto] gap-5 border-b border-hair py-2 pr-2 pl-6"
					>
						<span aria-hidden="true" className="absolute top-[11px] left-[-8px] h-[13px] w-[13px] border-[1.5px] border-[var(--beam)] bg-raised" />
						<div className="min-w-0">
							<p className="font-bold">Revision {r.number}</p>
							<p className="text-[12px] text-quiet">{moment(r.at)}</p>
							<p className="truncate">{r.who}</p>
						</div>
						<div className="min-w-0">
							<p className="text-quiet">
								“{r.why}”{r.undoes ? <b className="text-ochre"> undoes revision {r.undoes}</b> : null}
								{r.undoneBy ? <b className="text-ochre"> undone by revision {r.undoneBy}</b> : null}
							</p>
							{r.sentences.map((s) => (
								<p key={s.map((p) => p.text).join("")}>
									<Sentence parts={s} />
								</p>
							))}
							{r.more > 0 && <p className="text-quiet">and {r.more.toLocaleString("en-GB")} more</p>}
						</div>
						<div>
							{mayDraft(me) && r.number > 1 && !r.undoneBy && (
								<button
									type="button"
									className="action"
									onClick={() =>
										undo.mutate(r.number, {
											onError: refuse,
											onSuccess: () => tell(`The undo of revision ${r.number} is in your draft. Open the sill to see its impact and apply it.`),
										})
									}
								>
									Undo …
								</button>
							)}
						</div>
					</li>
				))}
			</ol>
			{pages.hasNextPage && (
				<button type="button" className="action mt-4 ml-[34px]" disabled={pages.isFetchingNextPage} onClick={() => pages.fetchNextPage()}>
					{pages.isFetchingNextPage ? "One moment …" : "Older revisions"}
				</button>
			)}
		</div>
	);
}

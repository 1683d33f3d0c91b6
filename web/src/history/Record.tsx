import { keepPreviousData, useInfiniteQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { type Ask, paged, useAsk, useLens } from "../api/ask";
import { data, type Schemas } from "../api/client";
import { design, draftUndo, useDrafting } from "../api/hooks";
import { useHouse } from "../house/context";
import { useSet } from "../house/lens";
import { mayDraft } from "../house/rights";
import { Failed, Loaded } from "../parts/loading";
import { useNotice } from "../parts/notice";
import { count, kindWords, moment, Named, number, Sentence } from "../parts/words";

const pageSize = 50;

export type RecordSearch = {
	kind?: string;
	id?: string;
	user?: string;
	who?: string;
	q?: string;
	from?: string;
	until?: string;
};

/** Revisions on a timeline, latest first, as sentences; each opens to before and after, and can be undone. */
export function Record({ search, empty }: { search: RecordSearch; empty: string }) {
	const { me } = useHouse();
	const { tell, refuse } = useNotice();
	const set = useSet(false);
	const undo = useDrafting(draftUndo);
	const [open, setOpen] = useState<number | null>(null);
	const lens = useLens();
	// A link can lead to one revision: it is brought into sight once.
	const wanted = Number(useSearchParams()[0].get("revision"));
	const brought = useRef(false);
	const bring = (li: HTMLLIElement | null) => {
		if (!li || brought.current) return;
		brought.current = true;
		li.scrollIntoView({ block: "center" });
	};
	const pages = useInfiniteQuery({
		...paged(lens, [...design, "history", search], (ask: Ask, before: number) =>
			data(ask.GET("/api/revisions", { params: { query: { ...search, before, limit: pageSize } } })),
		),
		initialPageParam: 0,
		getNextPageParam: (last) => (last.length === pageSize ? last[last.length - 1].number : undefined),
	});
	if (pages.error) return <Failed error={pages.error} retry={() => pages.refetch()} />;
	const list = pages.data?.pages.flat();
	return (
		<>
			{list?.length === 0 && <p className="mt-6 text-quiet">{empty}</p>}
			<ol className="relative mt-4 ml-[34px] border-l-[3px] border-[var(--beam)]">
				{list?.map((r) => (
					<li
						key={r.number}
						id={`revision-${r.number}`}
						ref={r.number === wanted ? bring : undefined}
						aria-current={r.number === wanted || undefined}
						className="aria-[current]:bg-sunk relative grid grid-cols-[minmax(0,3fr)_minmax(0,8fr)_auto] gap-5 border-b border-hair py-2 pr-2 pl-6"
					>
						<span
							aria-hidden="true"
							className="absolute top-[11px] left-[-8px] h-[13px] w-[13px] border-[1.5px] border-[var(--beam)] bg-raised"
						/>
						<div className="min-w-0">
							<p className="font-bold">Revision {r.number}</p>
							<p className="text-[12px] text-quiet">{moment(r.at)}</p>
							<p className="truncate">{r.who}</p>
						</div>
						<div className="min-w-0">
							<p className="text-quiet">
								“{r.why}”{r.undoes ? <b className="text-ochre"> undoes revision {r.undoes}</b> : null}
								{r.undoneBy ? <b className="text-ochre"> undone by revision {r.undoneBy}</b> : null}
								{r.grants && <b className="text-moss"> grants {r.grants.join(", ")}</b>}
							</p>
							{r.sentences.map((s) => (
								<p key={s.map((p) => p.text).join("")}>
									<Sentence parts={s} />
								</p>
							))}
							{r.more > 0 && open !== r.number && (
								<button type="button" className="link block" onClick={() => setOpen(r.number)}>
									and {number(r.more)} more
								</button>
							)}
							{open === r.number && <Detail number={r.number} />}
						</div>
						<div className="flex items-baseline gap-4">
							<button
								type="button"
								className="link"
								aria-expanded={open === r.number}
								onClick={() => setOpen(open === r.number ? null : r.number)}
							>
								{open === r.number ? "Fold" : "Before and after"}
							</button>
							<button type="button" className="link" onClick={() => set({ when: r.at })}>
								The house then
							</button>
							{mayDraft(me) && r.number > 1 && !r.undoneBy && (
								<button
									type="button"
									className="action"
									onClick={() =>
										undo.mutate(r.number, {
											onError: refuse,
											onSuccess: () =>
												tell(
													`The undo of revision ${r.number} is in your draft. Open it to see its impact and apply it.`,
												),
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
				<button
					type="button"
					className="action mt-4 ml-[34px]"
					disabled={pages.isFetchingNextPage}
					onClick={() => pages.fetchNextPage()}
				>
					{pages.isFetchingNextPage ? "One moment …" : "Older revisions"}
				</button>
			)}
		</>
	);
}

const longest = 400;
const cutShort = (text: string) => (text.length > longest ? `${text.slice(0, longest)} …` : text || "—");

/** What a revision made of each object, field by field. */
function Detail({ number }: { number: number }) {
	const [limit, setLimit] = useState(100);
	const detail = useAsk({
		queryKey: [...design, "revision", number, limit],
		queryFn: (ask: Ask) => data(ask.GET("/api/revisions/{number}", { params: { path: { number }, query: { limit } } })),
		placeholderData: keepPreviousData,
	});
	return (
		<Loaded query={detail}>
			{(d: Schemas["RevisionDetail"]) => (
				<div className="mt-2 max-h-[50vh] overflow-auto border-l-[3px] border-ochre-line pl-3">
					{d.objects.map((o) => (
						<section key={`${o.object.kind}${o.object.id}`} className="mb-2">
							<p>
								<span className="text-quiet">{kindWords[o.object.kind]} </span>
								<Named of={o.object} /> <b>{o.what}</b>
							</p>
							<table className="w-full table-fixed text-[12px]">
								<colgroup>
									<col style={{ width: 110 }} />
									<col />
									<col />
								</colgroup>
								<thead className="sr-only">
									<tr>
										<th>Field</th>
										<th>Before</th>
										<th>After</th>
									</tr>
								</thead>
								<tbody>
									{o.fields.map((f) => (
										<tr key={f.field} className="border-b border-hair align-top">
											<th scope="row" className="w-[110px] py-0.5 text-left font-normal text-quiet">
												{f.field}
											</th>
											<td className="pr-3 break-words text-ox">{cutShort(f.before)}</td>
											<td className="break-words text-moss">
												{cutShort(f.after)}
												{f.same ? (
													<span className="text-quiet"> {count(f.same, "other", "others")} as before</span>
												) : null}
											</td>
										</tr>
									))}
								</tbody>
							</table>
						</section>
					))}
					{d.more > 0 &&
						(limit < 10_000 ? (
							<button type="button" className="link" onClick={() => setLimit(Math.min(10_000, limit * 5))}>
								and {count(d.more, "more object", "more objects")}
							</button>
						) : (
							<p className="text-quiet">and {count(d.more, "more object", "more objects")}: take the table for all.</p>
						))}
				</div>
			)}
		</Loaded>
	);
}

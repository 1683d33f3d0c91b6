import { useInfiniteQuery } from "@tanstack/react-query";
import { useDeferredValue } from "react";
import { useSearchParams } from "react-router";
import { type Ask, paged, useLens } from "../api/ask";
import { at } from "../api/at";
import { data } from "../api/client";
import { useSet, useTyped } from "../house/lens";
import { Choose } from "../parts/Choose";
import { DayField } from "../parts/DayField";
import { beginOf, endOf } from "../parts/days";
import { Failed } from "../parts/loading";
import { Rooms } from "../parts/tabs";
import { moment, Name } from "../parts/words";

const pageSize = 100;

/** The kinds of entry, in words. */
const kinds: Record<string, string> = {
	"sign-in": "signed in",
	"sign-in-failed": "failed to sign in",
	"sign-out": "signed out",
	"sessions-ended": "ended sessions",
	proof: "proved who they are",
	"proof-failed": "failed to prove it",
	"link-made": "link made",
	"link-used": "link used",
	"password-set": "password set",
	"second-factor": "second factor",
	"token-made": "token made",
	"token-withdrawn": "token withdrawn",
	"see-as": "saw as somebody",
	download: "took a file out",
	setting: "setting changed",
	refused: "was refused",
	"directory-refused": "directory refused",
	"clock-moved": "clock moved",
};

const bad = ["sign-in-failed", "proof-failed", "refused", "directory-refused"];

/** Who got in, who was kept out, and what touched either: latest first. */
export function SecurityLog() {
	const [params] = useSearchParams();
	const set = useSet();
	const lens = useLens();
	const [words, type] = useTyped("q");
	const q = useDeferredValue(words.trim() || undefined);
	const what = params.get("what") ?? undefined;
	const get = (name: string) => params.get(name) ?? "";
	const search = { what, q, from: beginOf(get("from")), until: endOf(get("to")) };
	const pages = useInfiniteQuery({
		...paged(lens, ["security-log", search], (ask: Ask, before: number) =>
			data(ask.GET("/api/security-log", { params: { query: { ...search, before, limit: pageSize } } })),
		),
		initialPageParam: 0,
		getNextPageParam: (last) => (last.length === pageSize ? last[last.length - 1].id : undefined),
	});
	const file = new URLSearchParams(Object.entries(search).filter((e): e is [string, string] => !!e[1]));
	const list = pages.data?.pages.flat() ?? [];
	return (
		<div className="flex h-full flex-col px-[18px] pt-3">
			<div className="flex items-baseline gap-4">
				<Rooms />
				<p className="min-w-0 grow truncate text-quiet">
					Who got in and who was kept out. Entries are only added, never altered; each seals those before it.
				</p>
				{["csv", "jsonl"].map((form) => (
					<a key={form} className="link" href={at(`/api/security-log/${form}?${file}`)} download>
						{form === "csv" ? "CSV" : "JSON Lines"}
					</a>
				))}
			</div>
			<div className="mt-2 grid grid-cols-[minmax(0,3fr)_220px_140px_140px_auto] items-center gap-3">
				<input
					aria-label="Words in the log"
					className="field"
					placeholder="words, an address, who"
					value={words}
					onChange={(e) => type(e.target.value)}
				/>
				<Choose
					label="What"
					className="field"
					value={what ?? ""}
					options={[
						{ value: "", name: "anything" },
						...Object.entries(kinds).map(([value, name]) => ({ value, name })),
					]}
					onChange={(what) => set({ what })}
				/>
				<DayField label="From" inline past placeholder="from" value={get("from")} onChange={(from) => set({ from })} />
				<DayField label="Until" inline past last placeholder="until" value={get("to")} onChange={(to) => set({ to })} />
				{file.size > 0 && (
					<button type="button" className="link" onClick={() => set({ q: null, what: null, from: null, to: null })}>
						All
					</button>
				)}
			</div>
			{pages.error ? (
				<Failed error={pages.error} retry={() => pages.refetch()} />
			) : (
				<div className="mt-3 min-h-0 grow overflow-auto" data-waiting={pages.isPending || undefined}>
					<table className="w-full table-fixed">
						<thead className="sticky top-0 border-b-[3px] border-[var(--beam)] bg-plaster text-left text-[12px] text-quiet">
							<tr>
								<th scope="col" className="w-[150px] px-2 py-1 font-normal">
									When
								</th>
								<th scope="col" className="w-[190px] px-2 py-1 font-normal">
									Who
								</th>
								<th scope="col" className="w-[150px] px-2 py-1 font-normal">
									What
								</th>
								<th scope="col" className="px-2 py-1 font-normal">
									More
								</th>
								<th scope="col" className="w-[140px] px-2 py-1 font-normal">
									From
								</th>
							</tr>
						</thead>
						<tbody>
							{list.map((e) => (
								<tr key={e.id} data-entry={e.what} className="border-b border-hair align-baseline">
									<td className="px-2 py-1.5 whitespace-nowrap">{moment(e.at)}</td>
									<td className="truncate px-2 py-1.5">
										{e.user ? (
											<Name kind="user" id={e.user}>
												{e.who}
											</Name>
										) : (
											e.who || <span className="text-quiet">nobody known</span>
										)}
									</td>
									<td className={`px-2 py-1.5 ${bad.includes(e.what) ? "font-semibold text-ox" : ""}`}>
										{kinds[e.what] ?? e.what}
									</td>
									<td className="px-2 py-1.5 break-words">{e.text}</td>
									<td className="truncate px-2 py-1.5 font-mono text-[12px]">{e.from || "—"}</td>
								</tr>
							))}
						</tbody>
					</table>
					{!pages.isPending && list.length === 0 && (
						<p className="py-4 text-quiet">{file.size > 0 ? "Nothing matches." : "Nothing has happened yet."}</p>
					)}
					{pages.hasNextPage && (
						<button
							type="button"
							className="action my-3"
							disabled={pages.isFetchingNextPage}
							onClick={() => pages.fetchNextPage()}
						>
							Earlier
						</button>
					)}
				</div>
			)}
		</div>
	);
}

import { useInfiniteQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { type Ask, paged, useLens } from "../api/ask";
import { data, type Schemas } from "../api/client";
import { design } from "../api/hooks";
import { useHouse } from "../house/context";
import { useSet } from "../house/lens";
import { acting, may } from "../house/rights";
import { DeleteBoard } from "../parts/DeleteBoard";
import { Loaded } from "../parts/loading";
import { Few } from "../parts/More";
import { Scroll } from "../parts/Scroll";
import { Choice, Rooms } from "../parts/tabs";
import { count, day, Mark, moment, Named, NamedAll } from "../parts/words";

const size = 100;

/** What directories keep here, and the people whom they have deleted, with what is still tied to each. */
export function DirectoriesPage() {
	const [params] = useSearchParams();
	const set = useSet(false);
	const all = params.get("view") === "all";
	const lens = useLens();
	const pages = useInfiniteQuery({
		...paged(lens, [...design, "directories", all], (ask: Ask, offset: number) =>
			data(ask.GET("/api/directories", { params: { query: { all: all || undefined, offset, limit: size } } })),
		),
		initialPageParam: 0,
		getNextPageParam: (last, before) => (last.leavers.length === size ? before.length * size : undefined),
	});
	return (
		<div className="flex h-full flex-col px-[18px] pt-3">
			<div className="flex items-baseline gap-4">
				<Rooms />
				<p className="text-quiet">Where accounts come from, and who was deleted there.</p>
			</div>
			<Loaded query={pages}>
				{(loaded) => {
					const first = loaded.pages[0];
					const leavers = loaded.pages.flatMap((p) => p.leavers);
					return (
						<div className="mt-3 grid min-h-0 grow grid-cols-[minmax(0,2fr)_minmax(0,5fr)]">
							<section
								aria-label="Directories"
								className="min-h-0 overflow-auto border-r-[3px] border-[var(--beam)] pr-[18px]"
							>
								<h2 className="flex h-[28px] items-end border-b-[3px] border-[var(--beam)] pb-[3px] text-[14px] font-bold">
									{first.directories.length > 0
										? count(first.directories.length, "directory", "directories")
										: "No directory yet"}
								</h2>
								<ul>
									{first.directories.map((d) => (
										<Directory key={d.name} of={d} />
									))}
								</ul>
								<Connect first={first.directories.length === 0} />
							</section>
							<section aria-label="Deleted by a directory" className="flex min-h-0 flex-col pl-[18px]">
								<div className="flex h-[28px] shrink-0 items-end gap-5 border-b-[3px] border-[var(--beam)]">
									<h2 className="grow pb-[3px] text-[14px] font-bold">Deleted there, deactivated here</h2>
									{first.total > 0 && (
										<Choice
											label="Whom to list"
											ways={[
												{ id: "left", name: `${first.left.toLocaleString("en-GB")} with something left` },
												{ id: "all", name: `all ${first.total.toLocaleString("en-GB")}` },
											]}
											at={all ? "all" : "left"}
											onChoose={(id) => set({ view: id === "all" ? id : null })}
										/>
									)}
								</div>
								<Scroll className="min-h-0 grow">
									{leavers.length === 0 && (
										<p className="py-3 text-quiet">
											{first.total === 0
												? "No directory has deleted anybody. People who are deleted there lose all access here at once, and stay in this list until somebody has dealt with what they leave behind."
												: "Nothing depends any longer on anybody whom a directory has deleted."}
										</p>
									)}
									<Leavers list={leavers} />
									{pages.hasNextPage && (
										<button
											type="button"
											className="action my-3"
											disabled={pages.isFetchingNextPage}
											onClick={() => pages.fetchNextPage()}
										>
											{pages.isFetchingNextPage ? "One moment …" : "Earlier ones"}
										</button>
									)}
								</Scroll>
							</section>
						</div>
					);
				}}
			</Loaded>
		</div>
	);
}

function Directory({ of: d }: { of: Schemas["Directory"] }) {
	return (
		<li className="border-b border-hair py-[10px]" data-directory={d.name}>
			<p className="flex items-baseline gap-3">
				<b className="min-w-0 grow truncate text-[15px]" title={d.name}>
					{d.name}
				</b>
				{!d.made && <span className="shrink-0 text-[12px] text-ochre">has no token any longer</span>}
			</p>
			<p>
				keeps {count(d.people, "person", "people")} and {count(d.groups, "group", "groups")}
				{d.gone > 0 && `; has deleted ${count(d.gone, "person", "people")}`}
			</p>
			<p className="text-[12px] text-quiet">
				{d.heard ? `last changed something on ${moment(d.heard)}` : "has not changed anything yet"}
			</p>
		</li>
	);
}

/** How a directory is connected, which an operator does. */
function Connect({ first }: { first: boolean }) {
	const address = `${location.origin}/scim/v2`;
	return (
		<div className="py-[10px] text-quiet">
			<p className={first ? "mb-2 text-ink" : "mb-1"}>
				{first
					? "No directory maintains people and groups here yet. To connect one that speaks SCIM 2.0, an operator makes a token on the server:"
					: "To connect another, an operator makes a token on the server:"}
			</p>
			<p className="border-l-[3px] border-hair pl-2 font-mono text-[12px] break-all text-ink">
				fachwerk token --db … --for scim --name “Its name”
			</p>
			<p className="mt-2 mb-1">and gives it to the directory with this address:</p>
			<p className="border-l-[3px] border-hair pl-2 font-mono text-[12px] break-all text-ink">{address}</p>
		</div>
	);
}

function Leavers({ list }: { list: Schemas["Leaver"][] }) {
	const { me } = useHouse();
	const [deleting, setDeleting] = useState<Schemas["Ref"] | null>(null);
	return (
		<>
			<ul>
				{list.map((l) => (
					<li
						key={l.user.id}
						data-leaver={l.user.id}
						className="grid grid-cols-[minmax(0,4fr)_minmax(0,5fr)_auto] items-baseline gap-5 border-b border-hair py-2"
					>
						<div className="min-w-0">
							<p className="truncate">
								<Named of={l.user} /> {l.state !== "deactivated" && <b className="text-ochre">{l.state} again</b>}{" "}
								<Mark draft={l.draft} />
							</p>
							<p className="truncate text-[12px] text-quiet">
								on {day(l.when)}, by {l.by}
							</p>
						</div>
						<div className={`min-w-0 ${l.left ? "" : "text-quiet"}`}>
							{l.owns > 0 && (
								<p>
									<Few of={l.owned} most={3} total={l.owns}>
										{(owned, more) => (
											<>
												<b>owns</b> <NamedAll of={owned} /> {more}
											</>
										)}
									</Few>
								</p>
							)}
							<p>{l.left ? tied(l).join(" · ") : "nothing depends on them"}</p>
						</div>
						<span>
							{acting(me) && may(me, "people:edit") && l.draft !== "gone" && (
								<button
									type="button"
									className="link !text-ox"
									aria-label={`Delete ${l.user.name} …`}
									onClick={() => setDeleting(l.user)}
								>
									Delete …
								</button>
							)}
						</span>
					</li>
				))}
			</ul>
			{deleting && <DeleteBoard of={deleting} onClose={() => setDeleting(null)} />}
		</>
	);
}

/** What is still tied to somebody besides what they own, in words. */
function tied(l: Schemas["Leaver"]): string[] {
	const out: string[] = [];
	const add = (n: number, one: string, many: string) => n > 0 && out.push(count(n, one, many));
	add(l.grants, "assignment by hand", "assignments by hand");
	add(l.groups, "group lists them", "groups list them");
	add(l.reports, "person reports to them", "people report to them");
	add(l.delegations, "delegation is theirs", "delegations are theirs");
	return out;
}

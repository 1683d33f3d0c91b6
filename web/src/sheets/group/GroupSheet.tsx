import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import type { Schemas } from "../../api/client";
import { draftCut, draftJoin, draftTidy, putGroup, useDrafting, useGroup } from "../../api/hooks";
import { useHouse } from "../../house/context";
import { useTo, useWhere } from "../../house/lens";
import { mayEither } from "../../house/rights";
import { AssignBoard } from "../../parts/AssignBoard";
import { DeleteBoard } from "../../parts/DeleteBoard";
import { Grants } from "../../parts/Grants";
import { Loaded } from "../../parts/loading";
import { useNotice } from "../../parts/notice";
import { Picker } from "../../parts/Picker";
import { Line, LockNote, Part, SheetActs, SheetHead } from "../../parts/sheet";
import { Tabbed, TabList, TabPanel } from "../../parts/tabs";
import { Wall } from "../../parts/Wall";
import { addressOf, count, lastDay, Mark, Named } from "../../parts/words";
import { AskFor } from "../../requests/AskFor";
import { EditGroup } from "./EditGroup";
import { RuleBox } from "./RuleBox";

type Sheet = Schemas["GroupSheet"];

/** The sheet of a group: who is in it and by which way, what nests in what, and where its grants lead. */
export function GroupSheet() {
	const { id = "" } = useParams();
	const sheet = useGroup(id, useWhere());
	return <Loaded query={sheet}>{(s) => <Shown key={id} sheet={s} />}</Loaded>;
}

function Shown({ sheet }: { sheet: Sheet }) {
	const { me, setAside } = useHouse();
	const to = useTo();
	const navigate = useNavigate();
	const { refuse, tell } = useNotice();
	const [board, setBoard] = useState<"edit" | "copy" | "delete" | "assign" | null>(null);
	const [right, setRight] = useState<"grants" | "wall">("grants");
	const tidy = useDrafting(draftTidy);
	const join = useDrafting(draftJoin);
	const cut = useDrafting(draftCut);
	const { ref, group } = sheet;
	useEffect(() => {
		setAside(`${ref.name} has ${count(sheet.size, "member", "members")}`);
		return () => setAside("");
	}, [setAside, ref.name, sheet.size]);
	const editable = sheet.may && !!group && sheet.draft !== "gone";
	const close = () => setBoard(null);
	const end = { kind: "group" as const, id: ref.id };
	return (
		<div className="flex h-full flex-col">
			<SheetHead
				table={{ kind: "group", id: ref.id }}
				kind="group"
				name={ref.name}
				draft={sheet.draft}
				marks={
					<span className="text-quiet">
						{[
							!group && "built in",
							group?.kind === "rule" && "by rule",
							group?.source === "directory" && `from ${sheet.lock?.directory ?? "a directory"}`,
							group?.listed === false && "hidden from delegates",
						]
							.filter(Boolean)
							.join(" · ")}
					</span>
				}
				about={
					<>
						{group?.description}
						{sheet.owner && (
							<>
								{" Owned by "}
								<Named of={sheet.owner} />.
							</>
						)}
						{sheet.home && (
							<>
								{" Can be granted only at "}
								<Named of={sheet.home} /> or below.
							</>
						)}
					</>
				}
			>
				{group && group.kind !== "rule" && group.source !== "directory" && <AskFor wanted={ref} />}
				{editable && <SheetActs onAct={setBoard} />}
				<Link className="link ml-2" to={to(`/findings?about=${encodeURIComponent(`group:${ref.id}`)}`)}>
					Findings
				</Link>
				<Link className="link ml-2" to={to(`/?focus=${encodeURIComponent(`group:${ref.id}`)}`)}>
					In the frame
				</Link>
			</SheetHead>
			<div className="grid min-h-0 grow grid-cols-[minmax(0,4fr)_minmax(0,3fr)_minmax(0,5fr)]">
				<Members sheet={sheet} />
				<div className="min-h-0 overflow-auto border-x-[3px] border-[var(--beam)] px-[18px] py-3">
					{sheet.lock && <LockNote lock={sheet.lock} />}
					{group?.kind === "rule" && <TheRule sheet={sheet} editable={editable} />}
					<Part title="Nests" count={sheet.nests.length}>
						{sheet.nests.length === 0 && <p className="py-1.5 text-quiet">No group is nested in it.</p>}
						<ul>
							{sheet.nests.map((r) => (
								<Line
									key={r.id}
									aside={
										editable && !sheet.lock ? (
											<button
												type="button"
												className="font-bold text-ox"
												aria-label={`Take ${r.name} out`}
												onClick={() => cut.mutate({ from: { kind: "group", id: r.id }, to: end }, { onError: refuse })}
											>
												✕
											</button>
										) : undefined
									}
								>
									<Named of={r} />
								</Line>
							))}
						</ul>
						{editable && !sheet.lock && (
							<div className="mt-2">
								<Picker
									kinds={["group"]}
									label="Nest a group"
									placeholder="nest a group in it …"
									without={[ref.id, "everyone", "public", ...sheet.nests.map((n) => n.id)]}
									onPick={(r) => join.mutate({ from: { kind: "group", id: r.id }, to: end }, { onError: refuse })}
								/>
							</div>
						)}
					</Part>
					<Part title="Nested in" count={sheet.nestedIn.length}>
						{sheet.nestedIn.length === 0 && <p className="py-1.5 text-quiet">It is nested in no group.</p>}
						<ul>
							{sheet.nestedIn.map((r) => (
								<Line key={r.id}>
									<Named of={r} />
								</Line>
							))}
						</ul>
					</Part>
					{sheet.redundant.length > 0 && (
						<Part
							title="Held by hand as well"
							count={sheet.redundant.length}
							act={
								mayEither(me, "assignment:edit", "revoke") && (
									<button
										type="button"
										className="link"
										onClick={() =>
											tidy.mutate(ref.id, {
												onError: refuse,
												onSuccess: () =>
													tell(
														"The assignments that members also get through the group are removed in your draft: nobody loses anything.",
													),
											})
										}
									>
										Tidy away
									</button>
								)
							}
						>
							<p className="py-1 text-[12px] text-quiet">
								Members were assigned these by hand, although the group gives them the same. Somebody who leaves the
								group would keep them.
							</p>
							<ul>
								{sheet.redundant.slice(0, 30).map((g) => (
									<Line key={g.terms.id}>
										<Named of={g.subject} />{" "}
										<span className="text-quiet">
											{g.target.name}, {g.terms.note}
										</span>
									</Line>
								))}
							</ul>
						</Part>
					)}
					{sheet.usedBy.length > 0 && (
						<Part title="Delegations that name it" count={sheet.usedBy.length}>
							<ul>
								{sheet.usedBy.map((r) => (
									<Line key={r.id}>
										<Named of={r} />
									</Line>
								))}
							</ul>
						</Part>
					)}
				</div>
				<div className="flex min-h-0 flex-col">
					<Tabbed at={right} onChoose={setRight}>
						<div className="flex shrink-0 items-baseline gap-4 px-[18px] pt-3">
							<TabList
								label="What it is given"
								tabs={[
									{ id: "grants", name: `Grants ${sheet.grants.length}` },
									{ id: "wall", name: "What they give a member" },
								]}
							/>
							<span className="grow" />
							{mayEither(me, "assignment:edit", "never") && sheet.draft !== "gone" && (
								<button type="button" className="link" onClick={() => setBoard("assign")}>
									Assign …
								</button>
							)}
						</div>
						<TabPanel id="grants" className="min-h-0 overflow-auto px-[18px] py-2">
							<Grants
								grants={sheet.grants}
								from="subject"
								elsewhere={sheet.elsewhere}
								empty="Nothing is assigned to it, or to any group that contains it."
							/>
						</TabPanel>
						<TabPanel id="wall" className="flex min-h-0 grow flex-col">
							<Wall
								label={`What ${ref.name} gives`}
								systems={sheet.systems}
								chosen={null}
								everything={false}
								empty="Its grants give nothing now."
								onChoose={(key) => navigate(to(addressOf("permission", key) ?? "/"))}
							/>
						</TabPanel>
					</Tabbed>
				</div>
			</div>
			{board === "edit" && <EditGroup of={sheet} onClose={close} />}
			{board === "copy" && <EditGroup copy={sheet} onClose={close} />}
			{board === "delete" && <DeleteBoard of={ref} onClose={close} />}
			{board === "assign" && <AssignBoard subjects={[ref]} area={sheet.home?.id} onClose={close} />}
		</div>
	);
}

const pitch = 30;

/** Who is in it, and by which way. */
function Members({ sheet }: { sheet: Sheet }) {
	const { refuse } = useNotice();
	const join = useDrafting(draftJoin);
	const cut = useDrafting(draftCut);
	const [words, setWords] = useState("");
	const scroll = useRef<HTMLDivElement>(null);
	const end = { kind: "group" as const, id: sheet.ref.id };
	const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
	const rows = sheet.members.filter((m) =>
		wanted.every((w) => `${m.user.name} ${m.note} ${m.way} ${m.via?.name ?? ""} ${m.state}`.toLowerCase().includes(w)),
	);
	const list = useVirtualizer({
		count: rows.length,
		getScrollElement: () => scroll.current,
		estimateSize: () => pitch,
		overscan: 10,
	});
	return (
		<section aria-label="Members" className="flex min-h-0 flex-col px-[18px] pt-3">
			<h2 className="border-b-[3px] border-[var(--beam)] text-[14px] font-bold">
				Members <span className="font-normal text-quiet">{sheet.size.toLocaleString("en-GB")}</span>
			</h2>
			<div className="flex gap-2 py-2">
				<input
					aria-label="Filter members"
					className="field"
					placeholder="find among them"
					value={words}
					onChange={(e) => setWords(e.target.value)}
				/>
				{sheet.mayAdd && (
					<Picker
						kinds={["user"]}
						label="Add a person"
						placeholder="add a person …"
						mine="membership"
						without={sheet.group?.users}
						onPick={(r) => join.mutate({ from: { kind: "user", id: r.id }, to: end }, { onError: refuse })}
					/>
				)}
			</div>
			<div ref={scroll} data-scrolls className="relative min-h-0 grow overflow-auto">
				{rows.length === 0 && (
					<p className="py-2 text-quiet">
						{words
							? "None of them match."
							: sheet.mayAdd
								? "Nobody is in it yet. Add people above, or nest a group."
								: "Nobody is in it."}
					</p>
				)}
				<ul className="relative" style={{ height: list.getTotalSize() }}>
					{list.getVirtualItems().map((i) => {
						const m = rows[i.index];
						return (
							<li
								key={m.user.id}
								data-member={m.user.id}
								style={{ transform: `translateY(${i.start}px)` }}
								className="absolute inset-x-0 top-0 flex h-[30px] items-center gap-2 border-b border-hair"
							>
								<span className={`min-w-0 truncate ${m.draft === "cut" ? "line-through" : ""}`}>
									<Named of={m.user} />
								</span>
								<Mark draft={m.draft} />
								<span className="narrow min-w-0 grow truncate text-[12px] text-quiet">
									{m.state !== "active" && <b className="text-ochre">{m.state} · </b>}
									{m.ends && <b className="text-ochre">until {lastDay(m.ends)} · </b>}
									{m.note}
								</span>
								<span className="narrow shrink-0 text-[12px] text-quiet">
									{m.way === "listed" ? "listed" : m.way === "rule" ? "by rule" : `by ${m.via?.name ?? "nesting"}`}
								</span>
								{m.draft === "cut" && (
									<button
										type="button"
										className="link shrink-0"
										aria-label={`Put ${m.user.name} back`}
										onClick={() => join.mutate({ from: { kind: "user", id: m.user.id }, to: end }, { onError: refuse })}
									>
										Put back
									</button>
								)}
								{m.may && m.draft !== "cut" && (
									<button
										type="button"
										className="font-bold text-ox"
										aria-label={`Take ${m.user.name} out`}
										onClick={() => cut.mutate({ from: { kind: "user", id: m.user.id }, to: end }, { onError: refuse })}
									>
										✕
									</button>
								)}
							</li>
						);
					})}
				</ul>
				{sheet.members.length < sheet.size && (
					<p className="py-2 text-quiet">The first {sheet.members.length.toLocaleString("en-GB")} are listed.</p>
				)}
			</div>
		</section>
	);
}

/** The rule, live: whom it matches and where it goes wrong, before it is drafted. */
function TheRule({ sheet, editable }: { sheet: Sheet; editable: boolean }) {
	const { refuse } = useNotice();
	const save = useDrafting(putGroup);
	const kept = sheet.group?.rule ?? "";
	const [rule, setRule] = useState(kept);
	// What is typed stays until the rule itself becomes another.
	useEffect(() => setRule(kept), [kept]);
	return (
		<Part title="Rule">
			{editable ? (
				<form
					onSubmit={(e) => {
						e.preventDefault();
						if (sheet.group) save.mutate({ before: sheet.group, after: { ...sheet.group, rule } }, { onError: refuse });
					}}
				>
					<RuleBox rule={rule} onRule={setRule} before={sheet.size} />
					{rule !== kept && (
						<p className="mt-1 flex gap-3">
							<button type="submit" className="action main" disabled={save.isPending || !rule.trim()}>
								Put the rule into the draft
							</button>
							<button type="button" className="action" onClick={() => setRule(kept)}>
								Back to what it was
							</button>
						</p>
					)}
				</form>
			) : (
				<p className="py-1 font-mono text-[12px] break-words">{kept}</p>
			)}
		</Part>
	);
}

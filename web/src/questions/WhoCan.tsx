import type { UseQueryResult } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useSearchParams } from "react-router";
import { type Ask, useAsk } from "../api/ask";
import { data, type Schemas } from "../api/client";
import { design, useAreas } from "../api/hooks";
import { useHouse } from "../house/context";
import { useSet, useTo, useWhere } from "../house/lens";
import { acting, may } from "../house/rights";
import { Downloads } from "../parts/Downloads";
import { type Column, Grid } from "../parts/Grid";
import { Failed, Loaded } from "../parts/loading";
import { Picker } from "../parts/Picker";
import { usePages } from "../parts/pages";
import { Rooms } from "../parts/tabs";
import { addressOf, count, places } from "../parts/words";
import { type Begun, EditGuarantee } from "../sheets/guarantee/EditGuarantee";

const size = 100;

/** Who can do something: everybody, by which ways, and what they have in common. */
export function WhoCan() {
	const [params] = useSearchParams();
	const what = params.get("what") ?? "";
	return (
		<div className="flex h-full flex-col px-[18px] pt-3">
			<div className="flex items-baseline gap-4">
				<Rooms />
			</div>
			<Asked what={what} />
			{what ? <Answer key={what} what={what} /> : <Opening />}
		</div>
	);
}

/** That it is open to everybody who is active, or even to whoever is not signed in. */
function Open({ to: { permissions, public: open, everyone } }: { to: Schemas["WhoCan"] }) {
	if (everyone === 0) return null;
	const some = (n: number) =>
		permissions === 1 ? "" : n === permissions ? "all of this" : `${n} of these ${permissions}`;
	return (
		<b className="text-ochre">
			{" · "}
			{open > 0
				? `whoever is not signed in can do ${some(open) || "it"} too, by the group Public`
				: `whoever is active can do ${some(everyone) || "it"}, by the group Everyone`}
		</b>
	);
}

/** Where to begin: what could do the most harm, by how many hold it, and each system as a whole. */
function Opening() {
	const where = useWhere();
	const list = (kind: "permission" | "system", q: string, sort: string | undefined, columns: string[]) => ({
		queryKey: [...design, "list", kind, "opening", where],
		queryFn: (ask: Ask) =>
			data(
				ask.GET("/api/lists/{kind}", {
					params: { path: { kind }, query: { q, sort, down: !!sort, columns, where, limit: 100 } },
				}),
			),
	});
	const critical = useAsk(list("permission", "risk eq 3", "holders", ["label", "holders"]));
	const systems = useAsk(list("system", "", undefined, ["permissions"]));
	return (
		<div className="grid min-h-0 grow grid-cols-[minmax(0,1fr)_300px]">
			<Begin
				title="Critical permissions, the most widely held first"
				empty="No permission is marked as critical."
				query={critical}
				row={(r) => [r.name, r.cells[0]?.text ?? "", count(Number(r.cells[1]?.text ?? 0), "person", "people")]}
			/>
			<Begin
				title="Whole systems"
				empty="There are no systems yet."
				query={systems}
				row={(r) => [r.name, "", count(Number(r.cells[0]?.text ?? 0), "permission", "permissions")]}
			/>
		</div>
	);
}

type Row = Schemas["List"]["rows"][number];

function Begin({
	title,
	empty,
	query,
	row,
}: {
	title: string;
	empty: string;
	query: UseQueryResult<Schemas["List"]>;
	row: (r: Row) => [name: string, what: string, much: string];
}) {
	const set = useSet(false);
	return (
		<section
			aria-label={title}
			className="flex min-h-0 flex-col pr-[18px] last:border-l-[3px] last:border-[var(--beam)] last:pr-0 last:pl-[18px]"
		>
			<h2 className="border-b-2 border-[var(--beam)] pb-1 text-[12px] font-normal text-quiet">{title}</h2>
			<Loaded query={query}>
				{(l) => (
					<ul className="min-h-0 grow overflow-auto">
						{l.rows.map((r) => {
							const [name, what, much] = row(r);
							return (
								<li key={r.id} className="flex items-baseline gap-4 border-b border-hair py-[5px]">
									<button
										type="button"
										className={`link min-w-0 truncate ${name.includes(":") ? "font-mono text-[12px]" : ""}`}
										onClick={() => set({ what: r.id, by: null })}
									>
										{name}
									</button>
									<span className="min-w-0 grow truncate">{what}</span>
									<span className="narrow shrink-0 text-right text-quiet">{much}</span>
								</li>
							);
						})}
						{l.rows.length === 0 && <li className="py-2 text-quiet">{empty}</li>}
					</ul>
				)}
			</Loaded>
		</section>
	);
}

/** The question as a sentence, in which what is asked about can be changed and widened. */
function Asked({ what }: { what: string }) {
	const set = useSet(false);
	const [system = "", object = "", action = ""] = what.split(":");
	const wider = [
		{ id: system, name: system },
		{ id: `${system}:${object}`, name: object },
		{ id: what, name: action },
	].filter((w) => w.name);
	return (
		<div className="mt-2 mb-3 flex flex-wrap items-center gap-x-3 gap-y-2 text-[15px]">
			<span>Who can use</span>
			{wider.length > 0 && (
				<span className="font-mono text-[14px]">
					{wider.map((w, i) => (
						<span key={w.id}>
							{i > 0 && <span className="text-quiet"> : </span>}
							{w.id === what ? (
								<b>{w.name}</b>
							) : (
								<button
									type="button"
									className="link"
									title={`Ask about all of ${w.id}`}
									onClick={() => set({ what: w.id, by: null })}
								>
									{w.name}
								</button>
							)}
						</span>
					))}
				</span>
			)}
			<Picker
				kinds={["permission", "system"]}
				label="Ask about"
				placeholder={what ? "something else …" : "a permission or a system …"}
				className="field max-w-[260px]"
				autoFocus={!what}
				onPick={(r) => set({ what: r.id, by: null })}
			/>
		</div>
	);
}

function Answer({ what }: { what: string }) {
	const [params] = useSearchParams();
	const where = useWhere();
	const set = useSet(false);
	const { me, setAside } = useHouse();
	const areas = useAreas();
	const [keeping, setKeeping] = useState(false);
	const by = params.get("by") ?? undefined;
	const { first, error, retry, rowAt, need } = usePages(
		(page) => ({
			queryKey: [...design, "who", what, where, by, page],
			queryFn: (ask: Ask) =>
				data(ask.GET("/api/who", { params: { query: { what, where, by, offset: page * size, limit: size } } })),
		}),
		size,
	);
	useEffect(() => {
		if (first) setAside(`${count(first.total, "person", "people")} can`);
		return () => setAside("");
	}, [setAside, first]);
	if (error && !first) return <Failed error={error} retry={() => retry()} />;
	if (!first)
		return (
			<p role="status" data-waiting className="text-quiet">
				One moment …
			</p>
		);
	return (
		<div className="grid min-h-0 grow grid-cols-[minmax(0,1fr)_290px]">
			<div className="flex min-h-0 flex-col pr-[18px]">
				<div className="mb-2 flex items-baseline gap-3">
					<span data-answer>
						<b>{count(first.total, "person", "people")}</b>
						{first.permissions > 1 && <span className="text-quiet"> hold some of {first.permissions} permissions</span>}
						{first.about && <span className="text-quiet"> · {first.about}</span>}
						<Open to={first} />
					</span>
					{by && (
						<span className="flex items-baseline gap-2 border-[1.5px] border-slate px-2">
							{first.shown.toLocaleString("en-GB")} by {nameOf(first, by)}
							<button
								type="button"
								aria-label="Show all again"
								className="font-bold text-ox"
								onClick={() => set({ by: null })}
							>
								✕
							</button>
						</span>
					)}
					<span className="grow" />
					{acting(me) && may(me, "design:edit") && (
						<button type="button" className="link" onClick={() => setKeeping(true)}>
							Keep it so …
						</button>
					)}
					{first.total > 0 && <Downloads path="/api/who" query={{ what, where, by }} />}
				</div>
				{keeping && (
					<EditGuarantee
						begun={promiseOf(
							first,
							areas.data?.find((a) => a.id === where && a.depth > 0),
						)}
						onClose={() => setKeeping(false)}
					/>
				)}
				<People first={first} rowAt={rowAt} need={need} />
			</div>
			<div className="min-h-0 overflow-auto border-l-[3px] border-[var(--beam)] py-1 pl-[18px]">
				{first.total > 0 && <InCommon answer={first} by={by} onNarrow={(next) => set({ by: next })} />}
			</div>
		</div>
	);
}

/** A guarantee that lets nobody else do it: its people are the group that all who can are in, if there is one. */
function promiseOf(answer: Schemas["WhoCan"], area?: { id: string; name: string }): Begun {
	const { what } = answer;
	const all = answer.common.find((c) => c.kind === "group")?.share.find((s) => s.count === answer.total && s.ref);
	return {
		name: `Nobody else: ${what.name}`,
		kind: "only",
		things: what.kind === "permission" || what.kind === "system" ? [what] : [],
		patterns: what.kind === "permission" || what.kind === "system" ? "" : `${what.id}:*`,
		peopleIn: all?.ref,
		area: area && { kind: "area", id: area.id, name: area.name },
	};
}

function nameOf(answer: Schemas["WhoCan"], by: string) {
	const share = answer.common.flatMap((c) => c.share).find((s) => s.by === by);
	return share?.ref?.name ?? share?.text ?? by;
}

function People({
	first,
	rowAt,
	need,
}: {
	first: Schemas["WhoCan"];
	rowAt: (i: number) => Schemas["WhoRow"] | undefined;
	need: (places: { index: number }[]) => void;
}) {
	const to = useTo();
	const [at, setAt] = useState(0);
	const permission = first.what.kind === "permission" ? first.what.id : undefined;
	return (
		<Grid
			label="People who can"
			columns={columnsOf(first.permissions)}
			count={first.shown}
			rowAt={rowAt}
			keyOf={(r) => r.user.id}
			marks={(r) => ({ "data-row": r.user.id })}
			to={(r) =>
				to(`${addressOf("user", r.user.id)}${permission ? `?permission=${encodeURIComponent(permission)}` : ""}`)
			}
			at={Math.min(at, Math.max(0, first.shown - 1))}
			onAt={setAt}
			need={need}
			empty="Nobody can."
		/>
	);
}

type Holder = Schemas["WhoRow"];

/** The columns of people who can; where more than one permission is asked about, how many of them each holds. */
function columnsOf(permissions: number): Column<Holder>[] {
	const column = (
		id: string,
		header: string,
		width: string,
		text: (row: Holder) => string,
		more?: Partial<Column<Holder>["meta"]>,
	) => ({
		id,
		header,
		cell: ({ row }: { row: { original: Holder } }) => text(row.original),
		meta: { width, title: text, ...more },
	});
	return [
		column("person", "Person", "minmax(150px,1.3fr)", (r) => r.user.name),
		permissions > 1
			? column("holds", "Holds", "minmax(130px,1fr)", (r) => `${r.permissions} of ${permissions}`)
			: column("title", "Title", "minmax(130px,1fr)", (r) => r.title ?? r.department ?? "—", {
					title: (r) => `${r.title ?? ""} · ${r.department ?? ""}`,
				}),
		column("where", "Where", "minmax(120px,1fr)", (r) => places(r.places)),
		column("ways", "By which ways", "minmax(200px,2fr)", ways, { look: () => "text-quiet" }),
	];
}

const ways = (row: Schemas["WhoRow"]) =>
	row.by.map((b) => `${b.target.name}${b.group ? ` by ${b.group.name}` : ", by hand"}`).join("; ");

const titles: Record<string, string> = {
	by: "By role or set",
	group: "By group",
	title: "Titles",
	department: "Departments",
};

/** What the people have in common, most of them first; each narrows the list to those who have it. */
function InCommon({
	answer,
	by,
	onNarrow,
}: {
	answer: Schemas["WhoCan"];
	by?: string;
	onNarrow: (by: string | null) => void;
}) {
	return (
		<>
			<h2 className="text-[14px] font-bold">What they have in common</h2>
			{answer.common
				.filter((c) => c.share.length > 0)
				.map((c) => (
					<section key={c.kind} className="mt-3" aria-label={titles[c.kind]}>
						<h3 className="border-b border-[var(--beam)] text-[12px] text-quiet">{titles[c.kind]}</h3>
						<ul>
							{c.share.map((s) => (
								<li key={s.by}>
									<button
										type="button"
										aria-pressed={by === s.by}
										onClick={() => onNarrow(by === s.by ? null : s.by)}
										className={`relative block w-full px-1 py-[3px] text-left hover:bg-sunk ${by === s.by ? "font-bold shadow-[inset_4px_0_0_var(--slate)]" : ""}`}
									>
										<span className="flex gap-3 pl-1">
											<span className="min-w-0 grow truncate" title={s.ref?.name ?? s.text}>
												{s.ref?.name ?? s.text}
											</span>
											<span className="shrink-0 text-quiet">{s.count.toLocaleString("en-GB")}</span>
										</span>
										<span aria-hidden className="mt-[2px] block h-[3px] bg-hair">
											<span className="block h-[3px] bg-moss" style={{ width: `${(100 * s.count) / answer.total}%` }} />
										</span>
									</button>
								</li>
							))}
						</ul>
					</section>
				))}
		</>
	);
}

import { useQueryClient } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { type ReactNode, useMemo, useRef, useState } from "react";
import { useLocation, useNavigate, useSearchParams } from "react-router";
import { seen, useLens } from "../api/ask";
import type { Schemas } from "../api/client";
import { type ListKind, listQuery } from "../api/hooks";
import { useSet, useTo, useTyped } from "../house/lens";
import { Downloads } from "../parts/Downloads";
import { type Column, Grid, type GridHandle } from "../parts/Grid";
import { Failed } from "../parts/loading";
import { usePages } from "../parts/pages";
import { Rooms } from "../parts/tabs";
import { addressOf, count } from "../parts/words";

const pageSize = 100;

/** Where each list was scrolled to, by its address, as long as the page lives. */
const places = new Map<string, { top: number; cursor: number }>();

type Props = {
	kind: ListKind;
	one: string;
	many: string;
	/** What to do when there is nothing yet. */
	empty: string;
	/** The widths of the columns by id, as CSS grid tracks; what is not named is of a middling width. */
	widths: Record<string, string>;
	/** What can be done from here. */
	children?: ReactNode;
	/** What can be done with the rows that are chosen, or with all that are asked for; without it, none can be chosen. */
	withChosen?: (chosen: Chosen) => ReactNode;
};

/** What is chosen in a list. */
export type Chosen = { ids: string[]; all: number; query: { q: string; where?: string }; clear: () => void };

const tones: Record<string, string> = {
	good: "text-moss",
	bad: "font-semibold text-ox",
	warn: "font-semibold text-ochre",
	quiet: "text-quiet",
};

/** Everything of a kind: found by words or by a filter in the same box, sorted by any column, each row the way to its sheet. */
export function List(p: Props) {
	const [params] = useSearchParams();
	const cache = useQueryClient();
	const set = useSet();
	const navigate = useNavigate();
	const to = useTo();
	const address = useLocation();
	const place = address.pathname + address.search;
	const [words, type] = useTyped("q");
	const q = words.trim(); // at once: the server is asked by the key, not by what follows from it
	const sort = params.get("sort") ?? "name";
	const down = params.get("down") === "1";
	const where = params.get("where") ?? undefined;
	const [columns, choose] = useColumns(p.kind);
	const grid = useRef<GridHandle>(null);
	const [cursor, setCursor] = useState(() => places.get(place)?.cursor ?? 0);
	const { first, error, retry, rowAt, need } = usePages(
		(page) => listQuery(p.kind, { q, columns, sort, down, where, offset: page * pageSize, limit: pageSize }),
		pageSize,
	);
	const shown = first?.columns;
	const heads = useMemo(
		() =>
			shown?.map((c, i) =>
				columnOf(c, i, p.widths[c.id], sort === c.id ? (down ? "descending" : "ascending") : undefined),
			) ?? [],
		[shown, p.widths, sort, down],
	);
	const turn = (id: string) =>
		set({
			sort: id === "name" ? null : id,
			down: (sort === id ? !down : shown?.find((c) => c.id === id)?.numeric) ? "1" : null,
		});
	const matching = first?.matching ?? 0;
	const at = Math.min(cursor, Math.max(0, matching - 1));
	const keep = (i: number) => places.set(place, { top: grid.current?.scrollTop() ?? 0, cursor: i });
	const lens = useLens();
	const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
	/** Chooses the rows between two places, of which some may not have come yet. */
	const chooseRows = async (one: number, other: number, on: boolean) => {
		const [from, to] = [Math.min(one, other), Math.max(one, other)];
		let ids = Array.from({ length: to - from + 1 }, (_, i) => rowAt(from + i)?.id);
		if (ids.includes(undefined)) {
			const parts = Array.from({ length: Math.ceil(ids.length / 500) }, (_, i) => from + 500 * i);
			const pages = await Promise.all(
				parts.map((offset) =>
					cache.fetchQuery(
						seen(
							lens,
							listQuery(p.kind, { q, columns, sort, down, where, offset, limit: Math.min(500, to + 1 - offset) }),
						),
					),
				),
			);
			ids = pages.flatMap((page) => page.rows.map((r) => r.id));
		}
		setChosen((before) => {
			const next = new Set(before);
			for (const id of ids)
				if (id && on) next.add(id);
				else if (id) next.delete(id);
			return next;
		});
	};
	const path = (row: Row) => {
		const path = addressOf(p.kind, row.id);
		return path && to(path);
	};
	// From the filter, the arrows go through the rows while one goes on typing.
	const press = (e: React.KeyboardEvent) => {
		const page = grid.current?.page() ?? 1;
		const steps: Record<string, number> = {
			ArrowDown: at + 1,
			ArrowUp: at - 1,
			PageDown: at + page,
			PageUp: at - page,
		};
		if (e.key in steps) {
			e.preventDefault();
			grid.current?.go(steps[e.key], false);
		} else if (e.key === "Enter") {
			const row = rowAt(at);
			const there = row && path(row);
			if (!there) return;
			keep(at);
			navigate(there);
		}
	};
	return (
		<div className="flex h-full flex-col px-[18px] pt-3">
			<div className="flex items-baseline gap-4">
				<Rooms />
				<span className="text-quiet" data-waiting={first ? undefined : true}>
					{first
						? q
							? `${matching.toLocaleString("en-GB")} of ${first.total.toLocaleString("en-GB")}`
							: count(first.total, p.one, p.many)
						: "…"}
				</span>
				<span className="grow" />
				{p.withChosen?.({
					ids: [...chosen],
					all: matching,
					query: { q, where },
					clear: () => setChosen(new Set()),
				})}
				{matching > 0 && (
					<Downloads
						path={`/api/lists/${p.kind}`}
						query={{
							q: q || undefined,
							columns,
							sort: sort === "name" ? undefined : sort,
							down: down ? "true" : undefined,
							where,
						}}
					/>
				)}
				{p.children}
			</div>
			{error && !first ? (
				<Failed error={error} retry={() => retry()} />
			) : (
				<>
					<FilterBox
						many={p.many}
						list={first}
						text={words}
						onKeyDown={press}
						onText={(text) => {
							setCursor(0);
							type(text);
						}}
					>
						{first && (
							<Columns
								offered={first.offered}
								shown={columns ?? first.offered.filter((c) => !c.spare).map((c) => c.id)}
								onChoose={choose}
							/>
						)}
					</FilterBox>
					{first && (
						<Grid
							label={p.many}
							columns={heads}
							onHead={turn}
							count={matching}
							rowAt={rowAt}
							keyOf={(r) => r.id}
							marks={(r) => ({ "data-id": r.id })}
							to={path}
							at={at}
							onAt={setCursor}
							need={need}
							onFollow={keep}
							top={places.get(place)?.top}
							handle={grid}
							choosing={p.withChosen && { chosen: (r) => chosen.has(r.id), choose: chooseRows, name: (r) => r.name }}
							empty={
								first.trouble
									? "Nothing is shown until the filter can be read."
									: q
										? `Nothing here has “${q}”.`
										: where
											? "Nothing here concerns the area chosen above."
											: p.empty
							}
						/>
					)}
				</>
			)}
		</div>
	);
}

type Row = Schemas["ListRow"];

/** How the grid shows a column of a list: the first one is the name, with what the draft makes of it. */
function columnOf(
	c: Schemas["ListColumn"],
	i: number,
	width: string | undefined,
	sort: Column<Row>["meta"]["sort"],
): Column<Row> {
	const cell = (row: Row) => row.cells[i - 1];
	return {
		id: c.id,
		header: c.name,
		cell: ({ row: { original: row } }) =>
			i > 0 ? (
				cell(row)?.text
			) : (
				<>
					{row.name}
					{row.draft && (
						<span className="narrow ml-2 text-[11px] font-semibold text-ochre">{row.draft} in the draft</span>
					)}
				</>
			),
		meta: {
			width: width ?? (c.numeric ? "80px" : "minmax(90px,1.6fr)"),
			numeric: c.numeric,
			sort,
			title: (row) => (i > 0 ? cell(row)?.text : row.name),
			look: (row) => (i > 0 && tones[cell(row)?.tone ?? ""]) || "",
		},
	};
}

/** Takes words or a filter, tells which it took them for, and where a filter goes wrong. */
function FilterBox({
	list,
	text,
	many,
	onText,
	onKeyDown,
	children,
}: {
	list?: Schemas["List"];
	text: string;
	many: string;
	onKeyDown: (e: React.KeyboardEvent) => void;
	onText: (text: string) => void;
	children: ReactNode;
}) {
	const [help, setHelp] = useState(false);
	return (
		<div className="mt-2 mb-2">
			<div className="flex items-center gap-3">
				<input
					aria-label={`Filter ${many}`}
					aria-invalid={!!list?.trouble}
					aria-describedby="filter-tells"
					className={`field max-w-[620px] ${list?.filter ? "font-mono text-[12px]" : ""} ${list?.trouble ? "!border-ox" : ""}`}
					placeholder="words, or a filter"
					value={text}
					// biome-ignore lint/a11y/noAutofocus: whoever comes to a list comes to find something
					autoFocus
					onChange={(e) => onText(e.target.value)}
					onKeyDown={onKeyDown}
				/>
				<button type="button" className="link" aria-expanded={help} onClick={() => setHelp(!help)}>
					Filters
				</button>
				{children}
				<span id="filter-tells" className="min-w-0 truncate text-[12px] text-quiet" aria-live="polite">
					{list?.filter && !list.trouble && text && "read as a filter"}
				</span>
			</div>
			{list?.trouble && (
				<p className="mt-1 text-[12px]">
					<span className="font-mono" aria-hidden="true">
						{text.slice(0, list.at)}
						<mark className="bg-ox px-[2px] text-raised">{text.slice(list.at, list.at + 12) || "∎"}</mark>
						{text.slice(list.at + 12)}
					</span>
					<span className="ml-3 font-semibold text-ox">✕ {list.trouble}</span>
				</p>
			)}
			{help && list && (
				<div className="mt-1 border-l-[3px] border-[var(--beam)] py-1 pl-3 text-[12px]">
					<p className="text-quiet">
						Words find what has all of them. A filter (RFC 7644) begins with a column and an operator: eq, ne, co, sw,
						ew, gt, ge, lt, le, pr; joined by and, or, not ( ). For instance:
					</p>
					{list.examples.map((e) => (
						<button key={e} type="button" className="link mr-5 font-mono text-[12px]" onClick={() => onText(e)}>
							{e}
						</button>
					))}
				</div>
			)}
		</div>
	);
}

/** The columns that are chosen for a list: by the address, or else as they were chosen here before; none for those that the list comes with. */
function useColumns(kind: ListKind): [columns: string[] | undefined, choose: (columns: string[] | undefined) => void] {
	const [there, type] = useTyped("columns"); // ticked as fast as typed
	const key = `fachwerk-columns-${kind}`;
	const text = there || localStorage.getItem(key);
	return [
		text ? text.split(",") : undefined,
		(columns) => {
			if (columns) localStorage.setItem(key, columns.join(","));
			else localStorage.removeItem(key);
			type(columns?.join(",") ?? "");
		},
	];
}

/** Chooses which columns a list shows. */
function Columns({
	offered,
	shown,
	onChoose,
}: {
	offered: Schemas["ListColumn"][];
	shown: string[];
	onChoose: (columns: string[] | undefined) => void;
}) {
	return (
		<Popover.Root>
			<Popover.Trigger className="link">Columns</Popover.Trigger>
			<Popover.Portal>
				<Popover.Content
					align="start"
					sideOffset={6}
					aria-label="Columns"
					className="z-50 w-[230px] border-[3px] border-[var(--beam)] bg-raised px-3 py-2 text-ink"
				>
					<ul className="max-h-[380px] overflow-auto">
						{offered.map((c) => {
							const on = shown.includes(c.id);
							return (
								<li key={c.id}>
									<label className="flex items-center gap-2 py-[3px]">
										<input
											type="checkbox"
											checked={on}
											// The name and one more make a list.
											disabled={on && shown.length === 1}
											onChange={() =>
												onChoose(offered.map((o) => o.id).filter((id) => (id === c.id ? !on : shown.includes(id))))
											}
										/>
										{c.name}
									</label>
								</li>
							);
						})}
					</ul>
					<button type="button" className="link mt-1 border-t border-hair pt-1" onClick={() => onChoose(undefined)}>
						As the list comes
					</button>
				</Popover.Content>
			</Popover.Portal>
		</Popover.Root>
	);
}

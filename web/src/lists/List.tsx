import { useVirtualizer } from "@tanstack/react-virtual";
import { Popover } from "radix-ui";
import { type ReactNode, useDeferredValue, useEffect, useLayoutEffect, useRef, useState } from "react";
import { useLocation, useNavigate, useSearchParams } from "react-router";
import type { Schemas } from "../api/client";
import { type ListKind, listQuery } from "../api/hooks";
import { useSet, useTo, useTyped } from "../house/lens";
import { Downloads } from "../parts/Downloads";
import { Failed } from "../parts/loading";
import { usePages } from "../parts/pages";
import { Rooms } from "../parts/tabs";
import { addressOf, count } from "../parts/words";

const pitch = 32;
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
};

const tones: Record<string, string> = { good: "text-moss", bad: "font-semibold text-ox", warn: "font-semibold text-ochre", quiet: "text-quiet" };

/** Everything of a kind: found by words or by a filter in the same box, sorted by any column, each row the way to its sheet. */
export function List(p: Props) {
	const [params] = useSearchParams();
	const set = useSet();
	const navigate = useNavigate();
	const to = useTo();
	const address = useLocation();
	const place = address.pathname + address.search;
	const [words, type] = useTyped("q");
	const q = useDeferredValue(words.trim());
	const sort = params.get("sort") ?? "name";
	const down = params.get("down") === "1";
	const where = params.get("where") ?? undefined;
	const [columns, choose] = useColumns(p.kind);
	const scroll = useRef<HTMLDivElement>(null);
	const [cursor, setCursor] = useState(() => places.get(place)?.cursor ?? 0);
	const { first, error, retry, rowAt, need } = usePages(
		(page) => listQuery(p.kind, { q, columns, sort, down, where, offset: page * pageSize, limit: pageSize }),
		pageSize,
	);
	const matching = first?.matching ?? 0;
	const list = useVirtualizer({
		count: matching,
		getScrollElement: () => scroll.current,
		estimateSize: () => pitch,
		overscan: 10,
		scrollPaddingStart: 32,
	});
	const items = list.getVirtualItems();
	useEffect(() => need(items));
	// Back where one was, once there are rows to stand on.
	const stands = matching > 0;
	// biome-ignore lint/correctness/useExhaustiveDependencies: only when the list comes up, not whenever it is scrolled
	useLayoutEffect(() => {
		if (stands && scroll.current) scroll.current.scrollTop = places.get(place)?.top ?? 0;
	}, [stands]);
	const keep = (cursor: number) => places.set(place, { top: scroll.current?.scrollTop ?? 0, cursor });
	const at = Math.min(cursor, Math.max(0, matching - 1));
	const open = (i: number) => {
		keep(i);
		const row = rowAt(i);
		const path = row && addressOf(p.kind, row.id);
		if (path) navigate(to(path));
	};
	const press = (e: React.KeyboardEvent) => {
		const page = Math.max(1, Math.floor((scroll.current?.clientHeight ?? 400) / pitch) - 1);
		const steps: Record<string, number> = { ArrowDown: at + 1, ArrowUp: at - 1, PageDown: at + page, PageUp: at - page };
		if (e.key in steps) {
			e.preventDefault();
			const next = Math.min(matching - 1, Math.max(0, steps[e.key]));
			setCursor(next);
			list.scrollToIndex(next);
		} else if (e.key === "Enter" && (e.target as HTMLElement).closest("[data-rows], input")) open(at);
	};
	const shown = first?.columns ?? [];
	const widths = shown.map((c) => p.widths[c.id] ?? (c.numeric ? "80px" : "minmax(90px,1.6fr)")).join(" ");
	return (
		<div className="flex h-full flex-col px-[18px] pt-3">
			<div className="flex items-baseline gap-4">
				<Rooms />
				<span className="text-quiet" data-waiting={first ? undefined : true}>
					{first ? (q ? `${matching.toLocaleString("en-GB")} of ${first.total.toLocaleString("en-GB")}` : count(first.total, p.one, p.many)) : "…"}
				</span>
				<span className="grow" />
				{matching > 0 && (
					<Downloads
						path={`/api/lists/${p.kind}`}
						query={{ q: q || undefined, columns, sort: sort === "name" ? undefined : sort, down: down ? "true" : undefined, where }}
					/>
				)}
				{p.children}
			</div>
			{error && !first ? (
				<Failed error={error} retry={() => retry()} />
			) : (
				// biome-ignore lint/a11y/noStaticElementInteractions: the arrows work from the filter too, as one types
				<div className="flex min-h-0 grow flex-col" onKeyDown={press}>
					<FilterBox
						many={p.many}
						list={first}
						text={words}
						onText={(text) => {
							setCursor(0);
							type(text);
						}}
					>
						{first && <Columns offered={first.offered} shown={columns ?? first.offered.filter((c) => !c.spare).map((c) => c.id)} onChoose={choose} />}
					</FilterBox>
					<div
						ref={scroll}
						data-rows
						aria-label={p.many}
						role="table"
						aria-rowcount={matching + 1}
						// biome-ignore lint/a11y/noNoninteractiveTabindex: the rows are gone through by arrows
						tabIndex={0}
						className="relative min-h-0 grow overflow-y-auto"
					>
						<div role="rowgroup" className="sticky top-0 z-10 h-[30px] border-b-[3px] border-[var(--beam)] bg-plaster">
							<div role="row" className="grid gap-x-4 px-2 text-[12px]" style={{ gridTemplateColumns: widths }}>
								{shown.map((c) => (
									<div
										key={c.id}
										role="columnheader"
										aria-sort={sort === c.id ? (down ? "descending" : "ascending") : undefined}
										className={c.numeric ? "text-right" : ""}
									>
										<button
											type="button"
											className={`truncate py-1 ${sort === c.id ? "font-bold text-ink" : "text-quiet hover:text-ink"}`}
											onClick={() => set({ sort: c.id === "name" ? null : c.id, down: (sort === c.id ? !down : c.numeric) ? "1" : null })}
										>
											{c.name}
											{sort === c.id && (down ? " ↓" : " ↑")}
										</button>
									</div>
								))}
							</div>
						</div>
						{first && matching === 0 && (
							<div role="row" className="py-4 text-quiet">
								<span role="cell">
									{first.trouble
										? "Nothing is shown until the filter can be read."
										: q
											? `Nothing here has “${q}”.`
											: where
												? "Nothing here has to do with the area that is chosen above."
												: p.empty}
								</span>
							</div>
						)}
						<div role="rowgroup" className="relative" style={{ height: list.getTotalSize() }}>
							{items.map((i) => (
								<ListRow
									key={i.key}
									row={rowAt(i.index)}
									columns={shown}
									place={i.index + 2}
									top={i.start}
									chosen={i.index === at}
									widths={widths}
									onOpen={() => {
										setCursor(i.index);
										open(i.index);
									}}
								/>
							))}
						</div>
					</div>
				</div>
			)}
		</div>
	);
}

function ListRow({
	row,
	columns,
	place,
	top,
	chosen,
	widths,
	onOpen,
}: {
	row?: Schemas["ListRow"];
	columns: Schemas["ListColumn"][];
	place: number;
	top: number;
	chosen: boolean;
	widths: string;
	onOpen: () => void;
}) {
	return (
		// biome-ignore lint/a11y/useKeyWithClickEvents: the table hears the keys
		<div
			role="row"
			aria-rowindex={place}
			data-row
			data-id={row?.id}
			data-chosen={chosen || undefined}
			onClick={onOpen}
			style={{ transform: `translateY(${top}px)`, gridTemplateColumns: widths }}
			className={`absolute inset-x-0 top-0 grid h-[32px] cursor-pointer items-center gap-x-4 border-b border-hair px-2 hover:bg-sunk ${chosen ? "bg-sunk shadow-[inset_4px_0_0_var(--slate)]" : ""}`}
		>
			<span role="cell" className="link min-w-0 truncate" title={row?.name}>
				{row?.name ?? "…"}
				{row?.draft && <span className="narrow ml-2 text-[11px] font-semibold text-ochre">{row.draft} in the draft</span>}
			</span>
			{row?.cells.map((c, i) => (
				<span
					key={columns[i + 1]?.id ?? i}
					role="cell"
					title={c.text}
					className={`min-w-0 truncate ${columns[i + 1]?.numeric ? "text-right" : ""} ${c.tone ? tones[c.tone] : ""}`}
				>
					{c.text}
				</span>
			))}
		</div>
	);
}

/** Takes words or a filter, tells which it took them for, and where a filter goes wrong. */
function FilterBox({
	list,
	text,
	many,
	onText,
	children,
}: {
	list?: Schemas["List"];
	text: string;
	many: string;
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
						Words find what has all of them. A filter (RFC 7644) begins with a column and an operator: eq, ne, co, sw, ew, gt, ge, lt, le, pr; joined
						by and, or, not ( ). For instance:
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
											onChange={() => onChoose(offered.map((o) => o.id).filter((id) => (id === c.id ? !on : shown.includes(id))))}
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

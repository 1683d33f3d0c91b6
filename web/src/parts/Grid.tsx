import {
	type ColumnDef,
	FlexRender,
	type RowData,
	type Row as TableRow,
	tableFeatures,
	useTable,
} from "@tanstack/react-table";
import { useVirtualizer } from "@tanstack/react-virtual";
import {
	memo,
	type ReactNode,
	type Ref,
	type RefObject,
	useEffect,
	useImperativeHandle,
	useLayoutEffect,
	useRef,
	useState,
} from "react";
import { Link } from "react-router";

type Meta<R> = {
	/** A CSS grid track. */
	width: string;
	numeric?: boolean;
	/** What the pointer is told, where a cell may be cut off. */
	title?: (row: R) => string | undefined;
	look?: (row: R) => string;
	sort?: "ascending" | "descending";
};

const features = tableFeatures({});

/** A column: its id, its header, what a cell shows, and in `meta` how wide and how it looks. Rows are drawn anew when their columns are others. */
export type Column<R extends RowData> = ColumnDef<typeof features, R> & { id: string; meta: Meta<R> };

/** The height of a row, in CSS pixels. */
const pitch = 32;

export type GridHandle = {
	/** Goes to a row; with `focus`, the keyboard goes there too. */
	go: (to: number, focus?: boolean) => void;
	/** How many rows stand in sight, less one that is kept in view while paging. */
	page: () => number;
	scrollTop: () => number;
};

type Props<R extends RowData> = {
	label: string;
	columns: Column<R>[];
	/** How many rows there are; those that have not come yet are empty. */
	count: number;
	rowAt: (i: number) => R | undefined;
	keyOf: (row: R) => string;
	/** What is put on a row for those who look for it in the page: its id, its state. */
	marks?: (row: R) => Record<`data-${string}`, string | number | undefined>;
	/** Where a row leads. Without it, rows are stood on and not followed. */
	to?: (row: R) => string | undefined;
	/** The row that is stood on. */
	at: number;
	onAt: (i: number) => void;
	/** The head of a column is pressed. */
	onHead?: (id: string) => void;
	/** Says which rows are looked at. */
	need?: (places: { index: number }[]) => void;
	/** A row is followed. */
	onFollow?: (i: number) => void;
	/** Where it stands when it comes up, in CSS pixels. */
	top?: number;
	handle?: Ref<GridHandle>;
	/** What stands there if there are no rows. */
	empty: ReactNode;
	/** Rows can be chosen: by their boxes, with Shift from one to another, by Space, and by Shift with the arrows. */
	choosing?: {
		chosen: (row: R) => boolean;
		/** The rows from one place to another, both included, are chosen or no longer are. */
		choose: (from: number, to: number, on: boolean) => void;
		/** What a row is called to who cannot see it. */
		name: (row: R) => string;
	};
};

/**
 * Rows and columns of any number of rows, of which those in sight are in the page. The whole is one stop of the Tab key: from row to row one goes by
 * arrows, Page Up and Down, Home and End. A row that leads somewhere is a link, so it opens in a new tab as links do.
 */
export function Grid<R extends RowData>(p: Props<R>) {
	const { count, at, onAt, rowAt } = p;
	const scroll = useRef<HTMLDivElement>(null);
	const body = useRef<HTMLTableSectionElement>(null);
	const wanted = useRef(false);
	const anchor = useRef(0); // from where rows are chosen with Shift
	const { choosing } = p;
	const list = useVirtualizer({
		count,
		getScrollElement: () => scroll.current,
		estimateSize: () => pitch,
		overscan: 10,
		scrollPaddingStart: pitch,
	});
	const items = list.getVirtualItems();
	useEffect(() => p.need?.(items));
	const shown = items.map((i) => ({ place: i, row: rowAt(i.index) }));
	const there = useSame(shown.flatMap((s) => (s.row === undefined ? [] : [s.row])));
	const table = useTable({ features, columns: p.columns, data: there, getRowId: p.keyOf });
	const rows = new Map(table.getRowModel().rows.map((r) => [r.original, r]));
	const widths = [...(choosing ? ["16px"] : []), ...p.columns.map((c) => c.meta.width)].join(" ");
	const go = (to: number, focus = true) => {
		const next = Math.min(count - 1, Math.max(0, to));
		if (next < 0) return;
		wanted.current = focus;
		onAt(next);
		list.scrollToIndex(next);
	};
	const acts = useRef<Acts>(null);
	useLayoutEffect(() => {
		acts.current = {
			at: onAt,
			follow: (place) => p.onFollow?.(place),
			choose: (place, on, far) => {
				choosing?.choose(far ? anchor.current : place, place, on);
				anchor.current = place;
			},
		};
	});
	const page = () => Math.max(1, Math.floor((scroll.current?.clientHeight ?? 400) / pitch) - 2);
	useImperativeHandle(p.handle, () => ({ go, page, scrollTop: () => scroll.current?.scrollTop ?? 0 }));
	// The row that was gone to takes the keyboard as soon as it is in the page.
	useLayoutEffect(() => {
		if (!wanted.current) return;
		const row = body.current?.querySelector<HTMLElement>(
			`[data-place="${at}"] [data-stop], [data-place="${at}"][data-stop]`,
		);
		if (!row) return;
		wanted.current = false;
		row.focus({ preventScroll: true });
	});
	const stands = count > 0;
	// biome-ignore lint/correctness/useExhaustiveDependencies: only when the rows come up, not whenever they are scrolled
	useLayoutEffect(() => {
		if (stands && scroll.current) scroll.current.scrollTop = p.top ?? 0;
	}, [stands]);
	const press = (e: React.KeyboardEvent) => {
		if (e.ctrlKey || e.metaKey || e.altKey) return;
		const steps: Record<string, number> = {
			ArrowDown: at + 1,
			ArrowUp: at - 1,
			PageDown: at + page(),
			PageUp: at - page(),
			Home: 0,
			End: count - 1,
		};
		if (choosing && e.key === " ") {
			e.preventDefault();
			const row = rowAt(at);
			if (row !== undefined) choosing.choose(at, at, !choosing.chosen(row));
			anchor.current = at;
			return;
		}
		if (!(e.key in steps)) return;
		e.preventDefault();
		e.stopPropagation();
		if (choosing && e.shiftKey) choosing.choose(anchor.current, Math.min(count - 1, Math.max(0, steps[e.key])), true);
		else anchor.current = Math.min(count - 1, Math.max(0, steps[e.key]));
		go(steps[e.key]);
	};
	return (
		<div ref={scroll} data-rows data-scrolls className="relative min-h-0 grow overflow-auto">
			<table
				// biome-ignore lint/a11y/noNoninteractiveElementToInteractiveRole: rows are gone through by arrows, which is what a grid is
				role="grid"
				aria-label={p.label}
				aria-rowcount={count + 1}
				aria-multiselectable={choosing ? true : undefined}
				className="block w-full"
				onKeyDown={press}
			>
				<thead className="sticky top-0 z-10 block border-b-[3px] border-[var(--beam)] bg-plaster">
					{table.getHeaderGroups().map((g) => (
						<tr
							key={g.id}
							className="grid h-[27px] items-center gap-x-4 px-2 text-[12px] text-quiet"
							style={{ gridTemplateColumns: widths }}
						>
							{choosing && (
								<th scope="col">
									<span className="sr-only">Chosen</span>
								</th>
							)}
							{g.headers.map((h) => {
								const meta = h.column.columnDef.meta as Meta<R>;
								return (
									<th
										key={h.id}
										scope="col"
										aria-sort={meta.sort}
										className={`min-w-0 truncate font-normal ${meta.numeric ? "text-right" : "text-left"}`}
									>
										{p.onHead ? (
											<button
												type="button"
												className={`truncate py-1 ${meta.sort ? "font-bold text-ink" : "text-quiet hover:text-ink"}`}
												onClick={() => p.onHead?.(h.column.id)}
											>
												<FlexRender header={h} />
												{meta.sort && (meta.sort === "descending" ? " ↓" : " ↑")}
											</button>
										) : (
											<FlexRender header={h} />
										)}
									</th>
								);
							})}
						</tr>
					))}
				</thead>
				<tbody ref={body} className="relative block" style={{ height: stands ? list.getTotalSize() : undefined }}>
					{!stands && (
						<tr className="block">
							<td className="block py-4 text-quiet" colSpan={p.columns.length}>
								{p.empty}
							</td>
						</tr>
					)}
					{shown.map(({ place, row }) => (
						<Row
							key={place.key}
							place={place.index}
							start={place.start}
							row={row !== undefined ? (rows.get(row) as RowProps["row"]) : undefined}
							columns={p.columns}
							widths={widths}
							choosing={!!choosing}
							path={row !== undefined ? p.to?.(row) : undefined}
							stands={!p.to}
							here={place.index === at}
							chosen={choosing && row !== undefined ? choosing.chosen(row) : undefined}
							name={choosing && row !== undefined ? choosing.name(row) : undefined}
							marks={row !== undefined ? p.marks?.(row) : undefined}
							acts={acts}
						/>
					))}
				</tbody>
			</table>
		</div>
	);
}

/** What can be done on a row, as it is now. */
type Acts = {
	at: (place: number) => void;
	follow: (place: number) => void;
	/** Chooses a row or no longer does; `far`, all the rows from the one chosen last. */
	choose: (place: number, on: boolean, far: boolean) => void;
};

type RowProps = {
	place: number;
	/** Where it begins, in CSS pixels. */
	start: number;
	/** What it shows; undefined until it has come. */
	row: TableRow<typeof features, RowData> | undefined;
	columns: readonly unknown[];
	widths: string;
	/** Rows can be chosen here. */
	choosing: boolean;
	path: string | undefined;
	/** It is stood on itself, and leads nowhere. */
	stands: boolean;
	here: boolean;
	/** Undefined where it cannot be chosen. */
	chosen: boolean | undefined;
	name: string | undefined;
	marks: Record<`data-${string}`, string | number | undefined> | undefined;
	acts: RefObject<Acts | null>;
};

/** One row, which is drawn anew only when it changes: while one types above them, rows stay as they are. */
const Row = memo(function Row({ place, row, here, path, acts, chosen, ...p }: RowProps) {
	const stop = { tabIndex: here ? 0 : -1, "data-stop": true };
	return (
		<tr
			aria-rowindex={place + 2}
			data-place={place}
			data-chosen={here || undefined}
			aria-selected={chosen}
			{...p.marks}
			{...(p.stands ? stop : undefined)}
			onClick={() => acts.current?.at(place)}
			onFocus={() => !here && acts.current?.at(place)}
			style={{ transform: `translateY(${p.start}px)`, gridTemplateColumns: p.widths }}
			className={`absolute inset-x-0 top-0 grid h-[32px] items-center gap-x-4 border-b border-hair px-2 hover:bg-sunk ${here ? "bg-sunk shadow-[inset_4px_0_0_var(--slate)]" : ""}`}
		>
			{p.choosing && (
				<td className="relative z-[1]">
					{chosen !== undefined && (
						<input
							type="checkbox"
							tabIndex={-1}
							aria-label={`Choose ${p.name}`}
							className="block"
							checked={chosen}
							onChange={() => {}}
							onClick={(e) => {
								e.stopPropagation();
								acts.current?.choose(place, !chosen, e.shiftKey);
							}}
						/>
					)}
				</td>
			)}
			{row === undefined ? (
				<td className="text-quiet">…</td>
			) : (
				row.getAllCells().map((c, i) => {
					const meta = c.column.columnDef.meta as Meta<RowData>;
					const inside = <FlexRender cell={c} />;
					return (
						<td
							key={c.id}
							title={meta.title?.(row.original)}
							className={`min-w-0 truncate ${meta.numeric ? "text-right" : ""} ${meta.look?.(row.original) ?? ""}`}
						>
							{i === 0 && path ? (
								// The link's own ground is the whole row.
								<Link
									to={path}
									{...stop}
									className="link after:absolute after:inset-0"
									onClick={() => acts.current?.follow(place)}
								>
									{inside}
								</Link>
							) : (
								inside
							)}
						</td>
					);
				})
			)}
		</tr>
	);
}, same);

/** Whether two sets of properties say the same; marks are looked into. */
function same(a: RowProps, b: RowProps): boolean {
	const { marks: one = {}, ...before } = a;
	const { marks: other = {}, ...after } = b;
	return alike(before, after) && alike(one, other);
}

function alike(a: object, b: object): boolean {
	const [one, other] = [Object.entries(a), new Map(Object.entries(b))];
	return (
		one.length === other.size && one.every(([name, value]) => other.has(name) && Object.is(other.get(name), value))
	);
}

/** The array of before, as long as it holds the same. */
function useSame<T>(list: T[]): T[] {
	const [kept, keep] = useState(list);
	if (kept.length === list.length && kept.every((one, i) => one === list[i])) return kept;
	keep(list);
	return list;
}

/** Finds rows of a grid by words; from it, the arrow down goes into the grid. */
export function FindRows({
	label,
	words,
	onWords,
	grid,
}: {
	label: string;
	words: string;
	onWords: (words: string) => void;
	grid: RefObject<GridHandle | null>;
}) {
	return (
		<input
			aria-label={label}
			className="field max-w-[170px]"
			placeholder="find …"
			value={words}
			onChange={(e) => onWords(e.target.value)}
			onKeyDown={(e) => {
				if (e.key !== "ArrowDown") return;
				e.preventDefault();
				grid.current?.go(0);
			}}
		/>
	);
}

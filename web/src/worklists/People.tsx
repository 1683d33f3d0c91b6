import { useRef } from "react";
import { Link } from "react-router";
import { useTo } from "../house/lens";
import { Counts } from "../parts/Counts";
import { type Column, FindRows, Grid, type GridHandle } from "../parts/Grid";
import { addressOf, count, number } from "../parts/words";
import { type Result, resultOf, results } from "./hooks";

export type Row = {
	user: { kind: string; id: string; name: string };
	outcomes: { result: string; said: string }[];
	gains: number;
	losses: number;
	notes: string[];
	result?: string;
	state?: string;
	title?: string;
	home?: string;
};

/** How an outcome is marked; whoever is left out is not told as refused. */
const markOf = (row: Row, o: Row["outcomes"][number]) => resultOf(row.result === "left" ? "left" : o.result);

/** People as courses of a wall, and what each step comes to for them as its bricks; under it, all of the one who is stood on. */
export function People({
	label,
	steps,
	counts,
	all,
	match,
	rowAt,
	need,
	at,
	onAt,
	result,
	onResult,
	words,
	onWords,
	empty,
	acts,
}: {
	label: string;
	/** The steps in words. */
	steps: string[];
	counts: Record<string, number>;
	all: number;
	match: number;
	rowAt: (i: number) => Row | undefined;
	need: (places: { index: number }[]) => void;
	at: number;
	onAt: (i: number) => void;
	result?: Result;
	onResult: (r: Result | undefined) => void;
	words: string;
	onWords: (words: string) => void;
	empty: string;
	/** What can be done with the one who is stood on. */
	acts?: (row: Row) => React.ReactNode;
}) {
	const grid = useRef<GridHandle>(null);
	const to = useTo();
	const here = rowAt(at);
	const columns: Column<Row>[] = [
		{
			id: "name",
			header: "Person",
			cell: ({ row: { original: r } }) => (
				<>
					<b className={r.result === "left" ? "font-normal text-quiet line-through" : ""}>{r.user.name}</b>
					{r.state && r.state !== "active" && <span className="ml-2 text-[11px] text-ochre">{r.state}</span>}
				</>
			),
			meta: { width: "minmax(150px,2fr)", title: (r) => [r.user.name, r.title, r.home].filter(Boolean).join(" · ") },
		},
		...steps.map(
			(s, i): Column<Row> => ({
				id: `step-${i}`,
				header: () => (
					<span title={s}>
						{i + 1} {s}
					</span>
				),
				cell: ({ row: { original: r } }) => {
					const o = r.outcomes[i];
					if (!o) return null;
					const { mark, tone } = markOf(r, o);
					return (
						<span data-outcome={o.result} className={tone}>
							{mark} {o.said}
						</span>
					);
				},
				meta: { width: "minmax(110px,3fr)", title: (r) => r.outcomes[i]?.said },
			}),
		),
		{
			id: "gains",
			header: "Gains",
			cell: ({ row: { original: r } }) => (r.gains ? <span className="text-moss">▲ {number(r.gains)}</span> : ""),
			meta: { width: "58px", numeric: true },
		},
		{
			id: "losses",
			header: "Loses",
			cell: ({ row: { original: r } }) => (r.losses ? <span className="text-ox">▼ {number(r.losses)}</span> : ""),
			meta: { width: "58px", numeric: true },
		},
		{
			id: "notes",
			header: () => <span className="sr-only">Notes</span>,
			cell: ({ row: { original: r } }) =>
				r.notes.length ? <span className="font-semibold text-ochre">! {r.notes.length}</span> : "",
			meta: { width: "30px", title: (r) => r.notes.join("\n") },
		},
	];
	return (
		<section aria-label={label} className="flex min-h-0 grow flex-col">
			<div className="mt-3 flex flex-wrap items-baseline gap-x-3 gap-y-1 pb-1">
				<Counts
					all={count(all, "person", "people")}
					kinds={results}
					counts={counts}
					at={result}
					onAt={onResult}
					data="data-result"
				/>
				<span className="grow" />
				<FindRows label="Find on the list" words={words} onWords={onWords} grid={grid} />
			</div>
			<Grid
				label={label}
				columns={columns}
				count={match}
				rowAt={rowAt}
				keyOf={(r) => r.user.id}
				marks={(r) => ({ "data-id": r.user.id })}
				at={at}
				onAt={onAt}
				need={need}
				handle={grid}
				empty={empty}
			/>
			{here && (
				<section
					aria-label="The person"
					className="max-h-[176px] shrink-0 overflow-auto border-t-[3px] border-[var(--beam)] py-2"
				>
					<p className="flex items-baseline gap-3">
						<Link className="link" to={to(addressOf("user", here.user.id) ?? "/people")}>
							{here.user.name}
						</Link>
						<span className="min-w-0 truncate text-quiet">
							{[here.title, here.home, here.state].filter(Boolean).join(" · ")}
						</span>
						<span className="grow" />
						{acts?.(here)}
					</p>
					<ol className="mt-1">
						{here.outcomes.map((o, i) => (
							// biome-ignore lint/suspicious/noArrayIndexKey: a step is its place
							<li key={i} className="flex gap-2">
								<span className="w-[16px] shrink-0 text-right text-quiet">{i + 1}</span>
								<span className={`w-[14px] shrink-0 ${markOf(here, o).tone}`}>{markOf(here, o).mark}</span>
								<span>{o.said}</span>
							</li>
						))}
						{here.notes.map((n) => (
							<li key={n} className="flex gap-2 text-ochre">
								<span className="w-[38px] shrink-0 text-right font-bold">!</span>
								<span>{n}</span>
							</li>
						))}
					</ol>
				</section>
			)}
		</section>
	);
}

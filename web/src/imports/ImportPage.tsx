import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useEffect, useState } from "react";
import { useSearchParams } from "react-router";
import type { Ask } from "../api/ask";
import { api, data, Refusal, type Schemas } from "../api/client";
import { design, useDrafting } from "../api/hooks";
import { useHouse } from "../house/context";
import { useSet } from "../house/lens";
import { Failed } from "../parts/loading";
import { useNotice } from "../parts/notice";
import { usePages } from "../parts/pages";
import { Rooms } from "../parts/tabs";
import { count } from "../parts/words";
import { ChooseFile } from "./ChooseFile";
import { Columns } from "./Columns";
import { Effect } from "./Effect";
import { HowRead } from "./HowRead";
import { Rows } from "./Rows";

const size = 100;

/** Brings a file in, on one page: the file, its columns, what each row would do, and the effect of all. */
export function ImportPage() {
	const [params] = useSearchParams();
	const set = useSet(false);
	const id = params.get("file");
	return (
		<div className="flex h-full flex-col px-[18px] pt-3">
			<div className="flex items-baseline gap-4">
				<Rooms />
			</div>
			{id ? (
				<Tried key={id} id={id} onClose={() => set({ file: null, verdict: null, words: null })} />
			) : (
				<ChooseFile onTaken={(file) => set({ file })} />
			)}
		</div>
	);
}

/** A file that is tried. Whatever is changed of it begins another trial. */
function Tried({ id, onClose }: { id: string; onClose: () => void }) {
	const [params] = useSearchParams();
	const set = useSet();
	const { setAside } = useHouse();
	const { refuse, tell } = useNotice();
	const [version, setVersion] = useState(0);
	const verdict = (params.get("verdict") ?? undefined) as Schemas["ImportRow"]["verdict"] | undefined;
	const [words, setWords] = useState("");
	const q = useDeferredValue(words.trim()) || undefined;
	const { first, stale, error, retry, rowAt, need } = usePages(
		(page) => ({
			queryKey: ["import", id, version, verdict, q, page],
			queryFn: (ask: Ask) =>
				data(
					ask.GET("/api/imports/{id}", {
						params: { path: { id }, query: { verdict, q, offset: page * size, limit: size } },
					}),
				),
		}),
		size,
	);
	// While it is tried, it is asked again; the server answers when there is something to tell.
	useEffect(() => {
		if (first?.state !== "working") return;
		const timer = setTimeout(() => retry(), 120);
		return () => clearTimeout(timer);
	}, [first, retry]);
	const [last, setLast] = useState<Schemas["Import"]>();
	useEffect(() => {
		if (first && first.state !== "working") setLast(first);
	}, [first]);
	const shown = first?.state === "working" ? last : first;
	useEffect(() => {
		if (shown?.state === "ready")
			setAside(
				`${count((shown.counts.create ?? 0) + (shown.counts.change ?? 0), "row", "rows")} would change something, ${shown.counts.error ?? 0} cannot`,
			);
		return () => setAside("");
	}, [setAside, shown]);
	const again = { onSuccess: () => setVersion((v) => v + 1), onError: refuse };
	const alter = useMutation({
		mutationFn: (body: Schemas["ImportHow"]) =>
			data(api.PATCH("/api/imports/{id}", { params: { path: { id } }, body })),
		...again,
	});
	const correct = useMutation({
		mutationFn: (body: { row: number; column: number; text: string; alike?: boolean }) =>
			data(api.PUT("/api/imports/{id}/cell", { params: { path: { id } }, body })),
		...again,
	});
	const close = () => {
		onClose();
		api.DELETE("/api/imports/{id}", { params: { path: { id } } });
	};
	const cache = useQueryClient();
	const uses = useMutation({
		mutationFn: () => data(api.POST("/api/imports/{id}/uses", { params: { path: { id } } })),
		onError: refuse,
		onSuccess: (n) => {
			cache.invalidateQueries({ queryKey: design });
			tell(
				`${count(n.noted, "last use is", "last uses are")} recorded. They are no part of the design, and shown at once.`,
			);
			close();
		},
	});
	const draft = useDrafting(() => data(api.POST("/api/imports/{id}/draft", { params: { path: { id } } })));
	if (error instanceof Refusal && error.status === 404)
		return (
			<p role="alert" className="py-4">
				{error.message}{" "}
				<button type="button" className="link" onClick={onClose}>
					Choose a file
				</button>
			</p>
		);
	if (error && !shown) return <Failed error={error} retry={() => retry()} />;
	const working = stale || first?.state === "working" || alter.isPending || correct.isPending;
	if (!shown)
		return (
			<div className="py-4" data-waiting>
				<p role="status">
					{first?.total
						? `Tried ${first.done.toLocaleString("en-GB")} of ${first.total.toLocaleString("en-GB")} rows …`
						: "Reading the file …"}
				</p>
				<progress
					className="my-2 block w-[400px]"
					max={first?.total || undefined}
					value={first?.total ? first.done : undefined}
				/>
				<button type="button" className="action" onClick={close}>
					Cancel
				</button>
			</div>
		);
	if (shown.state === "failed")
		return (
			<div className="max-w-[520px] py-4">
				<p role="alert" className="mb-3 border-l-8 border-ox bg-raised px-3 py-2">
					<b>{shown.name}</b> cannot be read. {shown.error}
				</p>
				<HowRead file={shown} onRead={(reading) => alter.mutate({ reading })} />
				<button type="button" className="action mt-3" onClick={close}>
					Another file
				</button>
			</div>
		);
	return (
		<div
			className="mt-2 grid min-h-0 grow grid-cols-[290px_minmax(0,1fr)_230px]"
			data-import={working ? undefined : "ready"}
			data-waiting={working ? true : undefined}
		>
			<div className="flex min-h-0 flex-col overflow-auto border-r-[3px] border-[var(--beam)] pr-[14px]">
				<HowRead
					file={shown}
					onRead={(reading) => alter.mutate({ reading })}
					onKind={(kind) => alter.mutate({ kind })}
					onDays={(days) => alter.mutate({ days })}
				>
					<button type="button" className="link" onClick={close}>
						Another file
					</button>
				</HowRead>
				<Columns file={shown} onColumns={(columns) => alter.mutate({ columns })} />
			</div>
			<Rows
				file={shown}
				verdict={verdict}
				words={words}
				busy={working}
				rowAt={rowAt}
				need={need}
				onVerdict={(v) => set({ verdict: v })}
				onWords={setWords}
				onCorrect={(row, column, text, alike) => correct.mutate({ row, column, text, alike })}
			/>
			<Effect
				file={shown}
				busy={working}
				drafting={draft.isPending || uses.isPending}
				onAlter={(how) => alter.mutate(how)}
				onDraft={() =>
					shown.kind === "last-use"
						? uses.mutate()
						: draft.mutate(undefined, {
								onError: refuse,
								onSuccess: () => {
									tell(`${shown.name} is in your draft. Open it below to see who gains and loses what, then apply.`);
									close();
								},
							})
				}
			/>
		</div>
	);
}

import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { draftCut, draftJoin, useDrafting, usePicture } from "../api/hooks";
import { useHouse } from "../house/context";
import { typing } from "../house/Keys";
import { useTo } from "../house/lens";
import { mayDraft } from "../house/rights";
import { JoinBoard } from "../parts/AssignBoard";
import { Failed } from "../parts/loading";
import { useNotice } from "../parts/notice";
import { addressOf, count } from "../parts/words";
import { Bay } from "./Bay";
import { Beams } from "./Beams";
import { bays, isAssignment, isSubject, type Kind, type Node, nameOf, nodeFrom, nodeOf, type Row, same } from "./node";
import { Plinth } from "./Plinth";
import { useDrag } from "./useDrag";

export type Cursor = { kind: Kind; index: number };

/** The face of the house: five bays between posts, and the beams that run through them. */
export function Frame() {
	const { me, setAside } = useHouse();
	const [params, setParams] = useSearchParams();
	const navigate = useNavigate();
	const { refuse } = useNotice();
	const to = useTo();
	const where = params.get("where") ?? undefined;
	const focus = useMemo(() => nodeOf(params.get("focus")), [params]);
	const second = useMemo(() => nodeOf(params.get("second")), [params]);
	const view = useMemo(
		() => ({ focus: focus && nameOf(focus), second: second && nameOf(second), where }),
		[focus, second, where],
	);
	const picture = usePicture(view);
	const [words, setWords] = useState<Record<string, string>>({});
	const [cursor, setCursor] = useState<Cursor>({ kind: "user", index: 0 });
	const [row, setRow] = useState<Row | undefined>();
	const [joining, setJoining] = useState<{ from: Node; to: Node; names: [string, string] } | null>(null);
	const frame = useRef<HTMLDivElement>(null);
	const drafting = mayDraft(me);
	const join = useDrafting(draftJoin);
	const cut = useDrafting(draftCut);

	const look = useCallback(
		(n: Node | undefined, other?: Node) =>
			setParams((p) => {
				const next = new URLSearchParams(p);
				if (n) next.set("focus", nameOf(n));
				else next.delete("focus");
				if (n && other && !same(n, other)) next.set("second", nameOf(other));
				else next.delete("second");
				return next;
			}),
		[setParams],
	);
	const onFocus = useCallback(
		(n: Node, asSecond: boolean) => (asSecond && focus ? look(focus, n) : look(n)),
		[focus, look],
	);

	const name = picture.data?.focus?.name;
	const counts = picture.data?.counts;
	useEffect(() => {
		if (!focus || !name || !counts) setAside("");
		else if (second)
			setAside(
				picture.data?.apart
					? "no path runs between the two"
					: `paths between ${name} and ${picture.data?.second?.name}`,
			);
		else {
			const parts = bays
				.filter((b) => b.kind !== focus.kind && counts[b.kind])
				.map((b) => count(counts[b.kind], b.one, b.many));
			setAside(`focus: ${name} · ${parts.join(", ") || "nothing is joined to it"}`);
		}
		return () => setAside("");
	}, [focus, second, name, counts, picture.data, setAside]);

	const startJoin = useCallback(
		(from: Node, to: Node, names: [string, string]) => {
			if (same(from, to)) return;
			if (isAssignment(from, to)) setJoining({ from, to, names });
			else join.mutate({ from, to }, { onError: refuse });
		},
		[join, refuse],
	);
	const startCut = useCallback(
		(from: Node, to: Node, assignment?: string) => cut.mutate({ from, to, assignment }, { onError: refuse }),
		[cut, refuse],
	);
	const open = useCallback(
		(n: Node) => {
			const path = addressOf(n.kind, n.id);
			if (path) navigate(to(path));
		},
		[navigate, to],
	);

	const joinTo = useCallback(
		(to: Node, toName: string) => focus && startJoin(focus, to, [name ?? focus.id, toName]),
		[focus, name, startJoin],
	);
	const cutFrom = useCallback((to: Node) => focus && startCut(focus, to), [focus, startCut]);

	const drag = useDrag(frame, drafting, startJoin);

	const move = (to: Partial<Cursor>) => setCursor((c) => ({ ...c, ...to }));
	const press = (e: React.KeyboardEvent) => {
		if (e.ctrlKey || e.metaKey || e.altKey || e.defaultPrevented) return;
		const at = bays.findIndex((b) => b.kind === cursor.kind);
		const inFilter = typing(e);
		const beside = (step: number) => {
			const bay = bays[Math.min(bays.length - 1, Math.max(0, at + step))];
			setCursor({ kind: bay.kind, index: 0 });
			document.getElementById(`bay-${bay.kind}`)?.focus();
		};
		if (e.key === "Escape") {
			if (drag) return;
			if (inFilter) document.getElementById(`bay-${cursor.kind}`)?.focus();
			else {
				// The address is ahead of what is drawn while a page is on its way: two quick strokes step back twice.
				const now = new URLSearchParams(window.location.search);
				if (now.has("second")) look(nodeOf(now.get("focus")));
				else if (now.has("focus")) look(undefined);
				else return;
			}
			e.preventDefault();
			return;
		}
		if (inFilter) {
			if (e.key === "ArrowDown" || e.key === "Enter") {
				e.preventDefault();
				move({ index: 0 });
				document.getElementById(`bay-${cursor.kind}`)?.focus();
			}
			return;
		}
		if (!(e.target instanceof HTMLElement) || !e.target.id.startsWith("bay-")) return;
		const acts: Record<string, () => void> = {
			ArrowLeft: () => beside(-1),
			ArrowRight: () => beside(1),
			"/": () => document.getElementById(`filter-${cursor.kind}`)?.focus(),
			Enter: () => row && onFocus(nodeFrom(row), e.shiftKey),
			o: () => row && open(nodeFrom(row)),
			j: () => drafting && row && focus && startJoin(focus, nodeFrom(row), [name ?? focus.id, row.name]),
			x: () => drafting && row && focus && startCut(focus, nodeFrom(row)),
		};
		const act = acts[e.key] ?? acts[e.key.toLowerCase()];
		if (act) {
			e.preventDefault();
			act();
		}
	};

	return (
		<div className="flex h-full flex-col">
			<h1 className="sr-only">Frame: who is joined to what</h1>
			{picture.error && !picture.data ? (
				<Failed error={picture.error} retry={() => picture.refetch()} />
			) : (
				<div data-frame className="min-h-0 grow">
					{/* biome-ignore lint/a11y/noStaticElementInteractions: keys pressed in any bay are heard here */}
					<div ref={frame} onKeyDown={press} className="relative h-full">
						<div className="absolute inset-0 grid grid-cols-5 gap-[44px] px-[18px] pt-[10px]">
							{bays.map((b) => (
								<Bay
									key={b.kind}
									bay={b}
									view={view}
									words={words[b.kind] ?? ""}
									onWords={(w) => setWords((all) => ({ ...all, [b.kind]: w }))}
									active={cursor.kind === b.kind}
									cursor={cursor.kind === b.kind ? cursor.index : 0}
									onCursor={(index) => setCursor({ kind: b.kind, index })}
									onRow={setRow}
									focus={focus}
									second={second}
									beams={picture.data?.beams}
									onFocus={onFocus}
									onOpen={open}
									onJoin={drafting ? joinTo : undefined}
									onCut={drafting ? cutFrom : undefined}
								/>
							))}
						</div>
						<Beams frame={frame} picture={picture.data} cursor={row} drag={drag} />
					</div>
				</div>
			)}
			<Plinth
				picture={picture.data}
				row={row}
				drafting={drafting}
				onClear={() => look(undefined)}
				onOpen={open}
				onJoin={joinTo}
				onCut={startCut}
			/>
			{joining && (
				<JoinBoard
					subject={joining.names[isSubject(joining.from) ? 0 : 1]}
					target={joining.names[isSubject(joining.from) ? 1 : 0]}
					where={where}
					busy={join.isPending}
					onClose={() => setJoining(null)}
					onJoin={(terms) =>
						join.mutate(
							{ from: joining.from, to: joining.to, terms },
							{ onError: refuse, onSuccess: () => setJoining(null) },
						)
					}
				/>
			)}
		</div>
	);
}

import { useVirtualizer } from "@tanstack/react-virtual";
import { useCallback, useEffect, useId, useRef, useState } from "react";
import type { Schemas } from "../api/client";
import { itemsAtOnce, itemsQuery, useNextItem } from "../api/hooks";
import { useHouse } from "../house/context";
import { typing, typingIn } from "../house/Keys";
import { useWhere } from "../house/lens";
import { acting } from "../house/rights";
import { Failed, Waiting } from "../parts/loading";
import { useNotice } from "../parts/notice";
import { usePages } from "../parts/pages";
import { day, Named } from "../parts/words";
import { type Decision, marks, useDecide } from "./decide";
import { HandBoard } from "./HandBoard";
import { ItemEvidence } from "./ItemEvidence";

/** The height of an item in the list, in CSS pixels. */
const pitch = 48;

/** A reviewer's desk: the items on the left, the one to decide on the right, with its evidence and what would really go away. */
export function ReviewDesk({ detail, paused }: { detail: Schemas["ReviewDetail"]; paused: boolean }) {
	const { review: r } = detail;
	const { me } = useHouse();
	const where = useWhere();
	const [chosen, setChosen] = useState<number | null>(null);
	const [handing, setHanding] = useState(false);
	const [reason, setReason] = useState("");
	const [wanting, setWanting] = useState(false);
	const [onward, setOnward] = useState(false); // to the next undecided one, as soon as it is known which that is
	const reasonId = useId();
	const decide = useDecide();
	const { tell } = useNotice();
	const root = useRef<HTMLDivElement>(null);
	const { first, error, retry, rowAt, need } = usePages(
		(page) => itemsQuery(r.id, where, undefined, page),
		itemsAtOnce,
	);
	const total = first?.total ?? 0;
	const at = Math.max(0, Math.min(total - 1, chosen ?? first?.first ?? 0));
	const next = useNextItem(r.id, where, at);
	const item: Schemas["ReviewItem"] | undefined = rowAt(at);
	const mine = !!item?.mine && !r.closed && acting(me);
	const scroll = useRef<HTMLDivElement>(null);
	const list = useVirtualizer({
		count: total,
		getScrollElement: () => scroll.current,
		estimateSize: () => pitch,
		overscan: 10,
	});
	const shown = list.getVirtualItems();
	// biome-ignore lint/correctness/useExhaustiveDependencies: once, when the items have come
	useEffect(() => {
		if (total > 0) list.scrollToIndex(at, { align: "auto" });
	}, [total > 0]);
	useEffect(() => need([...shown, { index: at }])); // the item that is stood on, too, wherever the list is scrolled to
	const go = useCallback(
		(to: number) => {
			const place = Math.min(total - 1, Math.max(0, to));
			if (place < 0) return;
			setChosen(place);
			setWanting(false);
			setOnward(false);
			list.scrollToIndex(place);
		},
		[total, list],
	);
	const say = useCallback(
		(decision: Decision) => {
			const back = item?.stage === 1 && item.handedBy?.id === me.user.id && !item.decision && decision === "";
			if (!item || !(mine || back)) return;
			if (decision && item.decision && decision !== item.decision) {
				tell(`This is ${marks[item.decision].text.slice(2)} already. Take that back first: U.`);
				return;
			}
			if (decision === "revoke" && reason.trim() === "") {
				setWanting(true);
				document.getElementById(reasonId)?.focus();
				return;
			}
			decide.mutate({ items: [item.id], decision, reason: decision === "revoke" ? reason : undefined });
			setReason("");
			setWanting(false);
			if (typingIn(document.activeElement)) root.current?.focus(); // the keys decide again
			setChosen(at);
			if (decision) {
				let to = at + 1; // what is here already need not be waited for
				for (let i = rowAt(to); i && !(i.mine && !i.decision); i = rowAt(to)) to++;
				if (rowAt(to)) go(to);
				else setOnward(true);
			}
		},
		[item, mine, me.user.id, decide, reason, reasonId, rowAt, at, go, tell],
	);
	useEffect(() => {
		if (!onward || next === undefined) return;
		setOnward(false);
		if (next >= 0) go(next);
	}, [onward, next, go]);
	const stopped = paused || handing;
	// Single letters act only while the desk has the focus (WCAG 2.1.4), which it takes as it opens.
	const press = (e: React.KeyboardEvent) => {
		if (typing(e.nativeEvent) || e.ctrlKey || e.metaKey || e.altKey || stopped) return;
		const acts: Record<string, () => void> = {
			ArrowDown: () => go(at + 1),
			ArrowUp: () => go(at - 1),
			k: () => say("keep"),
			r: () => say("revoke"),
			h: () => mine && setHanding(true),
			u: () => say(""),
		};
		const act = acts[e.key] ?? acts[e.key.toLowerCase()];
		if (act) {
			e.preventDefault();
			act();
		}
	};
	// biome-ignore lint/correctness/useExhaustiveDependencies: as the items come, and once what lay over it is closed
	useEffect(() => {
		if (!stopped && !typingIn(document.activeElement)) root.current?.focus();
	}, [total > 0, stopped]);
	if (error && !first) return <Failed error={error} retry={retry} />;
	if (!first) return <Waiting />;
	if (total === 0) return <p className="p-6 text-quiet">There are no items here for you.</p>;
	return (
		// biome-ignore lint/a11y/noStaticElementInteractions: what is in it are buttons and fields; the keys are theirs too
		<div
			ref={root}
			tabIndex={-1}
			onKeyDown={press}
			className="grid min-h-0 grow grid-cols-[320px_minmax(0,1fr)] outline-none"
		>
			<div ref={scroll} data-scrolls className="min-h-0 overflow-auto border-r-[3px] border-[var(--beam)]">
				<ul aria-label="Items" className="relative" style={{ height: list.getTotalSize() }}>
					{shown.map((v) => (
						<li
							key={v.key}
							aria-setsize={total}
							aria-posinset={v.index + 1}
							className="absolute inset-x-0 top-0"
							style={{ height: pitch, transform: `translateY(${v.start}px)` }}
						>
							<Line item={rowAt(v.index)} here={v.index === at} onGo={() => go(v.index)} />
						</li>
					))}
				</ul>
			</div>
			{item ? (
				<section aria-label="The item" className="flex min-h-0 flex-col">
					<div className="min-h-0 grow overflow-auto px-[28px] py-3">
						{r.mine > 0 && r.waiting === 0 && !r.closed && (
							<p role="status" className="mb-2 border-l-8 border-moss bg-raised px-3 py-2">
								<b className="text-moss">✓ All {r.mine} decided, thank you.</b> What you decided is carried out as the
								review closes, which is due on {day(r.due)}. Until then each decision can be taken back.
							</p>
						)}
						<div aria-live="polite">
							<p className="text-quiet">
								Item {at + 1} of {total}
							</p>
							<h2 className="mt-1 text-[20px]">
								<Question parts={item.question} />
							</h2>
						</div>
						<p className="text-quiet">
							{item.note && `${item.note} · `}
							<Named of={{ ...item.subject, name: item.subject.kind === "user" ? "their sheet" : "its sheet" }} />
							{item.handedBy && (
								<>
									{" · handed on by "}
									{item.handedBy.name}
									{item.handNote && `: “${item.handNote}”`}
								</>
							)}
						</p>
						<ItemEvidence key={item.id} item={item} />
					</div>
					<div className="shrink-0 border-t-[3px] border-[var(--beam)] px-[28px] py-2">
						{mine ? (
							<div className="flex items-end gap-3">
								<label htmlFor={reasonId} className="min-w-0 grow">
									<span className={`text-[12px] ${wanting ? "font-bold text-ox" : "text-quiet"}`}>
										Reason, if you revoke{wanting && ": say why, then press Enter"}
									</span>
									<input
										id={reasonId}
										className={`field ${wanting ? "!border-ox" : ""}`}
										maxLength={1000}
										value={reason}
										onChange={(e) => setReason(e.target.value)}
										onKeyDown={(e) => {
											if (e.key === "Enter" && reason.trim()) say("revoke");
											if (e.key === "Escape") e.currentTarget.blur();
										}}
										placeholder={item.reason || ""}
									/>
								</label>
								<button type="button" className="action main" onClick={() => say("keep")}>
									Keep <kbd>K</kbd>
								</button>
								<button type="button" className="action danger" onClick={() => say("revoke")}>
									Revoke <kbd>R</kbd>
								</button>
								<button type="button" className="action" onClick={() => setHanding(true)}>
									Hand on <kbd>H</kbd>
								</button>
								{item.decision && (
									<button type="button" className="action" onClick={() => say("")}>
										Take back <kbd>U</kbd>
									</button>
								)}
								<span className={`self-center font-semibold ${marks[item.decision].look}`}>
									{marks[item.decision].text}
								</span>
							</div>
						) : item.stage === 1 && item.handedBy?.id === me.user.id && !item.decision && !r.closed ? (
							<p className="flex items-center gap-3 py-1 text-quiet">
								<span className="grow">
									<b className="text-moss">✓ You would keep it.</b> {item.reviewer.name} decides once more.
								</span>
								<button type="button" className="action" onClick={() => say("")}>
									Take back <kbd>U</kbd>
								</button>
							</p>
						) : (
							<p className="py-1 text-quiet">
								{item.decision ? (
									<>
										<b className={marks[item.decision].look}>{marks[item.decision].text}</b>
										{item.by ? ` by ${item.by.name}` : " by fate: nobody decided"}
										{item.reason && ` — “${item.reason}”`}
									</>
								) : r.closed ? (
									"Nobody decided, and it stayed."
								) : (
									`${item.reviewer.name} decides.`
								)}
							</p>
						)}
					</div>
				</section>
			) : (
				<Waiting />
			)}
			{handing && item && <HandBoard item={item} onClose={() => setHanding(false)} onHanded={() => setChosen(null)} />}
		</div>
	);
}

/** What an item asks, its names standing out. */
function Question({ parts }: { parts: Schemas["Phrase"][] }) {
	return parts.map((p) =>
		p.kind === "filter" ? (
			<span key={p.text} className="font-mono text-[0.8em]">
				{p.text}
			</span>
		) : p.kind ? (
			<b key={p.kind + p.id}>{p.text}</b>
		) : (
			p.text
		),
	);
}

/** An item in the list; empty until it has come. */
function Line({ item: i, here, onGo }: { item?: Schemas["ReviewItem"]; here: boolean; onGo: () => void }) {
	if (!i) return <span className="block px-[18px] py-1.5 text-quiet">…</span>;
	return (
		<button
			type="button"
			aria-current={here}
			onClick={onGo}
			className={`flex h-full w-full items-center gap-3 border-b border-hair px-[18px] text-left ${here ? "bg-slate text-on-slate" : "hover:bg-sunk"}`}
		>
			<span className="min-w-0 grow">
				<span className="block truncate font-semibold">
					{i.subject.name}
					{(i.evidence?.doubts.length ?? 0) > 0 && (
						<span className={here ? "" : "text-ochre"} title={i.evidence?.doubts.join("; ")}>
							{" "}
							!
						</span>
					)}
				</span>
				<span className={`narrow block truncate text-[11.5px] ${here ? "text-on-slate-quiet" : "text-quiet"}`}>
					{[i.subject.kind === "user" && i.note, i.keeps].filter(Boolean).join(" · ")}
					{!i.mine && ` · for ${i.reviewer.name}`}
				</span>
			</span>
			<span className={`shrink-0 text-[12px] font-semibold ${here ? "" : marks[i.decision].look}`}>
				{marks[i.decision].text}
			</span>
		</button>
	);
}

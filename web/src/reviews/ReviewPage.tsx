import { useMutation } from "@tanstack/react-query";
import { useCallback, useEffect, useId, useRef, useState } from "react";
import { useParams } from "react-router";
import { api, data, type Schemas } from "../api/client";
import { useRefresh, useReview } from "../api/hooks";
import { useHouse } from "../house/context";
import { typing } from "../house/Keys";
import { may } from "../house/rights";
import { Board } from "../parts/dialog";
import { Loaded } from "../parts/loading";
import { useNotice } from "../parts/notice";
import { count, day, extent, Name, riskWords, Sentence } from "../parts/words";
import { Progress } from "./Reviews";

export function ReviewPage() {
	const { id = "" } = useParams();
	const review = useReview(Number(id));
	return <Loaded query={review}>{(d) => <Desk detail={d} />}</Loaded>;
}

const marks: Record<string, { text: string; look: string }> = {
	keep: { text: "✓ kept", look: "text-moss" },
	revoke: { text: "✕ revoked", look: "text-ox" },
	"": { text: "undecided", look: "text-quiet" },
};

/** A reviewer's desk: the items on the left, the one to decide on the right, with what would really go away. */
function Desk({ detail }: { detail: Schemas["ReviewDetail"] }) {
	const { review: r, items } = detail;
	const { me, setAside } = useHouse();
	const refresh = useRefresh();
	const { tell, refuse } = useNotice();
	const [chosen, setChosen] = useState<number | null>(null);
	const [closing, setClosing] = useState(false);
	const [reason, setReason] = useState("");
	const reasonId = useId();
	const list = useRef<HTMLUListElement>(null);
	const first = items.find((i) => i.mine && !i.decision) ?? items.find((i) => i.mine) ?? items[0];
	const at = Math.max(
		0,
		items.findIndex((i) => i.id === (chosen ?? first?.id)),
	);
	const item: Schemas["ReviewItem"] | undefined = items[at];
	useEffect(() => {
		setAside(`${count(r.items, "item", "items")}, ${r.kept} kept, ${r.revoked} revoked`);
		return () => setAside("");
	}, [setAside, r]);

	const decide = useMutation({
		mutationFn: (d: { id: number; decision: Schemas["DecideInputBody"]["decision"]; reason?: string }) =>
			data(api.PUT("/api/review-items/{id}", { params: { path: { id: d.id } }, body: { decision: d.decision, reason: d.reason } })),
		onSuccess: refresh,
		onError: refuse,
	});
	const close = useMutation({
		mutationFn: () => data(api.POST("/api/reviews/{id}/close", { params: { path: { id: r.id } } })),
		onSuccess: async (done) => {
			setClosing(false);
			await refresh();
			tell(
				done.revision ? `The review is closed. Revision ${done.revision} takes away what was revoked.` : "The review is closed. Nothing was revoked.",
			);
		},
		onError: (e) => {
			setClosing(false);
			refuse(e);
		},
	});

	const go = useCallback(
		(to: number) => {
			const next = items[Math.min(items.length - 1, Math.max(0, to))];
			if (next) setChosen(next.id);
			list.current?.children[Math.min(items.length - 1, Math.max(0, to))]?.scrollIntoView({ block: "nearest" });
		},
		[items],
	);
	const say = useCallback(
		(decision: Schemas["DecideInputBody"]["decision"]) => {
			if (!item?.mine || r.closed) return;
			decide.mutate({ id: item.id, decision, reason: decision === "revoke" ? reason : undefined });
			setReason("");
			if (decision) {
				const open = (i: Schemas["ReviewItem"], n: number) => n !== at && i.mine && !i.decision;
				const later = items.findIndex((i, n) => n > at && open(i, n));
				const next = later >= 0 ? later : items.findIndex(open);
				if (next >= 0) go(next);
			}
		},
		[item, r.closed, decide, reason, items, at, go],
	);
	useEffect(() => {
		const press = (e: KeyboardEvent) => {
			if (typing(e) || e.ctrlKey || e.metaKey || e.altKey || closing) return;
			const acts: Record<string, () => void> = {
				ArrowDown: () => go(at + 1),
				ArrowUp: () => go(at - 1),
				k: () => say("keep"),
				r: () => say("revoke"),
				u: () => say(""),
			};
			const act = acts[e.key] ?? acts[e.key.toLowerCase()];
			if (act) {
				e.preventDefault();
				act();
			}
		};
		window.addEventListener("keydown", press);
		return () => window.removeEventListener("keydown", press);
	}, [go, say, at, closing]);

	return (
		<div className="flex h-full flex-col">
			<header className="flex shrink-0 items-center gap-6 border-b border-hair px-[18px] py-2">
				<div className="min-w-0 grow">
					<h1 className="truncate text-[20px] font-bold">{r.name}</h1>
					<p className="text-[12px] text-quiet">
						Should these people keep the role {r.role.name}? {r.closed ? `Closed ${day(r.closed)}.` : `Due ${day(r.due)}.`}
					</p>
				</div>
				<div className="w-[220px]">
					<Progress review={r} />
					<p className="text-[12px] text-quiet">
						{r.kept} kept · {r.revoked} revoked · {r.items - r.kept - r.revoked} undecided
					</p>
				</div>
				{detail.mayRun && !r.closed && (
					<button type="button" className="action main" onClick={() => setClosing(true)}>
						Close the review …
					</button>
				)}
			</header>
			<div className="grid min-h-0 grow grid-cols-[360px_minmax(0,1fr)]">
				<ul ref={list} aria-label="Items" className="min-h-0 overflow-auto border-r-[3px] border-[var(--beam)]">
					{items.map((i, n) => (
						<li key={i.id}>
							<button
								type="button"
								aria-current={n === at}
								onClick={() => setChosen(i.id)}
								className={`flex w-full items-baseline gap-3 border-b border-hair px-[18px] py-1.5 text-left ${n === at ? "bg-slate text-on-slate" : "hover:bg-sunk"}`}
							>
								<span className="min-w-0 grow">
									<span className="block truncate font-semibold">{i.user.name}</span>
									<span className={`narrow block truncate text-[11.5px] ${n === at ? "text-on-slate-quiet" : "text-quiet"}`}>
										{i.note}
										{!i.mine && ` · for ${i.reviewer.name}`}
									</span>
								</span>
								<span className={`shrink-0 text-[12px] font-semibold ${n === at ? "" : marks[i.decision].look}`}>{marks[i.decision].text}</span>
							</button>
						</li>
					))}
				</ul>
				{item ? (
					<section aria-label="The item" className="min-h-0 overflow-auto px-[28px] py-4">
						<p className="text-quiet">
							Item {at + 1} of {items.length}
						</p>
						<h2 className="mt-1 text-[20px]">
							Should <b>{item.user.name}</b> keep <b>{r.role.name}</b>?
						</h2>
						<p className="text-quiet">
							{item.note}{" "}
							{may(me, "design:view") && (
								<Name kind="user" id={item.user.id}>
									open the sheet
								</Name>
							)}
						</p>
						<div className="mt-4 grid grid-cols-2 gap-6">
							<div>
								<h3 className="border-b-[3px] border-[var(--beam)] font-bold">How it is held</h3>
								{item.direct.map((t) => (
									<p key={t.id} className="border-b border-hair py-1.5">
										<b>By hand</b>, {t.note}
										{t.reason && <span className="text-quiet"> — “{t.reason}”</span>}
									</p>
								))}
								{item.groups.map((g) => (
									<p key={g.id} className="border-b border-hair py-1.5">
										By the group <b>{g.name}</b> <span className="text-quiet">— this stays: it is for the group’s owner</span>
									</p>
								))}
								{item.direct.length + item.groups.length === 0 && <p className="py-1.5 text-quiet">It is not held any longer.</p>}
							</div>
							<div>
								<h3 className="border-b-[3px] border-[var(--beam)] font-bold">What really goes away if it is revoked</h3>
								{item.loses.length === 0 && (
									<p className="py-1.5 text-quiet">
										{item.direct.length === 0
											? "Nothing by this decision alone: a group gives it."
											: "Nothing: all of it is held by another way too."}
									</p>
								)}
								{item.loses.map((h) => (
									<p key={`${h.permission}${h.area.id}${h.reach}`} className="flex items-baseline gap-2 border-b border-hair py-1">
										<span className="narrow truncate font-mono text-[12px]">{h.permission}</span>
										<span className="narrow shrink-0 text-[12px] text-quiet">{extent(h)}</span>
										{h.risk > 0 && (
											<span className={`shrink-0 text-[12px] font-semibold ${h.risk === 3 ? "text-ox" : "text-ochre"}`}>{riskWords[h.risk]}</span>
										)}
									</p>
								))}
							</div>
						</div>
						{item.mine && !r.closed ? (
							<div className="mt-6">
								<label htmlFor={reasonId} className="block max-w-[520px]">
									<span className="text-[12px] text-quiet">Reason, if you revoke</span>
									<input
										id={reasonId}
										className="field"
										maxLength={1000}
										value={reason}
										onChange={(e) => setReason(e.target.value)}
										placeholder={item.reason || ""}
									/>
								</label>
								<div className="mt-3 flex gap-3">
									<button type="button" className="action main" onClick={() => say("keep")}>
										Keep <kbd>K</kbd>
									</button>
									<button type="button" className="action danger" onClick={() => say("revoke")}>
										Revoke <kbd>R</kbd>
									</button>
									{item.decision && (
										<button type="button" className="action" onClick={() => say("")}>
											Take back <kbd>U</kbd>
										</button>
									)}
									<span className={`self-center font-semibold ${marks[item.decision].look}`}>{marks[item.decision].text}</span>
								</div>
							</div>
						) : (
							<p className="mt-6 text-quiet">
								{item.decision ? (
									<>
										<b className={marks[item.decision].look}>{marks[item.decision].text}</b>
										{item.by && ` by ${item.by.name}`}
										{item.reason && ` — “${item.reason}”`}
									</>
								) : r.closed ? (
									"It was left undecided, and stayed."
								) : (
									`${item.reviewer.name} decides.`
								)}
							</p>
						)}
					</section>
				) : (
					<p className="p-6 text-quiet">There are no items here for you.</p>
				)}
			</div>
			<Board
				open={closing}
				onClose={() => setClosing(false)}
				title="Close the review"
				about="Closing makes one revision of what was revoked and was given by hand. It can be undone in the history."
			>
				{r.items - r.kept - r.revoked > 0 && (
					<p className="mb-3 font-semibold text-ochre">
						{count(r.items - r.kept - r.revoked, "item is", "items are")} undecided and will stay as they are.
					</p>
				)}
				{detail.outcome.length === 0 ? (
					<p>Nothing goes away.</p>
				) : (
					<ul className="max-h-[36vh] overflow-auto">
						{detail.outcome.map((s) => (
							<li key={s.map((p) => p.text).join("")} className="border-b border-hair py-1.5">
								<Sentence parts={s} />
							</li>
						))}
					</ul>
				)}
				<div className="mt-4 flex justify-end gap-3">
					<button type="button" className="action" onClick={() => setClosing(false)}>
						Not yet
					</button>
					<button type="button" className="action main" disabled={close.isPending} onClick={() => close.mutate()}>
						Close it{detail.outcome.length > 0 && ` and revoke ${detail.outcome.length}`}
					</button>
				</div>
			</Board>
		</div>
	);
}

import { useMutation } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useNavigate, useParams } from "react-router";
import { api, data } from "../api/client";
import { useDrafting, useRefresh } from "../api/hooks";
import { useTo } from "../house/lens";
import { Failed, Waiting } from "../parts/loading";
import { useNotice } from "../parts/notice";
import { count, number } from "../parts/words";
import { Gather } from "./Gather";
import { alterWorklist, useListing } from "./hooks";
import { People } from "./People";
import { Steps } from "./Steps";
import { useRows } from "./useRows";
import { ThrowAway } from "./Worklists";

/** A worklist: whom it gathers, what is done to them, and for each what will happen. */
export function WorklistPage() {
	const { id = "" } = useParams();
	const to = useTo();
	const navigate = useNavigate();
	const refresh = useRefresh();
	const { tell, refuse } = useNotice();
	const [throwing, setThrowing] = useState(false);
	const alter = useListing(alterWorklist);
	const { first, error, retry, rows } = useRows(["worklist", id], (ask, query) =>
		data(ask.GET("/api/worklists/{id}", { params: { path: { id }, query } })),
	);
	const working = first?.state === "working";
	// While it is tried, it is asked again; the server answers when there is something to tell.
	useEffect(() => {
		if (first?.state !== "working") return;
		const timer = setTimeout(() => retry(), 150);
		return () => clearTimeout(timer);
	}, [first, retry]);
	const draft = useDrafting(() => data(api.POST("/api/worklists/{id}/draft", { params: { path: { id } } })));
	const carry = useMutation({
		mutationFn: () => data(api.POST("/api/worklists/{id}/carry-out", { params: { path: { id } } })),
		onError: refuse,
		onSuccess: async (run) => {
			await refresh();
			navigate(to(`/worklists/log/${run.id}`));
		},
	});
	if (error && !first) return <Failed error={error} retry={() => retry()} />;
	if (!first) return <Waiting />;
	const ready = first.state === "ready" && !first.stop;
	return (
		<div className="flex h-full flex-col px-[18px] pt-2" data-worklist={working ? undefined : "ready"}>
			<header className="flex flex-wrap items-baseline gap-x-4 gap-y-1 border-b border-hair pb-2">
				<span className="text-[12px] text-quiet">Worklist</span>
				<Title key={first.name} name={first.name} onName={(name) => alter.mutate({ id, body: { name } })} />
				<span className="text-quiet" role="status" data-waiting={working ? true : undefined}>
					{working
						? `trying: ${number(first.done)} of ${number(first.size)} …`
						: first.state === "failed"
							? "This cannot be tried: something unforeseen went wrong. The server’s log says more."
							: ready && first.steps.length > 0 && first.size > 0 && !first.changes && first.after === 0
								? "All of it is so already, in your draft, or not possible."
								: ready && first.steps.length > 0
									? `${count(first.gaining, "person gains", "people gain")}, ${number(first.losing)} lose`
									: ""}
				</span>
				{first.stop && first.steps.length > 0 && (
					<span role="alert" className="font-semibold text-ox">
						✕ {first.stop}
					</span>
				)}
				<span className="grow" />
				<button type="button" className="link" onClick={() => setThrowing(true)}>
					Delete the list
				</button>
				{ready && !first.changes && first.after > 0 ? (
					<button type="button" className="action main" disabled={carry.isPending} onClick={() => carry.mutate()}>
						Do it now: {count(first.after, "act", "acts")}
					</button>
				) : (
					<button
						type="button"
						className="action main"
						disabled={!ready || !first.changes || draft.isPending}
						onClick={() =>
							draft.mutate(undefined, {
								onError: refuse,
								onSuccess: () =>
									tell(
										`What the list does is in your draft, as one act. Open it below to see who gains and loses what, then apply.`,
									),
							})
						}
					>
						{draft.isPending ? "One moment …" : "Put into the draft"}
					</button>
				)}
			</header>
			<div className="grid min-h-0 grow grid-cols-[272px_minmax(0,1fr)] pt-2 max-[900px]:grid-cols-1 max-[900px]:overflow-auto">
				<div className="flex min-h-0 flex-col border-r-[3px] border-[var(--beam)] max-[900px]:border-r-0">
					<Gather list={first} />
				</div>
				<div className="flex min-h-0 flex-col pl-[14px] max-[900px]:pl-0">
					<Steps list={first} />
					<People
						label="People on the list"
						steps={first.steps.map((s) => s.said)}
						counts={first.counts}
						all={first.size}
						{...rows}
						empty={
							first.size === 0
								? "Nobody is on the list yet: gather people at the left."
								: "Nobody on the list is of this kind."
						}
						acts={(r) => (
							<>
								<button
									type="button"
									className="link"
									onClick={() =>
										alter.mutate({ id, body: r.result === "left" ? { include: [r.user.id] } : { leave: [r.user.id] } })
									}
								>
									{r.result === "left" ? "Take in again" : "Leave out of the steps"}
								</button>
								<button
									type="button"
									className="link"
									title="Only takes the person off this list; nobody is changed by it"
									onClick={() => alter.mutate({ id, body: { off: [r.user.id] } })}
								>
									Off the list
								</button>
							</>
						)}
					/>
				</div>
			</div>
			{throwing && (
				<ThrowAway of={first} onClose={() => setThrowing(false)} onDone={() => navigate(to("/worklists"))} />
			)}
		</div>
	);
}

/** The name of the list, which is typed over. */
function Title({ name, onName }: { name: string; onName: (name: string) => void }) {
	const [text, setText] = useState(name);
	const keep = () => {
		if (text.trim() && text.trim() !== name) onName(text.trim());
		else setText(name);
	};
	return (
		<h1 className="min-w-0">
			<input
				aria-label="Name of the list"
				className="w-[320px] max-w-full truncate border-b border-transparent bg-transparent text-[22px] font-bold hover:border-hair focus:border-slate"
				maxLength={200}
				value={text}
				onChange={(e) => setText(e.target.value)}
				onBlur={keep}
				onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
			/>
		</h1>
	);
}

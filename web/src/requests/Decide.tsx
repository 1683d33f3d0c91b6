import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { type Ask, useAsk } from "../api/ask";
import { api, data, Refusal, type Schemas } from "../api/client";
import { design, useDrafting, useRefresh } from "../api/hooks";
import { useHouse } from "../house/context";
import { ProveBoard, proofNeeded } from "../house/ProveBoard";
import { acting } from "../house/rights";
import { useTerms } from "../parts/AssignBoard";
import { TextField } from "../parts/fields";
import { alike, GroupImpact } from "../parts/impact";
import { Few } from "../parts/More";
import { useNotice } from "../parts/notice";
import { count, Named, NamedAll } from "../parts/words";
import { useRequestsChanged } from "./hooks";

type Request = Schemas["Request"];

/** What can be done about a request that is open: by whoever asked, by whoever owns what is asked for, and by whoever could grant it. */
export function Decide({
	request: r,
	refusing,
	onRefusing,
}: {
	request: Request;
	refusing: boolean;
	onRefusing: (on: boolean) => void;
}) {
	const { me } = useHouse();
	const { tell, refuse } = useNotice();
	const changed = useRequestsChanged();
	const [words, setWords] = useState("");
	const say = useMutation({
		mutationFn: (does: "withdraw" | "refuse" | "agree") =>
			data(
				api.POST("/api/requests/{id}/answer", {
					params: { path: { id: r.id } },
					body: { does, words: words || undefined },
				}),
			),
		onSuccess: async (_, does) => {
			await changed();
			tell(
				does === "agree"
					? "Your agreement is noted on the request."
					: does === "refuse"
						? `It is refused, and ${r.asker.name} is told why.`
						: "Your request is withdrawn.",
			);
		},
		onError: refuse,
	});
	if (!acting(me)) return null;
	if (r.mine)
		return (
			<p className="mt-4">
				<button type="button" className="action" disabled={say.isPending} onClick={() => say.mutate("withdraw")}>
					Withdraw it
				</button>
			</p>
		);
	if (refusing)
		return (
			<form
				className="mt-4 max-w-[560px]"
				onSubmit={(e) => {
					e.preventDefault();
					say.mutate("refuse");
				}}
			>
				<TextField
					label={`Why not? ${r.asker.name} is told it.`}
					required
					lines={2}
					max={1000}
					value={words}
					onChange={setWords}
					autoFocus
				/>
				<p className="flex gap-3">
					<button type="submit" className="action danger" disabled={say.isPending || !words.trim()}>
						Refuse it
					</button>
					<button type="button" className="action" onClick={() => onRefusing(false)}>
						Back
					</button>
				</p>
			</form>
		);
	return (
		<>
			{r.may && <Granting request={r} onRefuse={() => onRefusing(true)} />}
			{!r.may && r.owner && (
				<>
					<p className="mt-4 max-w-[560px]">
						You own what is asked for. You cannot grant it yourself: say whether you agree, and those who can will see
						it.
					</p>
					<p className="mt-2 flex gap-3">
						<button type="button" className="action main" disabled={say.isPending} onClick={() => say.mutate("agree")}>
							I agree
						</button>
						<button type="button" className="action danger" onClick={() => onRefusing(true)}>
							Refuse …
						</button>
					</p>
				</>
			)}
		</>
	);
}

/** The terms on which a request is granted, what that comes to, and the granting. */
function Granting({ request: r, onRefuse }: { request: Request; onRefuse: () => void }) {
	const { tell, refuse } = useNotice();
	const refresh = useRefresh();
	const changed = useRequestsChanged();
	const [proving, setProving] = useState(false);
	const { terms, sentence } = useTerms({
		area: r.area,
		reach: r.reach as Schemas["JoinTerms"]["reach"],
		mode: r.mode as Schemas["JoinTerms"]["mode"],
		until: r.until,
		bounds: r.terms ? "all but from" : "until",
	});
	const body = { area: terms.area, reach: terms.reach, mode: terms.mode, until: terms.until };
	const grant = useMutation({
		mutationFn: (stamp: string) =>
			data(
				api.POST("/api/requests/{id}/grant", {
					params: { path: { id: r.id } },
					body: { ...body, stamp },
				}),
			),
		onSuccess: async (done) => {
			await Promise.all([refresh(), changed()]);
			tell(`Granted, by revision ${done.revision}. ${r.asker.name} is told.`);
		},
		onError: async (error) => {
			if (error instanceof Refusal && error.type === proofNeeded) {
				setProving(true);
				return;
			}
			refuse(error);
			if (error instanceof Refusal && error.status === 409) await refresh();
		},
	});
	const weighed = useAsk({
		queryKey: [...design, "requests", r.id, "weigh", body],
		queryFn: (ask: Ask) => data(ask.POST("/api/requests/{id}/weigh", { params: { path: { id: r.id } }, body })),
		placeholderData: (before) => before,
		retry: false,
		enabled: !grant.isPending && !grant.isSuccess, // once it is granted there is nothing to weigh
	});
	const w = weighed.data;
	const draft = useDrafting(() => data(api.POST("/api/requests/{id}/draft", { params: { path: { id: r.id } }, body })));
	const hindered = w?.outcomes.find((o) => o.result === "not");
	const blocks = [...(hindered ? [hindered.said] : []), ...(w?.impact.blocks ?? [])];
	return (
		<div className="mt-4">
			<h3 className="border-b-[3px] border-[var(--beam)] text-[14px] font-bold">On these terms</h3>
			<p className="text-[15px] leading-[38px]">
				<b>{r.asker.name}</b> gets <b>{r.things.map((t) => t.name).join(", ")}</b> {sentence}
			</p>
			{weighed.error && <p className="font-semibold text-ox">✕ {weighed.error.message}</p>}
			{w && (
				<div aria-busy={weighed.isFetching}>
					{blocks.map((b) => (
						<p key={b} className="font-semibold text-ox">
							✕ {b}
						</p>
					))}
					{w.impact.critical.map((c) => (
						<p key={c} className="font-semibold text-ochre">
							Critical: {c}
						</p>
					))}
					<p>
						{w.peers === 0 ? (
							<span className="text-quiet">Nobody else here has the same title and department.</span>
						) : (
							<>
								<b className={w.alike * 2 >= w.peers ? "text-moss" : "text-ochre"}>
									{w.alike} of {count(w.peers, "peer has", "peers have")} it
								</b>
								{w.who.length > 0 && (
									<span className="text-quiet">
										:{" "}
										<Few of={w.who} most={10} total={w.alike}>
											{(who, more) => (
												<>
													<NamedAll of={who} /> {more}
												</>
											)}
										</Few>
									</span>
								)}
							</>
						)}
					</p>
					{w.impact.conflicts
						.filter((c) => !c.cleared)
						.map((c) => (
							<p key={`${c.user.id}${c.conflict.id}`} className="font-semibold text-ox">
								✕ <Named of={c.user} /> would break <Named of={c.conflict} />: {c.items.join(" + ")}
								{c.excepted && " (excepted)"}
							</p>
						))}
					{w.impact.licences.map((l) => (
						<p key={l.licence.id} className="font-semibold text-ox">
							✕ {l.licence.name} runs short: {l.used} of {l.seats ?? "all"} seats are taken
							{l.lacking > 0 && `, ${count(l.lacking, "person waits", "people wait")}`}
						</p>
					))}
					{alike(w.impact.people).map((g) => (
						<GroupImpact key={g[0].user.id} people={g} />
					))}
					{w.impact.people.length === 0 && (
						<p className="py-1 text-quiet">
							{w.impact.later.length > 0
								? "They gain it later, or once they are live."
								: "They gain nothing that they do not already hold."}
						</p>
					)}
				</div>
			)}
			<p className="mt-4 flex flex-wrap gap-3">
				<button
					type="button"
					className="action main"
					disabled={!w || weighed.isFetching || grant.isPending || blocks.length > 0}
					onClick={() => w && grant.mutate(w.impact.stamp)}
				>
					Grant it
				</button>
				<button
					type="button"
					className="action"
					disabled={!w || draft.isPending || !!hindered}
					onClick={() =>
						draft.mutate(undefined, {
							onError: refuse,
							onSuccess: () => tell("It is in your draft, and is granted once you apply it."),
						})
					}
				>
					Put into the draft
				</button>
				<button type="button" className="action danger" onClick={onRefuse}>
					Refuse …
				</button>
			</p>
			{proving && (
				<ProveBoard
					onClose={() => setProving(false)}
					onProven={() => {
						setProving(false);
						if (w) grant.mutate(w.impact.stamp);
					}}
					why={w?.impact.critical ?? []}
				/>
			)}
		</div>
	);
}

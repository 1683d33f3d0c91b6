import { useMutation } from "@tanstack/react-query";
import { useDeferredValue, useRef, useState } from "react";
import { Link, useSearchParams } from "react-router";
import type { Ask } from "../api/ask";
import { api, data, type Schemas } from "../api/client";
import { design, useDrafting, useRefresh } from "../api/hooks";
import { useHouse } from "../house/context";
import { useSet, useTo } from "../house/lens";
import { acting, mayEither } from "../house/rights";
import { type Counted, Counts } from "../parts/Counts";
import { type Column, FindRows, Grid, type GridHandle } from "../parts/Grid";
import { Failed } from "../parts/loading";
import { useNotice } from "../parts/notice";
import { usePages } from "../parts/pages";
import { Rooms } from "../parts/tabs";
import { addressOf, count, day, moment, NamedAll, number } from "../parts/words";
import { EditPerson } from "../sheets/person/EditPerson";
import { InvitationBoard } from "../sheets/person/InvitationBoard";
import { ToWorklist } from "../worklists/ToWorklist";

type Row = Schemas["WorklistInvited"];
type State = Row["state"];

const size = 100;

/** How an invitation stands, in words, with its mark. */
const states: Counted<State>[] = [
	{ id: "returned", name: "returned", mark: "✕", tone: "text-ox" },
	{ id: "run-out", name: "run out", mark: "✕", tone: "text-ox" },
	{ id: "to-send", name: "to send", mark: "…", tone: "text-ochre" },
	{ id: "opened", name: "opened", mark: "◐", tone: "text-slate" },
	{ id: "sent", name: "sent", mark: "→", tone: "text-slate" },
	{ id: "accepted", name: "accepted", mark: "✓", tone: "text-moss" },
	{ id: "cancelled", name: "cancelled", mark: "–", tone: "text-quiet" },
];

const stateOf = (id: State) => states.find((s) => s.id === id) ?? states[4];

/** Those that can still be sent once more or let be good for longer. */
const open: State[] = ["returned", "run-out", "to-send", "opened", "sent"];

/** Who is or was invited, how each invitation stands, and what is done about it, for one or for many at once. */
export function Invitations() {
	const { me } = useHouse();
	const { refuse, tell } = useNotice();
	const refresh = useRefresh();
	const to = useTo();
	const set = useSet();
	const [params] = useSearchParams();
	const state = (params.get("state") ?? undefined) as State | undefined;
	const [words, setWords] = useState("");
	const [at, setAt] = useState(0);
	const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
	const [inviting, setInviting] = useState(false);
	const [link, setLink] = useState<Schemas["Ref"]>();
	const grid = useRef<GridHandle>(null);
	const q = useDeferredValue(words.trim()) || undefined;
	const { first, error, retry, rowAt, need } = usePages(
		(page) => ({
			queryKey: [...design, "invitations", state, q, page],
			queryFn: (ask: Ask) =>
				data(ask.GET("/api/invitations", { params: { query: { state, q, offset: page * size, limit: size } } })),
		}),
		size,
	);
	const told = (what: string) => ({
		onError: refuse,
		onSuccess: async (done: Schemas["WorklistResent"]) => {
			await refresh();
			setChosen(new Set());
			const not = done.refused.map((r) => `${r.user.name}: ${r.why}`).join(" ");
			tell(`${count(done.done, "invitation", "invitations")} ${what}. ${not}`);
		},
	});
	const resend = useMutation({
		mutationFn: (users: string[]) => data(api.POST("/api/invitations/resend", { body: { users } })),
		...told("on the way again"),
	});
	const extend = useMutation({
		mutationFn: (users: string[]) => data(api.POST("/api/invitations/extend", { body: { users, days: 7 } })),
		...told("valid for seven more days"),
	});
	const cancel = useDrafting((users: string[]) => data(api.POST("/api/draft/cancel-invitations", { body: { users } })));
	const here = rowAt(Math.min(at, Math.max(0, (first?.match ?? 0) - 1)));
	const ids = chosen.size > 0 ? [...chosen] : here ? [here.user.id] : [];
	const acts = acting(me) && mayEither(me, "people:edit", "invite");
	const all = first ? Object.values(first.counts).reduce((n, c) => n + c, 0) : 0;
	const columns: Column<Row>[] = [
		{
			id: "name",
			header: "Person",
			cell: ({ row: { original: r } }) => r.user.name,
			meta: { width: "minmax(150px,2fr)", title: (r) => r.user.name },
		},
		{
			id: "state",
			header: "Stands",
			cell: ({ row: { original: r } }) => (
				<span data-state={r.state}>
					{stateOf(r.state).mark} {stateOf(r.state).name}
				</span>
			),
			meta: { width: "96px", look: (r) => stateOf(r.state).tone, title: (r) => r.trouble },
		},
		{
			id: "until",
			header: "Until",
			cell: ({ row: { original: r } }) => (r.until ? day(r.until) : ""),
			meta: { width: "96px" },
		},
		{
			id: "email",
			header: "To",
			cell: ({ row: { original: r } }) => r.email ?? (r.byHand ? "by hand" : "no address"),
			meta: { width: "minmax(120px,2fr)", title: (r) => r.email },
		},
		{
			id: "gets",
			header: "Into what",
			cell: ({ row: { original: r } }) =>
				[...r.gets, ...r.groups.map((g) => g.name), ...r.licences.map((l) => l.name)].join(", ") || "nothing yet",
			meta: { width: "minmax(150px,4fr)", title: (r) => r.gets.join("\n") },
		},
		{
			id: "home",
			header: "Home",
			cell: ({ row: { original: r } }) => r.home,
			meta: { width: "minmax(90px,1.4fr)" },
		},
		{
			id: "by",
			header: "By",
			cell: ({ row: { original: r } }) => r.by?.name ?? "",
			meta: { width: "minmax(90px,1.4fr)" },
		},
	];
	return (
		<div className="flex h-full flex-col px-[18px] pt-3">
			<div className="flex flex-wrap items-baseline gap-x-4 gap-y-1">
				<Rooms />
				<span className="grow" />
				{chosen.size > 0 && (
					<>
						<button type="button" className="link" onClick={() => setChosen(new Set())}>
							{number(chosen.size)} chosen ✕
						</button>
						<ToWorklist from={{ people: [...chosen] }} name="Gather these" onDone={() => setChosen(new Set())} />
					</>
				)}
				{acts && (
					<button type="button" className="action main" onClick={() => setInviting(true)}>
						Invite …
					</button>
				)}
			</div>
			{error && !first ? (
				<Failed error={error} retry={() => retry()} />
			) : (
				first && (
					<>
						<div className="mt-3 flex flex-wrap items-baseline gap-x-3 gap-y-1 pb-1">
							<Counts
								all={count(all, "invitation", "invitations")}
								kinds={states}
								counts={first.counts}
								at={state}
								onAt={(s) => set({ state: s ?? null })}
								data="data-count"
							/>
							<span className="grow" />
							<FindRows label="Find an invitation" words={words} onWords={setWords} grid={grid} />
						</div>
						<Grid
							label="Invitations"
							columns={columns}
							count={first.match}
							rowAt={rowAt}
							keyOf={(r) => r.user.id}
							marks={(r) => ({ "data-id": r.user.id })}
							at={Math.min(at, Math.max(0, first.match - 1))}
							onAt={setAt}
							need={need}
							handle={grid}
							choosing={{
								chosen: (r) => chosen.has(r.user.id),
								name: (r) => r.user.name,
								choose: (one, other, on) =>
									setChosen((before) => {
										const next = new Set(before);
										for (let i = Math.min(one, other); i <= Math.max(one, other); i++) {
											const id = rowAt(i)?.user.id;
											if (id && on) next.add(id);
											else if (id) next.delete(id);
										}
										return next;
									}),
							}}
							empty={
								all === 0
									? "There are no invitations. People who are invited get a letter as soon as the draft with them is applied."
									: "No invitation matches."
							}
						/>
						{here && (
							<section aria-label="The invitation" className="shrink-0 border-t-[3px] border-[var(--beam)] py-2">
								<p className="flex flex-wrap items-baseline gap-x-4 gap-y-1">
									<Link className="link" to={to(addressOf("user", here.user.id) ?? "/people")}>
										{here.user.name}
									</Link>
									<span className={stateOf(here.state).tone}>
										{stateOf(here.state).mark} {stateOf(here.state).name}
									</span>
									<span className="text-quiet">
										{[
											here.at && `sent ${moment(here.at)}`,
											here.opened && `opened ${moment(here.opened)}`,
											here.accepted && `accepted ${moment(here.accepted)}`,
										]
											.filter(Boolean)
											.join(", ")}
									</span>
									<span className="grow" />
									{acts && (chosen.size > 0 || open.includes(here.state)) && (
										<>
											{first.mail ? (
												<button
													type="button"
													className="action"
													disabled={resend.isPending}
													onClick={() => resend.mutate(ids)}
												>
													Send {chosen.size > 0 ? `these ${number(chosen.size)} ` : ""}once more
												</button>
											) : (
												<button type="button" className="action" onClick={() => setLink(here.user)}>
													Make a link …
												</button>
											)}
											<button
												type="button"
												className="action"
												disabled={extend.isPending}
												onClick={() => extend.mutate(ids)}
											>
												Seven more days
											</button>
											<button
												type="button"
												className="action"
												disabled={cancel.isPending}
												onClick={() =>
													cancel.mutate(ids, {
														onError: refuse,
														onSuccess: () => {
															setChosen(new Set());
															tell("The cancellation is in your draft. Open it below, then apply.");
														},
													})
												}
											>
												Cancel {chosen.size > 0 ? "these" : "it"}
											</button>
										</>
									)}
								</p>
								{here.trouble && <p className="font-semibold text-ox">✕ The letter: {here.trouble}</p>}
								<p>
									{here.gets.length > 0 ? `Gets ${here.gets.join(", ")}.` : "Gets nothing by hand."}{" "}
									{here.groups.length > 0 && (
										<>
											In <NamedAll of={here.groups} />.
										</>
									)}
								</p>
							</section>
						)}
					</>
				)
			)}
			{inviting && <EditPerson onClose={() => setInviting(false)} />}
			{link && <InvitationBoard user={link} onClose={() => setLink(undefined)} />}
		</div>
	);
}

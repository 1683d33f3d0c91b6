import { useState } from "react";
import { Link, useParams } from "react-router";
import type { Schemas } from "../api/client";
import { useTo } from "../house/lens";
import { Loaded } from "../parts/loading";
import { Rooms } from "../parts/tabs";
import { day, lastDay, moment, NamedAll } from "../parts/words";
import { Decide } from "./Decide";
import { useRequest, useRequests } from "./hooks";
import { Need } from "./Need";

type Request = Schemas["Request"];

/** What became of a request, in words and colour. */
export const stateWords: Record<Request["state"], [string, string]> = {
	open: ["waits", "text-ochre"],
	granted: ["granted", "text-moss"],
	refused: ["refused", "text-ox"],
	withdrawn: ["withdrawn", "text-quiet"],
};

/** What one asked for, what waits for one's decision, and the one that is looked at. */
export function RequestsPage() {
	const { id } = useParams();
	const all = useRequests();
	const number = id === undefined ? undefined : Number(id);
	const one = useRequest(number);
	return (
		<Loaded query={all}>
			{(r) => (
				<div className="flex h-full flex-col px-[18px] pt-3">
					<Rooms />
					<div className="mt-3 grid min-h-0 grow grid-cols-[minmax(0,2fr)_minmax(0,3fr)] max-[900px]:grid-cols-1">
						<nav aria-label="Requests" className="min-h-0 overflow-auto border-r-[3px] border-[var(--beam)] pr-[14px]">
							<Need />
							<Listed title="Wait for you" list={r.waiting} at={number} empty="There are no requests for you." />
							<Listed title="You asked for" list={r.mine} at={number} empty="You have asked for nothing yet." own />
							{r.settled.length > 0 && <Listed title="You answered" list={r.settled} at={number} empty="" />}
						</nav>
						<section aria-label="The request" className="min-h-0 overflow-auto pl-[18px]">
							{number === undefined ? (
								<p className="py-3 text-quiet">Choose a request to read it.</p>
							) : (
								<Loaded query={one}>{(x) => <Shown key={x.id} request={x} />}</Loaded>
							)}
						</section>
					</div>
				</div>
			)}
		</Loaded>
	);
}

function Listed({
	title,
	list,
	at,
	empty,
	own,
}: {
	title: string;
	list: Request[];
	at?: number;
	empty: string;
	own?: boolean;
}) {
	const to = useTo();
	return (
		<section aria-label={title} className="mb-4">
			<h2 className="border-b-[3px] border-[var(--beam)] text-[14px] font-bold">
				{title} {list.length > 0 && <span className="ml-2 font-normal text-quiet">{list.length}</span>}
			</h2>
			{list.length === 0 && <p className="py-2 text-quiet">{empty}</p>}
			<ul>
				{list.map((r) => (
					<li key={r.id} className="border-b border-hair">
						<Link
							to={to(`/requests/${r.id}`)}
							aria-current={r.id === at ? "page" : undefined}
							className={`block px-2 py-1.5 hover:bg-sunk ${r.id === at ? "bg-sunk shadow-[inset_4px_0_0_var(--slate)]" : ""}`}
						>
							<b className="block">{r.what}</b>
							<span className="flex gap-3 text-[12px] text-quiet">
								<span className="min-w-0 grow truncate">{own ? `asked on ${day(r.at)}` : r.asker.name}</span>
								<span className={stateWords[r.state][1]}>{stateWords[r.state][0]}</span>
							</span>
						</Link>
					</li>
				))}
			</ul>
		</section>
	);
}

/** A request, drawn from who asks down to what is asked for; what was said to it, and what can be done about it. */
function Shown({ request: r }: { request: Request }) {
	const [refusing, setRefusing] = useState(false);
	return (
		<article className="pb-6">
			<div className="flex items-baseline gap-3">
				<h2 className="min-w-0 grow text-[20px] font-bold">{r.what}</h2>
				<span className={`shrink-0 font-bold ${stateWords[r.state][1]}`}>{stateWords[r.state][0]}</span>
			</div>
			<div className="mt-2 flex items-stretch">
				<Post of={r.asker} note={[r.title, r.home].filter(Boolean).join(" · ")} />
				<Beam state={r.state} />
				<div className="min-w-0 border-[1.5px] border-[var(--beam)] bg-raised px-2 py-1">
					<b className="break-words">
						<NamedAll of={r.things} />
					</b>
					{r.permission && <span className="block font-mono text-[12px] break-all text-quiet">for {r.permission}</span>}
				</div>
			</div>
			<blockquote className="mt-3 border-l-8 border-hair pl-3 text-[15px]">“{r.reason}”</blockquote>
			<p className="mt-1 text-[12px] text-quiet">
				Request {r.id}, of {moment(r.at)}
				{r.to.length > 0 && <>; it went to {r.to.map((t) => t.name).join(", ")}</>}.
			</p>
			{r.words.length > 0 && (
				<ul aria-label="What was said" className="mt-3 border-t-[3px] border-[var(--beam)]">
					{r.words.map((w) => (
						<li key={`${w.who.id}${w.at}`} className="border-b border-hair py-1.5">
							<b>{w.who.name}</b> {spoken[w.does]} <span className="text-[12px] text-quiet">{moment(w.at)}</span>
							{w.text && <p>“{w.text}”</p>}
						</li>
					))}
				</ul>
			)}
			{r.state === "granted" && (
				<p className="mt-3 font-semibold text-moss">
					✓ Granted by revision {r.revision}
					{r.ends && `; it ends by itself on ${lastDay(r.ends)}`}.
				</p>
			)}
			{r.state === "open" && <Decide request={r} refusing={refusing} onRefusing={setRefusing} />}
			{r.mine && r.state !== "open" && <Need again={r} />}
		</article>
	);
}

const spoken: Record<Schemas["RequestWord"]["does"], string> = {
	agreed: "agrees",
	granted: "granted it",
	refused: "refused it",
	withdrawn: "withdrew it",
};

function Post({ of, note }: { of: Schemas["Ref"]; note: string }) {
	return (
		<div className="min-w-0 border-[1.5px] border-[var(--beam)] bg-raised px-2 py-1">
			<b className="break-words">
				<NamedAll of={[of]} />
			</b>
			<span className="block text-[12px] text-quiet">{note}</span>
		</div>
	);
}

/** The beam between who asks and what is asked for: it is there once it is granted. */
function Beam({ state }: { state: Request["state"] }) {
	const look =
		state === "granted"
			? "border-t-[5px] border-moss"
			: state === "open"
				? "border-t-[5px] border-dashed border-ochre-line"
				: "border-t-[3px] border-dotted border-quiet";
	return <span aria-hidden className={`w-[70px] shrink-0 self-center ${look}`} />;
}

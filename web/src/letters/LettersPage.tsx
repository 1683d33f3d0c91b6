import { Link, useParams } from "react-router";
import { type Ask, useAsk } from "../api/ask";
import { data, type Schemas } from "../api/client";
import { useTo } from "../house/lens";
import { Loaded } from "../parts/loading";
import { Rooms } from "../parts/tabs";
import { moment } from "../parts/words";

type Letter = Schemas["Delivered"];

/** What became of a letter, in words. */
const states: Record<Letter["state"], [string, string]> = {
	waiting: ["waits to be sent", "text-ochre"],
	sending: ["is being sent", "text-ochre"],
	sent: ["sent", "text-moss"],
	returned: ["returned: unknown address", "text-ox"],
	"given-up": ["was not sent", "text-ox"],
	kept: ["was not sent", "text-quiet"],
};

/** The letters that one got, and the one that is read; of a demo that sends none, those to everybody. */
export function LettersPage() {
	const { id } = useParams();
	const to = useTo();
	const box = useAsk({ queryKey: ["mailbox"], queryFn: (ask: Ask) => data(ask.GET("/api/me/mailbox")) });
	const letter = useAsk({
		queryKey: ["mailbox", id],
		queryFn: (ask: Ask) => data(ask.GET("/api/me/mailbox/{id}", { params: { path: { id: Number(id) } } })),
		enabled: id !== undefined,
		staleTime: Number.POSITIVE_INFINITY, // to open it anew would make its link anew
	});
	return (
		<Loaded query={box}>
			{(all) => (
				<div className="flex h-full flex-col px-[18px] pt-3">
					<Rooms />
					{all.everybody && (
						<p className="text-quiet">
							This demo sends no letters: here are those to everybody, as they would arrive, with links that work.
						</p>
					)}
					<div className="mt-3 grid min-h-0 grow grid-cols-[minmax(0,2fr)_minmax(0,3fr)] max-[900px]:grid-cols-1">
						<nav aria-label="Letters" className="min-h-0 overflow-auto border-r-[3px] border-[var(--beam)] pr-[14px]">
							{all.letters.length === 0 && <p className="py-3 text-quiet">No letter has been written to you.</p>}
							<ul>
								{all.letters.map((l) => (
									<li key={l.id} className="border-b border-hair">
										<Link
											to={to(`/letters/${l.id}`)}
											aria-current={String(l.id) === id ? "page" : undefined}
											className={`block px-2 py-1.5 hover:bg-sunk ${String(l.id) === id ? "bg-sunk shadow-[inset_4px_0_0_var(--slate)]" : ""}`}
										>
											<span className="flex gap-3">
												<b className="min-w-0 grow truncate">{l.subject}</b>
												<span className="shrink-0 text-[12px] text-quiet">{moment(l.at)}</span>
											</span>
											<span className="flex gap-3 text-[12px]">
												{all.everybody && <span className="min-w-0 truncate">to {l.to.name}</span>}
												<span className={states[l.state][1]}>{states[l.state][0]}</span>
											</span>
										</Link>
									</li>
								))}
							</ul>
						</nav>
						<section aria-label="The letter" className="min-h-0 overflow-auto pl-[18px]">
							{id === undefined ? (
								<p className="py-3 text-quiet">Choose a letter to read it.</p>
							) : (
								<Loaded query={letter}>{(l) => <Read letter={l} />}</Loaded>
							)}
						</section>
					</div>
				</div>
			)}
		</Loaded>
	);
}

function Read({ letter: l }: { letter: Schemas["Opened"] }) {
	return (
		<article className="max-w-[620px] border-t-[6px] border-[var(--beam)] bg-raised p-5">
			<p className="text-[12px] text-quiet">
				To {l.to.name}
				{l.address && ` <${l.address}>`}
			</p>
			<h2 className="mb-3 text-[18px] font-bold">{l.subject}</h2>
			{l.trouble && <p className="mb-3 font-semibold text-ox">✕ {l.trouble}</p>}
			{l.paragraphs.map((p, i) =>
				l.link && p === l.link ? (
					// biome-ignore lint/suspicious/noArrayIndexKey: the paragraphs of a letter have no other identity
					<p key={i} className="mb-3 break-all">
						<a className="link" href={l.link}>
							{l.link}
						</a>
					</p>
				) : (
					// biome-ignore lint/suspicious/noArrayIndexKey: as above
					<p key={i} className="mb-3 break-words whitespace-pre-line">
						{p}
					</p>
				),
			)}
		</article>
	);
}

import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { useTo } from "../house/lens";
import { Board } from "../parts/dialog";
import { Loaded } from "../parts/loading";
import { Line, Part } from "../parts/sheet";
import { Rooms } from "../parts/tabs";
import { moment } from "../parts/words";
import { dropWorklist, newWorklist, useListing, useWorklists } from "./hooks";

/** One's worklists, and what came of those that were applied. */
export function Worklists() {
	const lists = useWorklists();
	const to = useTo();
	const navigate = useNavigate();
	const begin = useListing(newWorklist);
	const [dropping, setDropping] = useState<{ id: string; name: string }>();
	const start = () => begin.mutate(undefined, { onSuccess: (w) => navigate(to(`/worklists/${w.id}`)) });
	return (
		<div className="flex h-full flex-col px-[18px] pt-3">
			<div className="flex items-baseline gap-4">
				<Rooms />
				<span className="grow" />
				<button type="button" className="action main" disabled={begin.isPending} onClick={start}>
					New worklist
				</button>
			</div>
			<p className="mt-1 max-w-[760px] text-quiet">
				Gather people by whatever names them, choose what is to be done to all of them, and see for each what will
				happen. Nothing on a list changes anybody until it is applied.
			</p>
			<Loaded query={lists}>
				{(all) => (
					<div className="mt-4 grid min-h-0 grow grid-cols-2 gap-[28px] overflow-auto pb-4 max-[900px]:grid-cols-1">
						<Part title="Worklists" count={all.lists.length}>
							{all.lists.length === 0 ? (
								<p className="py-3 text-quiet">
									You have none yet. Begin one here, or choose people in a list and gather them.
								</p>
							) : (
								<ul>
									{all.lists.map((w) => (
										<Line
											key={w.id}
											aside={
												<span className="flex items-baseline gap-4">
													<span>{moment(w.changed)}</span>
													<button type="button" className="link" onClick={() => setDropping(w)}>
														Delete the list
													</button>
												</span>
											}
										>
											<Link className="link" to={to(`/worklists/${w.id}`)}>
												{w.name}
											</Link>
										</Line>
									))}
								</ul>
							)}
						</Part>
						<Part title="Applied" count={all.runs.length}>
							{all.runs.length === 0 ? (
								<p className="py-3 text-quiet">What a worklist did to each person is kept here once it is applied.</p>
							) : (
								<ul>
									{all.runs.map((r) => (
										<Line
											key={r.id}
											aside={`${r.who.name}, ${moment(r.at)}${r.revision ? `, revision ${r.revision}` : ""}`}
										>
											<Link className="link" to={to(`/worklists/log/${r.id}`)}>
												{r.name}
											</Link>
										</Line>
									))}
								</ul>
							)}
						</Part>
					</div>
				)}
			</Loaded>
			{dropping && <ThrowAway of={dropping} onClose={() => setDropping(undefined)} />}
		</div>
	);
}

/** Asks before a worklist is thrown away; it is no deletion of people, and does not look like one. */
export function ThrowAway({
	of,
	onClose,
	onDone,
}: {
	of: { id: string; name: string };
	onClose: () => void;
	onDone?: () => void;
}) {
	const drop = useListing(dropWorklist);
	return (
		<Board
			open
			onClose={onClose}
			title={`Throw “${of.name}” away?`}
			about="Only the list goes. Nobody on it is changed or deleted, and what was applied from it stays in the history."
		>
			<div className="flex justify-end gap-3">
				<button type="button" className="action" onClick={onClose}>
					Keep it
				</button>
				<button
					type="button"
					className="action main"
					disabled={drop.isPending}
					onClick={() =>
						drop.mutate(of.id, {
							onSuccess: () => {
								onClose();
								onDone?.();
							},
						})
					}
				>
					Delete the list
				</button>
			</div>
		</Board>
	);
}

import { useState } from "react";
import { useNavigate } from "react-router";
import { type Ask, useAsk } from "../api/ask";
import { data, type Schemas } from "../api/client";
import { design, draftDelete, type ListKind, useDrafting } from "../api/hooks";
import { useTo } from "../house/lens";
import { Board } from "./dialog";
import { Acts } from "./fields";
import { Loaded } from "./loading";
import { useNotice } from "./notice";
import { PickOne } from "./Picker";
import { count, kindWords } from "./words";

type Kind = Schemas["DeleteInputBody"]["kind"];

const taken: Record<Schemas["Mention"]["taken"], string> = {
	out: "taken out of them",
	up: "moved to what lies above",
	deleted: "deleted too",
};

/** Shows what hangs on a thing that is to be deleted, and asks what becomes of each. */
export function DeleteBoard({ of, onClose, leaves }: { of: Schemas["Ref"]; onClose: () => void; leaves?: string }) {
	const kind = of.kind as Kind;
	const { refuse, tell } = useNotice();
	const navigate = useNavigate();
	const to = useTo();
	const remove = useDrafting(draftDelete);
	const [instead, setInstead] = useState<Record<string, Schemas["Ref"] | undefined>>({});
	const mentions = useAsk({
		queryKey: [...design, "mentions", kind, of.id],
		queryFn: (ask: Ask) => data(ask.GET("/api/mentions/{kind}/{id}", { params: { path: { kind, id: of.id } } })),
	});
	const owned = (m: Schemas["Mention"]) => m.field === "owner" || m.field === "manager";
	return (
		<Board
			open
			onClose={onClose}
			wide
			title={`Delete ${of.name}`}
			about={
				kind === "user"
					? "The record keeps the name. To keep everything in place and only stop the access, deactivate instead. It goes into the draft first."
					: "It goes into the draft first, which shows who loses what before anything is applied."
			}
		>
			<Loaded query={mentions}>
				{(list) => (
					<form
						onSubmit={(e) => {
							e.preventDefault();
							remove.mutate(
								{
									kind,
									id: of.id,
									choices: list.map((m) => ({ from: m.from, field: m.field, to: instead[`${m.from}.${m.field}`]?.id })),
								},
								{
									onError: refuse,
									onSuccess: () => {
										onClose();
										tell(`The deletion of ${of.name} is in your draft. Open it to see who loses what.`);
										if (leaves) navigate(to(leaves));
									},
								},
							);
						}}
					>
						{list.length === 0 ? (
							<p>Nothing refers to it.</p>
						) : (
							<ul className="border-t-[3px] border-[var(--beam)]">
								{list.map((m) => {
									const key = `${m.from}.${m.field}`;
									return (
										<li
											key={key}
											className="grid grid-cols-[minmax(0,5fr)_minmax(0,4fr)] gap-5 border-b border-hair py-2"
										>
											<div className="min-w-0">
												<p className="font-semibold">
													{count(m.count, kindWords[m.from], m.from === "user" ? "people" : `${kindWords[m.from]}s`)}{" "}
													<span className="font-normal text-quiet">
														{m.count === 1 ? m.names : `(each ${m.names})`}
													</span>
												</p>
												<p className="line-clamp-3 text-[12px] text-quiet">
													{m.refs
														.slice(0, 12)
														.map((r) => r.name)
														.join("; ")}
													{m.count > 12 && " …"}
												</p>
											</div>
											<div>
												{m.instead ? (
													<>
														<PickOne
															kinds={[kind as ListKind]}
															label={
																owned(m)
																	? `New ${m.field} for ${kindWords[m.from]}s`
																	: `Instead, for ${kindWords[m.from]}s`
															}
															placeholder={owned(m) ? `a new ${m.field} …` : `another ${kindWords[kind]} instead …`}
															without={[of.id]}
															value={instead[key]}
															onChange={(r) => setInstead({ ...instead, [key]: r })}
														/>
														{!instead[key] && (
															<p className="text-[12px] text-quiet">
																or else {owned(m) && m.field === "owner" ? "left without an owner" : taken[m.taken]}
															</p>
														)}
													</>
												) : (
													<p className="text-quiet">{taken[m.taken]}</p>
												)}
											</div>
										</li>
									);
								})}
							</ul>
						)}
						<Acts busy={remove.isPending} name="Put the deletion into the draft" onClose={onClose} />
					</form>
				)}
			</Loaded>
		</Board>
	);
}

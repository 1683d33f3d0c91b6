import { useState } from "react";
import { useParams } from "react-router";
import type { Schemas } from "../../api/client";
import { putConflict, useConflict, useDrafting } from "../../api/hooks";
import { DeleteBoard } from "../../parts/DeleteBoard";
import { Loaded } from "../../parts/loading";
import { useNotice } from "../../parts/notice";
import { Line, Part, SheetActs, SheetHead } from "../../parts/sheet";
import { count, Named } from "../../parts/words";
import { EditConflict } from "./EditConflict";
import { ExceptBoard } from "./ExceptBoard";

/** The sheet of a conflict: what may not meet, who breaks it, and who may for a time. */
export function ConflictSheet() {
	const { id = "" } = useParams();
	const sheet = useConflict(id);
	return <Loaded query={sheet}>{(s) => <Shown key={id} sheet={s} />}</Loaded>;
}

function Shown({ sheet }: { sheet: Schemas["ConflictSheet"] }) {
	const { refuse } = useNotice();
	const put = useDrafting(putConflict);
	const [board, setBoard] = useState<"edit" | "copy" | "delete" | null>(null);
	const [excepting, setExcepting] = useState<Schemas["Ref"] | null>(null);
	const { ref, conflict } = sheet;
	const editable = sheet.may && sheet.draft !== "gone";
	const open = sheet.breakers.filter((b) => !b.excepted);
	return (
		<div className="flex h-full flex-col">
			<SheetHead
				table={{ kind: "conflict", id: ref.id }}
				kind="conflict"
				name={ref.name}
				draft={sheet.draft}
				marks={
					open.length > 0 ? (
						<b className="text-ox">✕ broken by {count(open.length, "person", "people")}</b>
					) : (
						<b className="text-moss">✓ nobody breaks it</b>
					)
				}
				about={conflict.description}
			>
				{editable && <SheetActs onAct={setBoard} />}
			</SheetHead>
			<div className="grid min-h-0 grow grid-cols-3">
				<div className="min-h-0 overflow-auto px-[18px] py-3">
					<Part
						title={`Not more than ${conflict.limit ?? 1} of these, ${conflict.where === "anywhere" ? "anywhere" : "in one area"}`}
					>
						<ul>
							{sheet.items.map((i) => (
								<Line key={i.id} aside={i.kind}>
									<Named of={i} />
								</Line>
							))}
						</ul>
					</Part>
				</div>
				<div className="min-h-0 overflow-auto border-x-[3px] border-[var(--beam)] px-[18px] py-3">
					<Part title="Who breaks it" count={sheet.breakers.length}>
						{sheet.breakers.length === 0 && <p className="py-1.5 text-quiet">Nobody.</p>}
						<ul>
							{sheet.breakers.map((b) => (
								<li key={b.user.id} className="border-b border-hair py-1.5">
									<p className="flex items-baseline gap-3">
										<span className="grow">
											<Named of={b.user} />
										</span>
										{b.excepted ? (
											<b className="text-ochre">excepted</b>
										) : (
											editable && (
												<button type="button" className="link" onClick={() => setExcepting(b.user)}>
													Except for a time …
												</button>
											)
										)}
									</p>
									<p className="text-[12px] text-quiet">
										{b.items.join(" + ")}
										{b.area && `, at ${b.area.name}`}
									</p>
								</li>
							))}
						</ul>
					</Part>
				</div>
				<div className="min-h-0 overflow-auto px-[18px] py-3">
					<Part title="Exceptions" count={sheet.exceptions.length}>
						{sheet.exceptions.length === 0 && <p className="py-1.5 text-quiet">None: nobody may break it.</p>}
						<ul>
							{sheet.exceptions.map((e) => (
								<li key={e.user.id} className="border-b border-hair py-1.5">
									<p className="flex items-baseline gap-3">
										<span className="grow">
											<Named of={e.user} />
										</span>
										<span className={e.ended ? "text-ox" : "text-ochre"}>
											{e.ended ? "ended" : "until"} {e.until}
										</span>
										{editable && (
											<button
												type="button"
												className="font-bold text-ox"
												aria-label={`End the exception of ${e.user.name}`}
												onClick={() =>
													put.mutate(
														{
															before: conflict,
															after: {
																...conflict,
																exceptions: conflict.exceptions?.filter((x) => x.user !== e.user.id),
															},
														},
														{ onError: refuse },
													)
												}
											>
												✕
											</button>
										)}
									</p>
									<p className="text-[12px] text-quiet">“{e.reason}”</p>
								</li>
							))}
						</ul>
					</Part>
				</div>
			</div>
			{board === "edit" && <EditConflict of={sheet} onClose={() => setBoard(null)} />}
			{board === "copy" && <EditConflict copy={sheet} onClose={() => setBoard(null)} />}
			{board === "delete" && <DeleteBoard of={ref} onClose={() => setBoard(null)} />}
			{excepting && <ExceptBoard conflict={conflict} user={excepting} onClose={() => setExcepting(null)} />}
		</div>
	);
}

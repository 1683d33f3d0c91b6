import { useState } from "react";
import { useParams } from "react-router";
import type { Schemas } from "../../api/client";
import { useGuarantee } from "../../api/hooks";
import { DeleteBoard } from "../../parts/DeleteBoard";
import { Loaded } from "../../parts/loading";
import { Line, Part, SheetActs, SheetHead } from "../../parts/sheet";
import { count, Named, Sentence } from "../../parts/words";
import { EditGuarantee } from "./EditGuarantee";
import { Breaches } from "./Kept";

/** The sheet of a guarantee: what it promises, and by whom and what it is broken, now or later. */
export function GuaranteeSheet() {
	const { id = "" } = useParams();
	const sheet = useGuarantee(id);
	return <Loaded query={sheet}>{(s) => <Shown key={id} sheet={s} />}</Loaded>;
}

function Shown({ sheet }: { sheet: Schemas["GuaranteeSheet"] }) {
	const [board, setBoard] = useState<"edit" | "copy" | "delete" | null>(null);
	const { ref, guarantee: g, kept } = sheet;
	const strict = g.strict !== false;
	return (
		<div className="flex h-full flex-col">
			<SheetHead
				kind="guarantee"
				name={ref.name}
				draft={sheet.draft}
				marks={
					kept.now > 0 ? (
						<b className="text-ox">✕ broken in {count(kept.now, "way", "ways")}</b>
					) : kept.later > 0 ? (
						<b className="text-ochre">! kept for now</b>
					) : (
						<b className="text-moss">✓ kept</b>
					)
				}
				about={g.reason}
			>
				{sheet.may && sheet.draft !== "gone" && <SheetActs onAct={setBoard} />}
			</SheetHead>
			<div className="grid min-h-0 grow grid-cols-[360px_minmax(0,1fr)]">
				<div className="min-h-0 overflow-auto border-r-[3px] border-[var(--beam)] px-[18px] py-3">
					<p className="mb-4 text-[18px] leading-[1.35]">{kept.says}</p>
					<Part title="About" count={kept.names}>
						<ul>
							{sheet.permissions.map((p) => (
								<Line key={p.name}>
									{p.id ? <Named of={p} /> : <span className="font-mono text-[12px]">{p.name}</span>}
								</Line>
							))}
						</ul>
					</Part>
					<Part title="Of whom">
						<p className="py-1.5">
							{sheet.people.length > 0 ? (
								<Sentence parts={sheet.people} />
							) : g.kind === "nobody" ? (
								"Everybody, including people who are not signed in."
							) : (
								"Everybody."
							)}
						</p>
					</Part>
					<Part title="Where">
						<p className="py-1.5">{sheet.area ? <Named of={sheet.area} /> : "Anywhere in the organisation."}</p>
					</Part>
					<p className="text-quiet">
						{strict
							? "Strict: a change that would break it is refused, whoever makes it. Changes by directories, and by the passing of time, are only reported."
							: "Not strict: a change that breaks it can be applied, and says so."}
					</p>
				</div>
				<div className="min-h-0 overflow-auto px-[18px] py-3">
					<Part title="What breaks it" count={kept.now + kept.later}>
						{kept.now + kept.later === 0 ? (
							<p className="py-1.5 text-quiet">Nothing does, now or later, and nobody would who is not live yet.</p>
						) : (
							<Breaches of={kept} most={100} />
						)}
					</Part>
				</div>
			</div>
			{board === "edit" && <EditGuarantee of={sheet} onClose={() => setBoard(null)} />}
			{board === "copy" && <EditGuarantee of={sheet} copy onClose={() => setBoard(null)} />}
			{board === "delete" && <DeleteBoard of={ref} onClose={() => setBoard(null)} />}
		</div>
	);
}

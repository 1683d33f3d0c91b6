import { useId, useState } from "react";
import type { Schemas } from "../api/client";
import { useAreas } from "../api/hooks";
import { Board } from "../parts/dialog";
import type { Node } from "./node";

type Terms = Schemas["JoinTerms"];

/** Asks on which terms a role or set is assigned: read and written as one sentence. */
export function JoinBoard(p: {
	from: Node;
	to: Node;
	names: [string, string];
	where?: string;
	busy: boolean;
	onClose: () => void;
	onJoin: (terms: Terms) => void;
}) {
	const areas = useAreas();
	const [area, setArea] = useState(p.where ?? "");
	const [reach, setReach] = useState<NonNullable<Terms["reach"]>>("area");
	const [mode, setMode] = useState<NonNullable<Terms["mode"]>>("full");
	const [until, setUntil] = useState("");
	const [reason, setReason] = useState("");
	const ids = { area: useId(), reach: useId(), mode: useId(), until: useId(), reason: useId() };
	const forward = p.from.kind === "user" || p.from.kind === "group";
	const [subject, target] = forward ? p.names : [p.names[1], p.names[0]];
	const pick = "board px-2 py-1 leading-normal font-semibold text-slate";
	return (
		<Board open onClose={p.onClose} title="Assign" about="It goes into the draft; the sill shows who gains what before anything is applied.">
			<form
				onSubmit={(e) => {
					e.preventDefault();
					p.onJoin({
						area: area || undefined,
						reach,
						mode,
						until: until ? new Date(`${until}T00:00:00Z`).toISOString() : undefined,
						reason: reason || undefined,
					});
				}}
			>
				<p className="text-[15px] leading-[38px]">
					<b>{subject}</b> gets <b>{target}</b>{" "}
					<label htmlFor={ids.area} className="sr-only">
						Where
					</label>
					<select id={ids.area} className={pick} value={area} onChange={(e) => setArea(e.target.value)}>
						<option value="">over the whole organisation</option>
						{areas.data?.slice(1).map((a) => (
							<option key={a.id} value={a.id}>
								{"\u00a0\u00a0".repeat(a.depth)}at {a.name}
							</option>
						))}
					</select>
					, for{" "}
					<label htmlFor={ids.reach} className="sr-only">
						Which records
					</label>
					<select id={ids.reach} className={pick} value={reach} onChange={(e) => setReach(e.target.value as typeof reach)}>
						<option value="area">every record there</option>
						<option value="line">records of their line</option>
						<option value="own">their own records</option>
					</select>
					,{" "}
					<label htmlFor={ids.mode} className="sr-only">
						Mode
					</label>
					<select id={ids.mode} className={pick} value={mode} onChange={(e) => setMode(e.target.value as typeof mode)}>
						<option value="full">in full</option>
						<option value="read-only">read-only</option>
					</select>
					, until{" "}
					<label htmlFor={ids.until} className="sr-only">
						Until
					</label>
					<input id={ids.until} type="date" className={pick} value={until} onChange={(e) => setUntil(e.target.value)} />{" "}
					<span className="text-[12px] text-quiet">{until ? "" : "(no end)"}</span>
				</p>
				<label htmlFor={ids.reason} className="mt-2 block">
					<span className="text-[12px] text-quiet">Reason (shown in the trace)</span>
					<input id={ids.reason} className="field" maxLength={500} value={reason} onChange={(e) => setReason(e.target.value)} />
				</label>
				<div className="mt-4 flex justify-end gap-3">
					<button type="button" className="action" onClick={p.onClose}>
						Cancel
					</button>
					<button type="submit" className="action main" disabled={p.busy}>
						Put into the draft
					</button>
				</div>
			</form>
		</Board>
	);
}

import { useId, useState } from "react";
import type { Schemas } from "../api/client";
import { draftAssign, putAssignment, useAreas, useDrafting } from "../api/hooks";
import { SeatsNeeded } from "../seats/SeatsNeeded";
import { AssignLook } from "./AssignLook";
import { GrantPlace } from "./Choose";
import { DayField } from "./DayField";
import { beginLike, dayOf, endLike, lastDayOf } from "./days";
import { Board } from "./dialog";
import { Acts, orNone } from "./fields";
import { useNotice } from "./notice";
import { Chips } from "./Picker";
import { count } from "./words";

type Ref = Schemas["Ref"];
type Terms = Schemas["JoinTerms"];

const pick = "board px-2 py-1 leading-normal font-semibold text-slate";

/** On which terms a role or set is given, read and written as one sentence. */
export function useTerms(start: {
	area?: string;
	reach?: Terms["reach"];
	mode?: Terms["mode"];
	from?: string;
	until?: string;
	reason?: string;
	/** What of it can be chosen; all if absent. */
	bounds?: "all but from" | "until";
}) {
	const areas = useAreas();
	const [area, setArea] = useState(start.area ?? "");
	const [reach, setReach] = useState<NonNullable<Terms["reach"]>>(start.reach ?? "area");
	const [mode, setMode] = useState<NonNullable<Terms["mode"]>>(start.mode ?? "full");
	const [from, setFrom] = useState(dayOf(start.from));
	const [until, setUntil] = useState(lastDayOf(start.until));
	const [reason, setReason] = useState(start.reason ?? "");
	const ids = { area: useId(), reach: useId(), mode: useId(), reason: useId() };
	const root = areas.data?.[0]?.id;
	const terms: Terms = {
		area: area && area !== root ? area : undefined,
		reach,
		mode,
		from: beginLike(from, start.from),
		until: endLike(until, start.until),
		reason: orNone(reason),
	};
	const place = (
		<>
			<label htmlFor={ids.area} className="sr-only">
				Where
			</label>
			<GrantPlace id={ids.area} className={`${pick} max-w-[230px]`} value={area} onChange={setArea} />, for{" "}
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
			,{" "}
		</>
	);
	const begin = (
		<span>
			from <DayField label="From" placeholder="now" value={from} onChange={setFrom} />
		</span>
	);
	const sentence = (
		<>
			{start.bounds !== "until" && place}
			{!start.bounds && begin}{" "}
			<span>
				until the end of <DayField label="Until" last placeholder="no end" value={until} onChange={setUntil} />
			</span>
		</>
	);
	const why = (
		<label htmlFor={ids.reason} className="mt-2 block">
			<span className="text-[12px] text-quiet">Reason (shown in the trace)</span>
			<input
				id={ids.reason}
				className="field"
				maxLength={500}
				value={reason}
				onChange={(e) => setReason(e.target.value)}
			/>
		</label>
	);
	return { terms, sentence, why };
}

const about = "It goes into the draft, which shows who gains what before anything is applied.";

/** Asks on which terms one thing that was joined to another is assigned. */
export function JoinBoard(p: {
	subject: string;
	target: string;
	where?: string;
	busy: boolean;
	onClose: () => void;
	onJoin: (terms: Terms) => void;
}) {
	const { terms, sentence, why } = useTerms({ area: p.where });
	return (
		<Board open onClose={p.onClose} title="Assign" about={about}>
			<form
				onSubmit={(e) => {
					e.preventDefault();
					p.onJoin(terms);
				}}
			>
				<p className="text-[15px] leading-[38px]">
					<b>{p.subject}</b> gets <b>{p.target}</b> {sentence}
				</p>
				{why}
				<Acts busy={p.busy} onClose={p.onClose} />
			</form>
		</Board>
	);
}

/** Assigns from whichever end is at hand: some people and groups, some roles and sets, on terms. */
export function AssignBoard(p: { subjects?: Ref[]; targets?: Ref[]; area?: string; onClose: () => void }) {
	const { refuse } = useNotice();
	const assign = useDrafting(draftAssign);
	const [subjects, setSubjects] = useState(p.subjects ?? []);
	const [targets, setTargets] = useState(p.targets ?? []);
	const { terms, sentence, why } = useTerms({ area: p.area });
	const ends = (list: Ref[]) => list.map((r) => ({ kind: r.kind as Schemas["End"]["kind"], id: r.id }));
	return (
		<Board open onClose={p.onClose} title="Assign" about={about}>
			<form
				onSubmit={(e) => {
					e.preventDefault();
					assign.mutate(
						{ subjects: ends(subjects), targets: ends(targets), terms },
						{ onError: refuse, onSuccess: p.onClose },
					);
				}}
			>
				<Chips
					kinds={["user", "group"]}
					label="People and groups"
					placeholder="a person or group …"
					mine="assign"
					autoFocus={!p.subjects?.length}
					chosen={subjects}
					onChange={setSubjects}
				/>
				<p className="my-2 text-[15px]">{subjects.length > 1 ? "each get" : "gets"}</p>
				<Chips
					kinds={["role", "set"]}
					label="Roles and sets"
					placeholder="a role or set …"
					mine="assign"
					autoFocus={!!p.subjects?.length && !p.targets?.length}
					chosen={targets}
					onChange={setTargets}
				/>
				<p className="mt-2 text-[15px] leading-[38px]">{sentence}</p>
				{why}
				{/* Of a height of its own, so that nothing moves under the hand as it is counted. */}
				<div className={`mt-3 overflow-auto ${subjects.length * targets.length > 1 ? "h-[170px]" : "h-[84px]"}`}>
					<SeatsNeeded subjects={ends(subjects)} targets={ends(targets)} />
					{subjects.length * targets.length > 0 && (
						<AssignLook body={{ subjects: ends(subjects), targets: ends(targets), terms }} />
					)}
				</div>
				<Acts
					busy={assign.isPending}
					disabled={subjects.length * targets.length === 0}
					name={
						subjects.length * targets.length > 1
							? `Put ${count(subjects.length * targets.length, "assignment", "assignments")} into the draft`
							: undefined
					}
					onClose={p.onClose}
				/>
			</form>
		</Board>
	);
}

/** Changes the terms of an assignment. */
export function TermsBoard({ grant, onClose }: { grant: Schemas["Grant"]; onClose: () => void }) {
	const { refuse } = useNotice();
	const put = useDrafting(putAssignment);
	const { terms: t, subject, target } = grant;
	const before: Schemas["DesignAssignment"] = {
		id: t.id,
		subject: subject.kind === "user" ? { user: subject.id } : { group: subject.id },
		role: target.kind === "role" ? target.id : undefined,
		set: target.kind === "set" ? target.id : undefined,
		area: t.whole ? undefined : t.area.id,
		reach: t.reach,
		mode: t.mode,
		from: t.from,
		until: t.until,
		reason: t.reason,
		contact: t.contact || undefined,
	};
	const { terms, sentence, why } = useTerms({
		area: before.area,
		reach: t.reach,
		mode: t.mode,
		from: t.from,
		until: t.until,
		reason: t.reason,
	});
	const [contact, setContact] = useState(!!t.contact);
	return (
		<Board open onClose={onClose} title="Change the terms" about={about}>
			<form
				onSubmit={(e) => {
					e.preventDefault();
					put.mutate(
						{ before, after: { ...before, ...terms, contact: contact || undefined } },
						{ onError: refuse, onSuccess: onClose },
					);
				}}
			>
				<p className="text-[15px] leading-[38px]">
					<b>{subject.name}</b> has <b>{target.name}</b> {sentence}
				</p>
				{why}
				<label className="mt-3 flex items-center gap-2">
					<input type="checkbox" checked={contact} onChange={(e) => setContact(e.target.checked)} />
					shown as a contact of that area
				</label>
				<Acts busy={put.isPending} onClose={onClose} />
			</form>
		</Board>
	);
}

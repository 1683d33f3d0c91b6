import { useState } from "react";
import { useSearchParams } from "react-router";
import type { Schemas } from "../api/client";
import { useAreas } from "../api/hooks";
import { AreaChoice } from "../parts/Choose";
import { DayField } from "../parts/DayField";
import { day } from "../parts/words";
import { useSet } from "./lens";

/** Under the lintel: which area and which day every view is about, through whose eyes, and what the present page says of itself. */
export function ContextLine({ aside, me }: { aside: string; me: Schemas["Me"] }) {
	const [params] = useSearchParams();
	const set = useSet(false);
	const areas = useAreas();
	const where = params.get("where") ?? "";
	const here = areas.data?.find((a) => a.id === where);
	const other = me.user.id !== me.signedIn.id;
	const elsewhere = !!me.day || other;
	return (
		<section
			aria-label="Where and when"
			data-elsewhere={elsewhere || undefined}
			className={`flex min-h-[38px] shrink-0 items-center gap-2 max-[900px]:flex-wrap border-b-[3px] border-[var(--beam)] px-[18px] ${elsewhere ? "another-day" : where ? "bg-sunk" : ""}`}
		>
			<label htmlFor="where" className="text-[12px] text-quiet">
				Where
			</label>
			<AreaChoice
				id="where"
				value={where}
				whole="Whole organisation"
				more={where && areas.data && !here ? [{ value: where, name: `${where} (no such area)` }] : []}
				onChange={(area) => set({ where: area || null })}
				className="max-w-[220px] bg-transparent py-1 font-semibold text-slate"
			/>
			<When day={params.get("when")} onChoose={(when) => set({ when })} />
			{where && !elsewhere && (
				<span className="truncate text-[12px] text-quiet">
					only what counts somewhere there{" "}
					<button type="button" className="link ml-1" onClick={() => set({ where: null })}>
						Show all
					</button>
				</span>
			)}
			{me.day && (
				<span className="truncate font-semibold">
					{me.coming
						? `As it will be on ${day(me.day)}, if nothing is changed`
						: `As it was on ${day(me.day)}, revision ${me.revision}`}
				</span>
			)}
			{other && (
				<span className="truncate font-semibold">
					Seen as {me.user.name} sees it; nothing can be changed
					<button type="button" className="link ml-2" onClick={() => set({ as: null })}>
						Back to your own view
					</button>
				</span>
			)}
			<span className="grow" />
			<span className="truncate text-[12px] text-quiet">{aside || me.organisation}</span>
			<span className="shrink-0 text-[12px] text-quiet">
				<kbd>?</kbd> keys
			</span>
		</section>
	);
}

/** The day that is looked at: now, unless another is chosen. */
function When({ day, onChoose }: { day: string | null; onChoose: (day: string | null) => void }) {
	const [choosing, setChoosing] = useState(false);
	const [typed, setTyped] = useState("");
	return (
		<span className="ml-3 flex items-center gap-2">
			<label htmlFor="when" className="text-[12px] text-quiet">
				When
			</label>
			{day || choosing ? (
				<>
					<DayField
						id="when"
						inline
						className="w-full bg-transparent py-1 pr-8 font-semibold text-slate"
						autoFocus={choosing}
						value={typed || day?.slice(0, 10) || ""}
						onChange={setTyped}
						onDone={(chosen) => {
							setChoosing(false);
							setTyped("");
							if (chosen) onChoose(chosen);
						}}
						onBlur={() => {
							setChoosing(false);
							if (typed) onChoose(typed);
							setTyped("");
						}}
					/>
					{day && (
						<button
							type="button"
							className="link"
							onClick={() => {
								setTyped("");
								setChoosing(false);
								onChoose(null);
							}}
						>
							Back to now
						</button>
					)}
				</>
			) : (
				<button id="when" type="button" className="font-semibold text-slate" onClick={() => setChoosing(true)}>
					Now ▾
				</button>
			)}
		</span>
	);
}

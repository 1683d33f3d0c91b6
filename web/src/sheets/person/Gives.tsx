import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useHouse } from "../../house/context";
import { may } from "../../house/rights";
import { AreaChoice } from "../../parts/Choose";
import { DayField } from "../../parts/DayField";
import { Picker } from "../../parts/Picker";
import { count } from "../../parts/words";

type Ref = Schemas["Ref"];

/** A role or set that somebody new is given, and on which terms. */
export type Give = {
	thing: Ref;
	/** An area's id; empty: the whole organisation; absent: wherever their home is. */
	area?: string;
	/** A day; empty: as long as the account. */
	until: string;
};

const pick = "board px-2 py-1 leading-normal font-semibold text-slate";

/** The roles and sets that somebody new is given, each with where and until when. */
export function Gives({
	gives,
	onChange,
	home,
	until,
	onMake,
}: {
	gives: Give[];
	onChange: (gives: Give[]) => void;
	home?: string;
	until: string;
	/** Makes a role or set that there is not yet. */
	onMake: (kind: "role" | "set") => void;
}) {
	const { me } = useHouse();
	const [told, setTold] = useState("");
	const alter = (g: Give, to: Partial<Give>) => onChange(gives.map((x) => (x === g ? { ...x, ...to } : x)));
	const say = (next: Give[], what: string) => {
		onChange(next);
		setTold(`${what}: ${count(next.length, "role or set", "roles and sets")}`);
	};
	return (
		<fieldset className="mb-3">
			<legend className="text-[12px] text-quiet">Roles and sets at once</legend>
			<ul aria-label="What they are given">
				{gives.map((g) => (
					<li
						key={`${g.thing.kind} ${g.thing.id}`}
						className="flex flex-wrap items-center gap-x-2 gap-y-1 border-b border-hair py-1"
					>
						<b className="min-w-[120px] flex-1 truncate">{g.thing.name}</b>
						<AreaChoice
							label={`Where ${g.thing.name} counts`}
							className={`${pick} max-w-[230px]`}
							value={g.area ?? (home ? "home" : "")}
							whole={home ? "over the whole organisation" : "at home, the whole organisation"}
							before="at "
							more={home ? [{ value: "home", name: `at home, ${home}` }] : []}
							onChange={(area) => alter(g, { area: area === "home" || (!home && !area) ? undefined : area })}
						/>
						<span className="inline-flex items-start gap-1">
							until{" "}
							<DayField
								label={`Until when ${g.thing.name} is given`}
								last
								placeholder={until ? "as the account" : "no end"}
								value={g.until}
								onChange={(d) => alter(g, { until: d })}
							/>
						</span>
						<button
							type="button"
							aria-label={`Take out ${g.thing.name}`}
							className="px-1 font-bold text-ox"
							onClick={() =>
								say(
									gives.filter((x) => x !== g),
									`${g.thing.name} is out`,
								)
							}
						>
							✕
						</button>
					</li>
				))}
			</ul>
			<div className="mt-1 flex flex-wrap items-center gap-x-4 gap-y-1">
				<Picker
					kinds={["role", "set"]}
					label="Roles and sets at once"
					placeholder="a role or set …"
					mine="assign"
					className="field max-w-[260px] min-w-[150px] flex-1"
					without={gives.map((g) => g.thing.id)}
					onPick={(thing) => say([...gives, { thing, until: "" }], `${thing.name} is given`)}
				/>
				{may(me, "design:edit") && (
					<>
						<button type="button" className="link" onClick={() => onMake("role")}>
							Make a role
						</button>
						<button type="button" className="link" onClick={() => onMake("set")}>
							Make a set
						</button>
					</>
				)}
			</div>
			{gives.length > 0 && !may(me, "assignment:edit") && (
				<p className="mt-1 text-[12px] text-quiet">
					The days that your delegation allows count from the day they accept.
				</p>
			)}
			<p role="status" className="sr-only">
				{told}
			</p>
		</fieldset>
	);
}

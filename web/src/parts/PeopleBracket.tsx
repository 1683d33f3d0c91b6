import type { Schemas } from "../api/client";
import { RuleBox } from "../sheets/group/RuleBox";
import { Bracket } from "./Bracket";
import { Picker } from "./Picker";

type Ref = Schemas["Ref"];

/** How people are named: all of them, those of an area or a group, or those whom a filter finds. */
export type By = "all" | "area" | "group" | "filter";

const words: Record<By, string> = {
	all: "everybody",
	area: "of an area",
	group: "of a group",
	filter: "by a filter",
};

/** The bracket of a sentence that says which people it is about. */
export function PeopleBracket({
	label,
	ways,
	by,
	filter,
	peopleIn,
	onBy,
	onFilter,
	onPick,
}: {
	label: string;
	/** How they can be named here. */
	ways: By[];
	by: By;
	filter: string;
	peopleIn?: Ref;
	onBy: (by: By) => void;
	onFilter: (filter: string) => void;
	onPick: (ref: Ref) => void;
}) {
	const text = {
		all: words.all,
		filter: filter && `people with ${filter}`,
		group: peopleIn ? `the members of ${peopleIn.name}` : "",
		area: peopleIn ? `people of ${peopleIn.name}` : "",
	}[by];
	return (
		<Bracket label={label} text={text} empty="whom">
			<div className="mb-2 flex gap-4">
				{ways.map((id) => (
					<label key={id} className="flex items-center gap-2">
						<input type="radio" name="people" checked={by === id} onChange={() => onBy(id)} />
						{words[id]}
					</label>
				))}
			</div>
			{by === "filter" && <RuleBox rule={filter} onRule={onFilter} />}
			{(by === "area" || by === "group") && (
				<Picker
					kinds={[by]}
					label={by === "area" ? "People of the area" : "Members of the group"}
					placeholder={by === "area" ? "an area …" : "a group …"}
					onPick={onPick}
				/>
			)}
		</Bracket>
	);
}

import { useDeferredValue } from "react";
import { useSearchParams } from "react-router";
import { useHouse } from "../house/context";
import { useSet, useTyped } from "../house/lens";
import { Choose } from "../parts/Choose";
import { DayField } from "../parts/DayField";
import { Downloads } from "../parts/Downloads";
import { beginOf, endOf } from "../parts/days";
import { PickOne } from "../parts/Picker";
import { Rooms } from "../parts/tabs";
import { kindWords } from "../parts/words";
import { Record, type RecordSearch } from "./Record";

const kinds = [
	"user",
	"group",
	"role",
	"set",
	"assignment",
	"area",
	"conflict",
	"guarantee",
	"delegation",
	"system",
	"licence",
];

/** The record: every revision in sentences, narrowed by what it touched, whom it concerned and who did it. */
export function History() {
	const { me } = useHouse();
	const [params] = useSearchParams();
	const set = useSet();
	const get = (name: string) => params.get(name) || undefined;
	const [words, type] = useTyped("q");
	const q = useDeferredValue(words.trim() || undefined);
	const search: RecordSearch = {
		kind: get("kind"),
		id: get("id"),
		user: get("user"),
		who: get("who"),
		q,
		from: beginOf(get("from") ?? ""),
		until: endOf(get("to") ?? ""),
	};
	const narrowed = Object.values(search).some(Boolean);
	const chosen = (name: string) => {
		const id = get(name);
		return id ? { kind: "user" as const, id, name: get(`${name}Name`) ?? id } : undefined;
	};
	return (
		<div className="h-full overflow-auto px-[18px] py-3">
			<div className="flex items-baseline gap-4">
				<Rooms />
				<p className="grow text-quiet">
					Every change that was applied, latest first. An undo goes into your draft, where its impact is seen first.
				</p>
				{me.user.id === me.signedIn.id && <Downloads path="/api/lists/revision" query={search} />}
			</div>
			<div className="mt-2 grid grid-cols-[minmax(0,3fr)_150px_minmax(0,2fr)_minmax(0,2fr)_140px_140px_auto] items-center gap-3">
				<input
					aria-label="Words in the reason"
					className="field"
					placeholder="words in the reason, or who did it"
					value={words}
					onChange={(e) => type(e.target.value)}
				/>
				<Choose
					label="Kind"
					className="field"
					value={get("kind") ?? ""}
					options={[{ value: "", name: "any kind" }, ...kinds.map((k) => ({ value: k, name: `${kindWords[k]}s` }))]}
					onChange={(kind) => set({ kind, id: null })}
				/>
				<PickOne
					kinds={["user"]}
					label="Concerning"
					placeholder="concerning whom …"
					value={chosen("user")}
					onChange={(r) => set({ user: r?.id, userName: r?.name })}
				/>
				<PickOne
					kinds={["user"]}
					label="Done by"
					placeholder="done by …"
					value={chosen("who")}
					onChange={(r) => set({ who: r?.id, whoName: r?.name })}
				/>
				<DayField
					label="From"
					inline
					past
					placeholder="from"
					value={get("from") ?? ""}
					onChange={(from) => set({ from })}
				/>
				<DayField
					label="Until"
					inline
					past
					last
					placeholder="until"
					value={get("to") ?? ""}
					onChange={(to) => set({ to })}
				/>
				{narrowed && (
					<button
						type="button"
						className="link"
						onClick={() =>
							set({
								q: null,
								kind: null,
								id: null,
								user: null,
								userName: null,
								who: null,
								whoName: null,
								from: null,
								to: null,
							})
						}
					>
						All
					</button>
				)}
			</div>
			{search.id && (
				<p className="mt-2">
					Only what touched the {kindWords[search.kind ?? ""]} <b>{search.id}</b>.
				</p>
			)}
			<Record search={search} empty={narrowed ? "No revision matches." : "Nothing has been applied yet."} />
		</div>
	);
}

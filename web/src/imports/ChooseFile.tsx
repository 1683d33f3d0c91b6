import { useState } from "react";
import { Link } from "react-router";
import { at } from "../api/at";
import { useHouse } from "../house/context";
import { useTo } from "../house/lens";
import { may } from "../house/rights";
import { Downloads } from "../parts/Downloads";
import { DropPlace } from "../parts/DropPlace";
import { useNotice } from "../parts/notice";
import { send } from "./send";

/** What can be imported, in the order in which an organisation is. */
export const kinds = [
	{
		id: "people",
		name: "People",
		about: "Names, user names, managers, home areas, licences; their roles and groups at once.",
	},
	{ id: "groups", name: "Groups", about: "Groups with who is in them, one member a row or several in a cell." },
	{ id: "assignments", name: "Assignments", about: "Who gets which role or set, at which area, from when until when." },
	{
		id: "last-use",
		name: "Last uses",
		about: "When each person last used a system, so that unused access can be found.",
	},
];

const out: { name: string; forms: [form: string, href: string][] }[] = [
	{ name: "The whole design", forms: [["Model file", "/api/model.json"]] },
	{ name: "People and groups", forms: [["LDIF", "/api/people-and-groups.ldif"]] },
	{
		name: "Assignments",
		forms: [
			["CSV", "/api/lists/assignment/csv"],
			["XLSX", "/api/lists/assignment/xlsx"],
		],
	},
	{
		name: "Last uses",
		forms: [
			["CSV", "/api/lists/last-use/csv"],
			["XLSX", "/api/lists/last-use/xlsx"],
		],
	},
	{
		name: "What everybody effectively holds",
		forms: [
			["CSV", "/api/effective.csv"],
			["JSON Lines", "/api/effective.jsonl"],
		],
	},
];

/** Takes a file: dropped, or chosen. */
export function ChooseFile({ onTaken }: { onTaken: (id: string) => void }) {
	const { me } = useHouse();
	const { refuse } = useNotice();
	const to = useTo();
	const [sending, setSending] = useState<{ name: string; part: number; cancel: () => void }>();
	const take = async (file: File) => {
		const sent = send(file, undefined, (part) => setSending((s) => s && { ...s, part }));
		const cancel = () => {
			sent.cancel();
			setSending(undefined);
		};
		setSending({ name: file.name, part: 0, cancel });
		try {
			onTaken((await sent.done).id);
		} catch (error) {
			refuse(error);
			setSending(undefined);
		}
	};
	return (
		<div className="grid min-h-0 grow grid-cols-[minmax(0,1fr)_380px] gap-[18px] pt-3 pb-[18px]">
			<DropPlace
				label="File to import"
				accept=".csv,.tsv,.txt,.xlsx,.ldif,.json,.jsonl,.ndjson"
				onFile={take}
				className={(over) =>
					`flex flex-col items-center justify-center border-[3px] ${over ? "border-slate bg-raised" : "border-dashed border-[var(--beam)]"}`
				}
			>
				{(choose) =>
					sending ? (
						<>
							<p role="status" data-waiting>
								Sending <b>{sending.name}</b> …
							</p>
							<progress className="my-3 block w-[300px]" max={1} value={sending.part} />
							<button type="button" className="action" onClick={sending.cancel}>
								Cancel
							</button>
						</>
					) : (
						<>
							<p className="text-[18px] font-bold">Drop a file here</p>
							<p className="mt-1 mb-4 text-quiet">
								CSV, a workbook (XLSX), LDIF or JSON Lines, as it comes out of another program
							</p>
							<button type="button" className="action main" onClick={choose}>
								Choose a file …
							</button>
							<p className="mt-5 max-w-[460px] text-center text-quiet">
								It is only tried at first: you see what each row would do, correct what is wrong, and put the rest into
								your draft. Nothing of {me.organisation} changes before you apply that.
							</p>
						</>
					)
				}
			</DropPlace>
			<section aria-label="What can be imported" className="min-h-0 overflow-auto">
				<h2 className="border-b-2 border-[var(--beam)] pb-1 text-[14px] font-bold">What can be imported</h2>
				<ul>
					{kinds.map((k) => (
						<li key={k.id} className="border-b border-hair py-[10px]">
							<p className="font-semibold">{k.name}</p>
							<p className="text-quiet">{k.about}</p>
							<p className="mt-1 flex gap-3 text-[12px]">
								<span className="text-quiet">A file to fill in:</span>
								<Downloads path={`/api/import-templates/${k.id}`} query={{}} />
							</p>
						</li>
					))}
				</ul>
				{may(me, "catalogue:edit") && (
					<div className="border-b border-hair py-[10px]">
						<p>
							<Link className="link" to={to("/upgrade")}>
								A system’s catalogue
							</Link>
						</p>
						<p className="text-quiet">A new system, or the next version of one: what it changes is shown first.</p>
					</div>
				)}
				<p className="pt-3 text-quiet">
					An empty cell leaves what is there; a dash takes it away. People are recognised by external id, user name or
					e-mail, so the same file can be imported twice.
				</p>
				<h2 className="mt-5 border-b-2 border-[var(--beam)] pb-1 text-[14px] font-bold">To export</h2>
				<ul className="pt-1">
					{out.map((o) => (
						<li key={o.name} className="flex items-baseline gap-3 py-[3px]">
							<span className="grow">{o.name}</span>
							{o.forms.map(([form, href]) => (
								<a key={form} className="link" href={at(href)} download>
									{form}
								</a>
							))}
						</li>
					))}
				</ul>
				<p className="pt-1 text-quiet">Lists and sheets have their own CSV and XLSX.</p>
			</section>
		</div>
	);
}

import { useState } from "react";
import type { Schemas } from "../api/client";
import { DropPlace } from "../parts/DropPlace";
import { useNotice } from "../parts/notice";
import { Picker } from "../parts/Picker";
import { alterWorklist, gather, gathered, gatherFile, type Source, useListing } from "./hooks";

/** Puts people on a worklist: by a text, a filter, what they hold or belong to, or a file; and tells what was not recognised. */
export function Gather({ list }: { list: Schemas["Worklist"] }) {
	const { tell } = useNotice();
	const [text, setText] = useState("");
	const [query, setQuery] = useState("");
	const add = useListing(gather);
	const file = useListing(gatherFile);
	const done = { onSuccess: (g: Schemas["WorklistGathered"]) => tell(gathered(g)) };
	const from = (source: Source, then?: () => void) =>
		add.mutate(
			{ id: list.id, from: source },
			{
				onSuccess: (g) => {
					then?.();
					tell(gathered(g));
				},
			},
		);
	const busy = add.isPending || file.isPending;
	return (
		<section aria-label="Gather" className="flex min-h-0 flex-col overflow-auto pr-[14px]">
			<h2 className="border-b-[3px] border-[var(--beam)] text-[14px] font-bold">Gather</h2>
			<DropPlace
				label="File with people"
				accept=".csv,.tsv,.txt,.xlsx,.ldif,.json,.jsonl,.ndjson"
				onFile={(f) => file.mutate({ id: list.id, file: f }, done)}
				className={(over) => `mt-2 ${over ? "outline-[3px] outline-slate" : ""}`}
			>
				{(choose) => (
					<form
						onSubmit={(e) => {
							e.preventDefault();
							if (text.trim()) from({ text }, () => setText(""));
						}}
					>
						<textarea
							aria-label="People, one a line or separated"
							className="field h-[92px] font-mono text-[12px]"
							placeholder={
								"paste ids, user names, e-mail\naddresses or names, one a line\nor separated; or drop a file"
							}
							value={text}
							onChange={(e) => setText(e.target.value)}
							onKeyDown={(e) => {
								if (e.key === "Enter" && (e.ctrlKey || e.metaKey)) e.currentTarget.form?.requestSubmit();
							}}
						/>
						<div className="mt-1 flex items-baseline gap-3">
							<button type="submit" className="action" disabled={busy || !text.trim()}>
								Gather these
							</button>
							<span className="grow" />
							<button type="button" className="link" onClick={choose}>
								From a file …
							</button>
						</div>
					</form>
				)}
			</DropPlace>
			<form
				className="mt-3 flex items-center gap-2"
				onSubmit={(e) => {
					e.preventDefault();
					if (query.trim()) from({ query: query.trim() }, () => setQuery(""));
				}}
			>
				<input
					aria-label="Words, or a filter"
					className="field min-w-0 grow"
					placeholder='words, or title eq "…"'
					value={query}
					onChange={(e) => setQuery(e.target.value)}
				/>
				<button type="submit" className="action" disabled={busy || !query.trim()}>
					All of these
				</button>
			</form>
			<div className="mt-2">
				<Picker
					kinds={["role", "set", "group", "licence", "area"]}
					label="Whose people"
					placeholder="all of a role, set, group, licence or area …"
					onPick={(r) => from({ of: { kind: r.kind as Schemas["End"]["kind"], id: r.id } })}
				/>
			</div>
			{list.unclear.length > 0 && <NotRecognised list={list} />}
		</section>
	);
}

/** What was gathered and names nobody, or more than one: nothing is dropped unsaid. */
function NotRecognised({ list }: { list: Schemas["Worklist"] }) {
	const alter = useListing(alterWorklist);
	const add = useListing(gather);
	const take = (text: string, id: string) =>
		add.mutate(
			{ id: list.id, from: { people: [id] } },
			{ onSuccess: () => alter.mutate({ id: list.id, body: { clear: [text] } }) },
		);
	return (
		<section aria-label="Not recognised" className="mt-4">
			<h3 className="flex items-baseline gap-3 border-b-2 border-ochre-line font-bold text-ochre">
				<span className="grow">Not recognised: {list.unclear.length}</span>
				<button
					type="button"
					className="link text-[12px]"
					onClick={() => alter.mutate({ id: list.id, body: { clear: list.unclear.map((u) => u.text) } })}
				>
					Done with all
				</button>
			</h3>
			<ul>
				{list.unclear.map((u) => (
					<li key={u.text} className="border-b border-hair py-1.5">
						<p className="flex items-baseline gap-2">
							<span className="min-w-0 grow break-words font-mono text-[12px]">{u.text}</span>
							<button
								type="button"
								className="link shrink-0 text-[12px]"
								aria-label={`Done with it: ${u.text}`}
								onClick={() => alter.mutate({ id: list.id, body: { clear: [u.text] } })}
							>
								Done with it
							</button>
						</p>
						{u.meant && (
							<p className="text-[12px]">
								did you mean{" "}
								<button type="button" className="link" data-meant onClick={() => u.meant && take(u.text, u.meant.id)}>
									{u.meant.name}
								</button>
								?
							</p>
						)}
						{u.could.length > 0 && (
							<p className="text-[12px]">
								could be{" "}
								{u.could.map((c, i) => (
									<span key={c.id}>
										{i > 0 && ", "}
										<button type="button" className="link" onClick={() => take(u.text, c.id)}>
											{c.name} ({c.id})
										</button>
									</span>
								))}
							</p>
						)}
					</li>
				))}
			</ul>
		</section>
	);
}

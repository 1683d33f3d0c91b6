import type { Schemas } from "../api/client";
import { Few } from "../parts/More";
import { Chips } from "../parts/Picker";
import { count, Named } from "../parts/words";

const kinds: Record<string, [one: string, many: string]> = {
	"new user": ["new person", "new people"],
	user: ["person changed", "people changed"],
	"new group": ["new group", "new groups"],
	group: ["group changed", "groups changed"],
	"new assignment": ["new assignment", "new assignments"],
	assignment: ["assignment changed", "assignments changed"],
};

/** What all rows do together, how the whole file is taken, and the way into the draft. */
export function Effect({
	file,
	busy,
	drafting,
	onAlter,
	onDraft,
}: {
	file: Schemas["Import"];
	busy: boolean;
	/** It is on its way into the draft, which takes a while for many rows. */
	drafting: boolean;
	onAlter: (how: Schemas["ImportHow"]) => void;
	onDraft: () => void;
}) {
	const wrong = file.counts.error ?? 0;
	const effects = Object.entries(kinds).filter(([kind]) => (file.effect[kind] ?? 0) > 0);
	const held = !!file.stop || effects.length === 0;
	return (
		<section
			aria-label="Effect"
			className="flex min-h-0 flex-col overflow-auto border-l-[3px] border-[var(--beam)] pl-[14px]"
		>
			<h2 className="border-b-2 border-[var(--beam)] pb-1 text-[14px] font-bold">Effect</h2>
			{file.stop && (
				<p role="alert" className="mt-2 border-l-8 border-ox bg-raised px-2 py-1">
					{file.stop}
				</p>
			)}
			<ul className="mt-1">
				{effects.map(([kind, [one, many]]) => (
					<li key={kind} data-effect={kind} className="border-b border-hair py-1">
						<b className="text-[18px] tabular-nums">{(file.effect[kind] ?? 0).toLocaleString("en-GB")}</b>{" "}
						{file.effect[kind] === 1 ? one : many}
					</li>
				))}
			</ul>
			{effects.length === 0 && !file.stop && (
				<p className="py-2 text-quiet">
					{wrong > 0 ? "Nothing yet: correct the rows first." : "Everything in the file is already so."}
				</p>
			)}
			{file.kind === "people" && (
				<div className="mt-3 space-y-2">
					<p className="text-[12px] text-quiet">New people whose rows name no role get</p>
					<Chips
						kinds={["role"]}
						label="Role for all such rows"
						placeholder="a role …"
						chosen={file.roles}
						onChange={(roles) => onAlter(roles.length > 0 ? { roles: roles.map((r) => r.id) } : { noRoles: true })}
					/>
					<label className="flex items-start gap-2">
						<input
							type="checkbox"
							className="mt-[3px]"
							checked={file.bare}
							onChange={(e) => onAlter({ bare: e.target.checked })}
						/>
						they may come with nothing
					</label>
					<label className="flex items-start gap-2">
						<input
							type="checkbox"
							className="mt-[3px]"
							checked={file.missing}
							onChange={(e) => onAlter({ missing: e.target.checked })}
						/>
						deactivate whom the file does not have
					</label>
					{file.missing && (
						<label className="flex items-center gap-2 text-[12px]">
							but at most
							<input
								type="number"
								aria-label="At most this share, in percent"
								className="field max-w-[64px]"
								min={1}
								max={100}
								defaultValue={file.share}
								onBlur={(e) =>
									Number(e.target.value) !== file.share && onAlter({ share: Number(e.target.value) || 10 })
								}
							/>
							% of all
						</label>
					)}
					{file.staying.length > 0 && (
						<details>
							<summary className="cursor-pointer text-ochre">
								{count(file.staying.length, "person stays", "people stay")} though the file does not have them
							</summary>
							<ul className="max-h-[160px] overflow-auto">
								<Few of={file.staying} most={100}>
									{(staying, more) => (
										<>
											{staying.map((s) => (
												<li key={s.who.id}>
													<Named of={s.who} /> <span className="text-quiet">{s.why}</span>
												</li>
											))}
											{more && <li>{more}</li>}
										</>
									)}
								</Few>
							</ul>
						</details>
					)}
					{file.leave > 0 && (
						<details>
							<summary className="cursor-pointer text-ox">
								{count(file.leave, "person", "people")} would be deactivated
							</summary>
							<ul className="max-h-[160px] overflow-auto">
								<Few of={file.leaving} most={100} total={file.leave}>
									{(leaving, more) => (
										<>
											{leaving.map((r) => (
												<li key={r.id} className="truncate">
													<Named of={r} />
												</li>
											))}
											{more && <li>{more}</li>}
										</>
									)}
								</Few>
							</ul>
						</details>
					)}
				</div>
			)}
			<span className="grow" />
			{wrong > 0 && !held && (
				<p className="mt-3 text-[12px] text-ox">
					{count(wrong, "row", "rows")} with errors {wrong === 1 ? "stays" : "stay"} out.
				</p>
			)}
			<button type="button" className="action main mt-2 mb-3" disabled={busy || drafting || held} onClick={onDraft}>
				{drafting ? "Computing what it does …" : file.kind === "last-use" ? "Record these uses" : "Put into the draft"}
			</button>
		</section>
	);
}

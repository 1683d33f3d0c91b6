import type { Schemas } from "../api/client";
import { Choose } from "../parts/Choose";

/** What each column holds, as it was recognised; each can be said otherwise. */
export function Columns({ file, onColumns }: { file: Schemas["Import"]; onColumns: (fields: string[]) => void }) {
	const taken = file.columns.map((c) => c.field);
	const lacking = file.fields.filter(
		(f) => f.required && !taken.includes(f.name) && !(f.name === "displayName" && taken.includes("familyName")),
	);
	return (
		<section aria-label="Columns" className="shrink-0 pb-4">
			<h2 className="border-b-2 border-[var(--beam)] pb-1 text-[14px] font-bold">
				Columns <span className="ml-1 font-normal text-quiet">and what they hold</span>
			</h2>
			{lacking.map((f) => (
				<p key={f.name} role="alert" className="border-l-8 border-ox bg-raised px-2 py-1 text-[12px]">
					No column contains <b>{f.title}</b>.
				</p>
			))}
			<ul>
				{file.columns.map((c, i) => (
					// biome-ignore lint/suspicious/noArrayIndexKey: a column is the same only by its place
					<li key={i} className="border-b border-hair py-[5px]">
						<p className="flex items-center gap-2">
							<span className="min-w-0 grow truncate font-semibold" title={c.title}>
								{c.title}
							</span>
							<Choose
								label={`What ${c.title} holds`}
								className={`field max-w-[128px] shrink-0 ${c.field ? "" : "text-quiet"}`}
								value={c.field}
								options={[
									{ value: "", name: "left out" },
									...file.fields.map((f) => ({ value: f.name, name: f.title })),
								]}
								onChange={(field) => onColumns(taken.map((f, j) => (j === i ? field : f === field ? "" : f)))}
							/>
						</p>
						<p className="mt-[3px] truncate text-[12px] text-quiet" title={c.samples.join(", ")}>
							{c.samples.length > 0 ? c.samples.join(" · ") : "it is empty"}
						</p>
					</li>
				))}
			</ul>
		</section>
	);
}

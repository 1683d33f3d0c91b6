import { useSearchParams } from "react-router";
import type { Schemas } from "../api/client";
import { useAreas } from "../api/hooks";

/** Under the lintel: which area every view is about, and what the present page says of itself. */
export function ContextLine({ aside, me }: { aside: string; me: Schemas["Me"] }) {
	const [params, setParams] = useSearchParams();
	const areas = useAreas();
	const where = params.get("where") ?? "";
	const root = areas.data?.[0];
	const here = areas.data?.find((a) => a.id === where);
	const choose = (id: string) =>
		setParams((p) => {
			const next = new URLSearchParams(p);
			if (id && id !== root?.id) next.set("where", id);
			else next.delete("where");
			return next;
		});
	return (
		<div className={`flex h-[38px] shrink-0 items-center gap-2 border-b-[3px] border-[var(--beam)] px-[18px] ${where ? "bg-sunk" : ""}`}>
			<label htmlFor="where" className="text-[12px] text-quiet">
				Where
			</label>
			<select
				id="where"
				value={where}
				onChange={(e) => choose(e.target.value)}
				className="max-w-[260px] bg-transparent py-1 font-semibold text-slate"
			>
				<option value="">Whole organisation</option>
				{areas.data?.slice(1).map((a) => (
					<option key={a.id} value={a.id}>
						{"\u00a0\u00a0".repeat(a.depth) + a.name}
					</option>
				))}
				{where && areas.data && !here && <option value={where}>{where} (no such area)</option>}
			</select>
			{where && (
				<span className="text-[12px] text-quiet">
					only what counts somewhere there{" "}
					<button type="button" className="link ml-1" onClick={() => choose("")}>
						Show all
					</button>
				</span>
			)}
			<span className="grow" />
			<span className="truncate text-[12px] text-quiet">{aside || me.organisation}</span>
			<span className="text-[12px] text-quiet">
				<kbd>?</kbd> keys
			</span>
		</div>
	);
}

import type { Schemas } from "../api/client";
import { Few } from "../parts/More";
import { count, NamedAll, riskWords } from "../parts/words";

/** What a delegation covers now, in figures. */
export function Covers({ of: c, full }: { of: Schemas["Coverage"]; full?: boolean }) {
	if (c.trouble) return <p className="font-semibold text-ox">✕ {c.trouble}</p>;
	return (
		<div className="min-w-0 text-[12px]">
			<p>
				<b className="text-[14px]">{count(c.count, "person", "people")}</b>
				{c.gives > 0 && (
					<>
						{" · "}
						{count(c.gives, "permission", "permissions")}
						{c.risk > 0 && (
							<>
								{", up to "}
								<b className={c.risk === 3 ? "text-ox" : "text-ochre"}>{riskWords[c.risk]}</b>
							</>
						)}
					</>
				)}
				{" · "}
				{count(c.areas.length, "area", "areas")}
			</p>
			<p className={`text-quiet ${full ? "" : "line-clamp-2"}`}>
				{c.people.slice(0, full ? 40 : 6).map((p, i) => (
					<span key={p.id}>
						{i > 0 && ", "}
						{p.name}
					</span>
				))}
				{c.count > (full ? 40 : 6) && " …"}
			</p>
			{c.above.length > 0 && (
				<p className="text-ochre">
					Out of reach, since they hold something critical that the delegate does not:{" "}
					<Few of={c.above} most={full ? 20 : 3}>
						{(above, more) => (
							<>
								{above.map((p) => p.name).join(", ")} {more}
							</>
						)}
					</Few>
				</p>
			)}
			{c.closed.length > 0 && (
				<p className="text-ochre">
					Closed, since they hold more than could be assigned: <NamedAll of={c.closed} />
				</p>
			)}
		</div>
	);
}

import { useQuery } from "@tanstack/react-query";
import { Link, useSearchParams } from "react-router";
import { api, data, type Schemas } from "../../api/client";
import { design } from "../../api/hooks";
import { useSet, useTo } from "../../house/lens";
import { Loaded } from "../../parts/loading";
import { Picker } from "../../parts/Picker";
import { addressOf, Named, Risk } from "../../parts/words";

type CompareKind = "user" | "group" | "role" | "set";

/** Two people, or a person and a group, role or set, side by side: only where they differ. */
export function Comparison({ left }: { left: Schemas["Ref"] }) {
	const [params] = useSearchParams();
	const set = useSet();
	const [kind, id] = (params.get("with") ?? "").split(/:(.*)/s);
	const query = useQuery({
		queryKey: [...design, "compare", left.kind, left.id, kind, id],
		queryFn: () =>
			data(
				api.GET("/api/compare", {
					params: { query: { leftKind: left.kind as CompareKind, left: left.id, rightKind: kind as CompareKind, right: id } },
				}),
			),
		enabled: !!id,
	});
	return (
		<div className="flex min-h-0 grow flex-col px-[18px] py-3">
			<div className="flex items-center gap-3">
				<span>
					<b>{left.name}</b> beside
				</span>
				<Picker
					kinds={["user", "role", "group", "set"]}
					label="Compare with"
					placeholder="a person, role, group or set …"
					className="field max-w-[320px]"
					without={[left.id]}
					autoFocus={!id}
					onPick={(r) => set({ with: `${r.kind}:${r.id}` })}
				/>
			</div>
			{id ? (
				<Loaded query={query}>{(c) => <Differences comparison={c} />}</Loaded>
			) : (
				<p className="mt-4 text-quiet">Choose whom or what to compare with: only the differences are shown.</p>
			)}
		</div>
	);
}

function Differences({ comparison: c }: { comparison: Schemas["Comparison"] }) {
	const to = useTo();
	const where = (list: Schemas["Holding"][]) =>
		list
			.map((h) => (h.whole ? "everywhere" : `${h.area.name}${h.reach === "own" ? ", own records" : h.reach === "line" ? ", own line" : ""}`))
			.join("; ");
	const rows = c.systems.reduce((n, s) => n + s.rows.length, 0);
	return (
		<>
			<p className="mt-3">
				{rows === 0 ? (
					<b className="text-moss">✓ They hold exactly the same: {c.same} permissions.</b>
				) : (
					<span className="text-quiet">
						{rows} differences; {c.same} permissions are held alike and not shown.
					</span>
				)}
			</p>
			<div className="mt-2 min-h-0 grow overflow-auto border-t-[3px] border-[var(--beam)]">
				<table className="w-full table-fixed">
					<thead className="sticky top-0 bg-plaster text-left">
						<tr className="border-b border-[var(--beam)]">
							<th scope="col" className="w-[36%] py-1">
								Permission
							</th>
							<th scope="col" className="w-[32%]">
								<Named of={c.left} />
							</th>
							<th scope="col" className="w-[32%]">
								<Named of={c.right} />
							</th>
						</tr>
					</thead>
					{c.systems.map((s) => (
						<tbody key={s.system.id}>
							<tr>
								<th scope="rowgroup" colSpan={3} className="pt-3 text-left text-[14px]">
									{s.system.name}
								</th>
							</tr>
							{s.rows.map((r) => (
								<tr key={r.key} data-difference={r.key} className="border-b border-hair align-top">
									<td className="py-1 pr-3">
										<Link className="link font-mono text-[12px]" to={to(addressOf("permission", r.key) ?? "/")}>
											{r.object}:{r.action}
										</Link>{" "}
										<Risk level={r.risk} />
									</td>
									{[r.left, r.right].map((side, i) => (
										// biome-ignore lint/suspicious/noArrayIndexKey: left and right
										<td key={i} className={`py-1 pr-3 ${side.length > 0 ? "text-moss" : "text-quiet"}`}>
											{side.length > 0 ? where(side) : "—"}
										</td>
									))}
								</tr>
							))}
						</tbody>
					))}
				</table>
			</div>
		</>
	);
}

import { useEffect } from "react";
import { Link, useSearchParams } from "react-router";
import { type Ask, useAsk } from "../api/ask";
import { data, type Schemas } from "../api/client";
import { design, listQuery } from "../api/hooks";
import { useHouse } from "../house/context";
import { useSet, useTo } from "../house/lens";
import { Choose } from "../parts/Choose";
import { Downloads } from "../parts/Downloads";
import { Loaded } from "../parts/loading";
import { Rooms } from "../parts/tabs";
import { addressOf, count, Named, Risk } from "../parts/words";

const kinds = [
	{ id: "licence", name: "licences" },
	{ id: "role", name: "roles" },
	{ id: "set", name: "supplied sets" },
	{ id: "own", name: "own sets" },
] as const;

type Kind = (typeof kinds)[number]["id"];

/** One table of what each licence, role and set can do in a system: to read, to print, to take along. */
export function Capabilities() {
	const [params] = useSearchParams();
	const set = useSet(false);
	const { setAside } = useHouse();
	const systems = useAsk(listQuery("system", { limit: 500 }));
	const system =
		params.get("system") ?? systems.data?.rows.find((r) => r.id !== "fachwerk")?.id ?? systems.data?.rows[0]?.id;
	const shown = (params.get("kinds") ?? "licence,role,set")
		.split(",")
		.filter((k): k is Kind => kinds.some((x) => x.id === k));
	const query = useAsk({
		queryKey: [...design, "capabilities", system, shown],
		queryFn: (ask: Ask) =>
			data(ask.GET("/api/capabilities", { params: { query: { system: system ?? "", kind: shown } } })),
		enabled: !!system,
		placeholderData: (before) => before,
	});
	const c = query.data;
	useEffect(() => {
		if (c) setAside(`${count(c.rows.length, "permission", "permissions")} by ${c.columns.length}`);
		return () => setAside("");
	}, [setAside, c]);
	return (
		<div className="flex h-full flex-col px-[18px] pt-3 print:block print:h-auto">
			<div className="flex items-baseline gap-4">
				<Rooms />
				<span className="grow" />
				{system && (
					<Downloads path="/api/capabilities" query={{ system, kind: shown }}>
						<button type="button" className="link" onClick={() => window.print()}>
							Print
						</button>
					</Downloads>
				)}
			</div>
			<div className="mt-2 mb-2 flex flex-wrap items-center gap-4 print:hidden">
				<span className="flex items-center gap-2">
					<label htmlFor="system" className="whitespace-nowrap text-quiet">
						What can be done in
					</label>
					<Choose
						id="system"
						className="field max-w-[220px]"
						value={system ?? ""}
						options={(systems.data?.rows ?? []).map((r) => ({ value: r.id, name: r.name }))}
						onChange={(system) => set({ system })}
					/>
				</span>
				<fieldset className="flex items-center gap-4">
					<legend className="sr-only">Columns</legend>
					<span className="text-quiet">by</span>
					{kinds.map((k) => (
						<label key={k.id} className="flex items-center gap-1">
							<input
								type="checkbox"
								checked={shown.includes(k.id)}
								disabled={shown.length === 1 && shown[0] === k.id}
								onChange={(e) =>
									set({
										kinds: kinds
											.map((x) => x.id)
											.filter((x) => (x === k.id ? e.target.checked : shown.includes(x)))
											.join(","),
									})
								}
							/>
							{k.name}
						</label>
					))}
				</fieldset>
			</div>
			{systems.data?.rows.length === 0 ? (
				<p className="text-quiet">There are no systems yet.</p>
			) : (
				system && <Loaded query={query}>{(answer) => <Table capabilities={answer} />}</Loaded>
			)}
		</div>
	);
}

function Table({ capabilities: c }: { capabilities: Schemas["Capabilities"] }) {
	const to = useTo();
	if (c.columns.length === 0)
		return <p className="text-quiet">No licence, role or set of these has anything to do with {c.system.name}.</p>;
	const word: Record<string, string> = { licence: "licence", role: "role", set: "set" };
	return (
		<div
			className="relative min-h-0 grow overflow-auto print:overflow-visible"
			// biome-ignore lint/a11y/noNoninteractiveTabindex: the table is scrolled by keys
			tabIndex={0}
			data-capabilities={c.system.id}
		>
			<table className="border-separate border-spacing-0 text-[12px]">
				<thead>
					<tr>
						<th
							scope="col"
							className="sticky top-0 left-0 z-20 border-b-[3px] border-[var(--beam)] bg-plaster pb-1 text-left align-bottom font-normal text-quiet"
						>
							{c.system.name}: object and action
						</th>
						{c.columns.map((x) => (
							<th
								key={`${x.ref.kind} ${x.ref.id}`}
								scope="col"
								className="sticky top-0 z-10 h-[150px] w-[26px] min-w-[26px] border-b-[3px] border-[var(--beam)] bg-plaster align-bottom font-semibold"
								title={`${x.ref.name}, ${word[x.ref.kind] ?? x.ref.kind}: ${x.gives} of ${c.rows.length}`}
							>
								<span className="mx-auto mb-1 block max-h-[142px] w-fit rotate-180 truncate [text-orientation:sideways] [writing-mode:vertical-rl]">
									<Named of={x.ref} />
								</span>
							</th>
						))}
						<th
							scope="col"
							className="sticky top-0 z-10 border-b-[3px] border-[var(--beam)] bg-plaster px-2 pb-1 align-bottom font-normal text-quiet"
						>
							held by
						</th>
					</tr>
				</thead>
				<tbody>
					{c.rows.map((r, i) => {
						const first = c.rows[i - 1]?.object !== r.object;
						const line = first && i > 0 ? "border-t border-[var(--beam)]" : "border-t border-hair";
						return (
							<tr key={r.key} className="group hover:bg-sunk" data-permission={r.key}>
								<th
									scope="row"
									className={`sticky left-0 z-10 bg-plaster pr-3 text-left font-normal group-hover:bg-sunk ${line}`}
								>
									<span className="flex items-baseline gap-2 py-[3px]">
										<span className="w-[130px] shrink-0 truncate font-mono">{first ? r.object : ""}</span>
										<Link
											className="link w-[80px] shrink-0 truncate font-mono"
											to={to(addressOf("permission", r.key) ?? "/")}
											title={r.label}
										>
											{r.action}
										</Link>
										<span className="w-[60px] shrink-0">
											<Risk level={r.risk} />
										</span>
									</span>
								</th>
								{c.columns.map((x, j) => (
									<td
										key={`${x.ref.kind} ${x.ref.id}`}
										className={`text-center ${line} ${x.ref.kind === "licence" ? "text-slate" : "text-moss"}`}
									>
										{r.by.includes(j) && (
											<span title={`${x.ref.name} ${x.ref.kind === "licence" ? "allows" : "gives"} ${r.key}`}>
												{x.ref.kind === "licence" ? "◆" : "■"}
												<span className="sr-only">{x.ref.kind === "licence" ? "allows" : "gives"}</span>
											</span>
										)}
									</td>
								))}
								<td className={`px-2 text-right tabular-nums text-quiet ${line}`}>
									{r.holders.toLocaleString("en-GB")}
								</td>
							</tr>
						);
					})}
				</tbody>
			</table>
			<p className="py-2 text-[12px] text-quiet">
				<span className="text-moss">■</span> gives it · <span className="text-slate">◆</span> is the licence that is
				enough for it; what no licence allows needs none
			</p>
		</div>
	);
}

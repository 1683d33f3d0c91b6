import { useEffect, useState } from "react";
import { Link, useParams } from "react-router";
import type { Schemas } from "../../api/client";
import { useSystem } from "../../api/hooks";
import { useHouse } from "../../house/context";
import { useTo } from "../../house/lens";
import { DeleteBoard } from "../../parts/DeleteBoard";
import { Loaded } from "../../parts/loading";
import { Line, Part, SheetHead } from "../../parts/sheet";
import { addressOf, count, Named, riskWords } from "../../parts/words";
import { EditPermission } from "../permission/EditPermission";
import { EditSystem } from "./EditSystem";
import { PoolBar } from "./LicenceSheet";

/** The sheet of a system: its catalogue by module and object, what comes with it, and its licences. */
export function SystemSheet() {
	const { id = "" } = useParams();
	const sheet = useSystem(id);
	return <Loaded query={sheet}>{(s) => <Shown key={id} sheet={s} />}</Loaded>;
}

function Shown({ sheet }: { sheet: Schemas["SystemSheet"] }) {
	const { setAside } = useHouse();
	const to = useTo();
	const [words, setWords] = useState("");
	const [board, setBoard] = useState<"edit" | "delete" | "permission" | null>(null);
	const close = () => setBoard(null);
	const editable = sheet.may && sheet.draft !== "gone";
	const { ref, system } = sheet;
	const total = system.permissions.length;
	useEffect(() => {
		setAside(`${ref.name} has ${count(total, "permission", "permissions")}`);
		return () => setAside("");
	}, [setAside, ref.name, total]);
	const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
	const fits = (b: Schemas["CatalogueBrick"]) =>
		wanted.every((w) =>
			`${b.key} ${b.label ?? ""} ${b.description ?? ""} ${b.class} ${riskWords[b.risk]}`.toLowerCase().includes(w),
		);
	const modules = sheet.modules
		.map((m) => ({
			...m,
			courses: m.courses.map((c) => ({ ...c, bricks: c.bricks.filter(fits) })).filter((c) => c.bricks.length > 0),
		}))
		.filter((m) => m.courses.length > 0);
	return (
		<div className="flex h-full flex-col">
			<SheetHead
				table={{ kind: "system", id: ref.id }}
				kind="system"
				name={ref.name}
				marks={
					<span className="text-quiet">
						{[system.version && `version ${system.version}`, system.supplier].filter(Boolean).join(" · ")}
					</span>
				}
				draft={sheet.draft}
				about={system.description}
			>
				{editable && (
					<>
						<button type="button" className="action" onClick={() => setBoard("edit")}>
							Edit …
						</button>
						<Link className="action" to={to(`/upgrade?system=${encodeURIComponent(ref.id)}`)}>
							New version …
						</Link>
						<button type="button" className="action" onClick={() => setBoard("permission")}>
							New permission …
						</button>
						<button type="button" className="action danger" onClick={() => setBoard("delete")}>
							Delete …
						</button>
					</>
				)}
			</SheetHead>
			<div className="grid min-h-0 grow grid-cols-[minmax(0,1fr)_320px]">
				<div className="flex min-h-0 flex-col">
					<div className="flex items-center gap-4 px-[18px] py-2">
						<input
							aria-label="Find in the catalogue"
							className="field max-w-[360px]"
							placeholder="find by name, object, field, class, risk or what it does"
							value={words}
							onChange={(e) => setWords(e.target.value)}
						/>
						<span className="text-[12px] text-quiet">On each brick: how many people hold it.</span>
					</div>
					<div className="min-h-0 grow overflow-auto px-[18px] pb-4">
						{modules.length === 0 && (
							<p className="py-4 text-quiet">
								{words ? "No permission here matches." : "This system has no permissions."}
							</p>
						)}
						{modules.map((m) => (
							<section key={m.name} className="mt-2 border-l-[3px] border-[var(--beam)] pl-[10px]">
								<h2 className="text-[14px] font-bold">{m.name || "Without a module"}</h2>
								{m.courses.map((c) => (
									<div key={c.object} className="flex items-start py-[2px]">
										<span className="w-[150px] shrink-0 pt-[4px] pr-2 font-mono text-[12px] break-words">
											{c.object}
										</span>
										<div className="flex min-w-0 flex-wrap gap-[5px]">
											{c.bricks.map((b) => (
												<Link
													key={b.key}
													data-brick={b.key}
													to={to(addressOf("permission", b.key) ?? "/")}
													title={`${b.key} — ${b.label ?? ""}${b.description ? `: ${b.description}` : ""}`}
													className={`flex items-baseline gap-2 border-[1.5px] bg-raised px-[8px] py-[2px] hover:bg-sunk ${b.class === "read" ? "border-hair" : "border-[var(--beam)]"} ${b.class === "admin" ? "border-double border-[4px] !py-0" : ""}`}
												>
													<span className="font-semibold">{b.action}</span>
													{b.risk > 0 && (
														<span className={`text-[11px] font-semibold ${b.risk === 3 ? "text-ox" : "text-ochre"}`}>
															{riskWords[b.risk]}
														</span>
													)}
													{b.whole && <span className="narrow text-[11px] text-quiet">whole only</span>}
													<span className={`text-[11px] ${b.holders === 0 ? "text-quiet" : "text-moss"}`}>
														{b.holders.toLocaleString("en-GB")}
													</span>
												</Link>
											))}
										</div>
									</div>
								))}
							</section>
						))}
					</div>
					<p className="shrink-0 border-t border-hair px-[18px] py-1 text-[12px] text-quiet">
						Thin edge: read · dark edge: write · double edge: admin
					</p>
				</div>
				<div className="min-h-0 overflow-auto border-l-[3px] border-[var(--beam)] px-[18px] py-3">
					<Part title="Licences">
						{sheet.pools.length === 0 && <p className="py-1.5 text-quiet">It needs none.</p>}
						<ul>
							{sheet.pools.map((p) => (
								<li key={p.licence.id} className="border-b border-hair py-1.5">
									<p className="flex">
										<b className="grow">
											<Named of={p.licence} />
										</b>
										{(p.used + p.others).toLocaleString("en-GB")}{" "}
										{p.seats === undefined ? "seats, no limit" : `of ${p.seats.toLocaleString("en-GB")} seats`}
									</p>
									<PoolBar pool={p} />
									<p className="text-[12px] text-quiet">
										{[
											p.idle > 0 && `${p.idle} not used for 90 days`,
											p.lacking > 0 && `${p.lacking} went without`,
											p.covers.length > 0 && `covers ${p.covers.map((c) => c.name).join(", ")}`,
										]
											.filter(Boolean)
											.join(" · ")}
									</p>
								</li>
							))}
						</ul>
					</Part>
					<Part title="Supplied sets" count={sheet.sets.length}>
						<ul>
							{sheet.sets.map((l) => (
								<Line key={l.ref.id} aside={`${l.gives} · ${l.note.replace("supplied ", "")}`}>
									<Named of={l.ref} />
								</Line>
							))}
						</ul>
					</Part>
					<Part title="Roles that give something of it" count={sheet.roles.length}>
						<ul>
							{sheet.roles.map((l) => (
								<Line key={l.ref.id} aside={`${l.gives} of ${total}`}>
									<Named of={l.ref} />
								</Line>
							))}
						</ul>
					</Part>
				</div>
			</div>
			{board === "edit" && (
				<EditSystem
					of={system}
					needs={sheet.pools.find((p) => p.licence.id === system.licence)?.licence}
					onClose={close}
				/>
			)}
			{board === "permission" && <EditPermission system={system} onClose={close} />}
			{board === "delete" && <DeleteBoard of={ref} onClose={close} />}
		</div>
	);
}

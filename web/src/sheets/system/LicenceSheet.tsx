import { useState } from "react";
import { Link, useParams } from "react-router";
import type { Schemas } from "../../api/client";
import { useLicence } from "../../api/hooks";
import { useTo } from "../../house/lens";
import { DeleteBoard } from "../../parts/DeleteBoard";
import { Loaded } from "../../parts/loading";
import { Line, Part, SheetHead } from "../../parts/sheet";
import { count, Named } from "../../parts/words";
import { EditLicence } from "./EditLicence";

/** The sheet of a licence: its seats, who has one, and what needs it. */
export function LicenceSheet() {
	const { id = "" } = useParams();
	const sheet = useLicence(id);
	return <Loaded query={sheet}>{(s) => <Shown key={id} sheet={s} />}</Loaded>;
}

function Shown({ sheet: s }: { sheet: Schemas["LicenceSheet"] }) {
	const to = useTo();
	const [board, setBoard] = useState<"edit" | "delete" | null>(null);
	const p = s.pool;
	return (
		<div className="flex h-full flex-col">
			<SheetHead kind="licence" name={s.ref.name} draft={s.draft}>
				{s.may && s.draft !== "gone" && (
					<>
						<button type="button" className="action" onClick={() => setBoard("edit")}>
							Edit …
						</button>
						<button type="button" className="action danger" onClick={() => setBoard("delete")}>
							Delete …
						</button>
					</>
				)}
			</SheetHead>
			<div className="grid min-h-0 grow grid-cols-2">
				<div className="min-h-0 overflow-auto border-r-[3px] border-[var(--beam)] px-[18px] py-3">
					<Part title="Seats">
						<p className="py-2 text-[15px]">
							<b>{p.used.toLocaleString("en-GB")}</b> taken{" "}
							{p.seats === undefined ? "of as many as are needed" : `of ${p.seats.toLocaleString("en-GB")}`}
						</p>
						<PoolBar pool={p} />
						<ul>
							<Line
								aside={
									<Link className="link" to={to(`/people?q=${encodeURIComponent(`licences eq "${s.ref.id}"`)}`)}>
										list them
									</Link>
								}
							>
								Who has one
							</Line>
							<Line aside={p.idle}>Not used for 90 days</Line>
							<Line aside={p.lacking}>Went without: a grant gives them less than it carries</Line>
						</ul>
					</Part>
				</div>
				<div className="min-h-0 overflow-auto px-[18px] py-3">
					<Part title="Needed by" count={s.systems.length}>
						{s.systems.length === 0 && <p className="py-1.5 text-quiet">No system needs it.</p>}
						<ul>
							{s.systems.map((r) => (
								<Line key={r.id} aside="system">
									<Named of={r} />
								</Line>
							))}
						</ul>
					</Part>
					<Part title="Covers too" count={p.covers.length}>
						{p.covers.length === 0 && <p className="py-1.5 text-quiet">Only itself.</p>}
						<ul>
							{p.covers.map((r) => (
								<Line key={r.id}>
									<Named of={r} />
								</Line>
							))}
						</ul>
					</Part>
				</div>
			</div>
			{board === "edit" && <EditLicence of={p} onClose={() => setBoard(null)} />}
			{board === "delete" && <DeleteBoard of={s.ref} onClose={() => setBoard(null)} />}
		</div>
	);
}

/** How full a pool of seats is. */
export function PoolBar({ pool: p }: { pool: Schemas["Pool"] }) {
	if (p.seats === undefined) return null;
	return (
		<div role="img" aria-label={`${count(p.used, "seat", "seats")} of ${p.seats} taken`} className="my-1 h-[8px] border border-[var(--beam)]">
			<div
				className={`h-full ${p.used >= p.seats ? "bg-ox" : "bg-moss"}`}
				style={{ width: `${Math.min(100, p.seats ? (100 * p.used) / p.seats : 100)}%` }}
			/>
		</div>
	);
}

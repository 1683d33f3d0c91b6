import { useState } from "react";
import { Link, useParams } from "react-router";
import type { Schemas } from "../../api/client";
import { useLicence } from "../../api/hooks";
import { useTo } from "../../house/lens";
import { DeleteBoard } from "../../parts/DeleteBoard";
import { Loaded } from "../../parts/loading";
import { Line, Part, SheetHead } from "../../parts/sheet";
import { count, day, Named, number } from "../../parts/words";
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
			<SheetHead table={{ kind: "licence", id: s.ref.id }} kind="licence" name={s.ref.name} draft={s.draft}>
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
			<div className="grid min-h-0 grow grid-cols-3">
				<div className="min-h-0 overflow-auto border-r-[3px] border-[var(--beam)] px-[18px] py-3">
					<p className="text-[15px]">
						<b>{number(p.used + p.others)}</b>{" "}
						{p.seats === undefined
							? "seats taken, of as many as are needed"
							: `of ${count(p.seats, "seat", "seats")} taken`}
						{p.others > 0 && `, ${number(p.others)} of them by people outside your part`}
						{p.idle > 0 && <span className="text-quiet">, {p.idle.toLocaleString("en-GB")} not used for 90 days</span>}
					</p>
					<div className="mt-1 mb-4">
						<PoolBar pool={p} />
					</div>
					<Part
						title="Who has one"
						act={
							<Link className="link" to={to(`/people?q=${encodeURIComponent(`licences eq "${s.ref.id}"`)}`)}>
								as a list
							</Link>
						}
					>
						{s.taken.length === 0 && <p className="py-1.5 text-quiet">Nobody has a seat.</p>}
						<ul>
							{s.taken.map((seat) => (
								<Line
									key={seat.user.id}
									aside={
										seat.never ? (
											<b className="text-ochre">never used</b>
										) : seat.idle && seat.lastUse ? (
											<b className="text-ochre">unused since {day(seat.lastUse)}</b>
										) : seat.lastUse ? (
											`used ${day(seat.lastUse)}`
										) : (
											"no use known"
										)
									}
								>
									<Named of={seat.user} />
								</Line>
							))}
						</ul>
						{p.used > s.taken.length && (
							<Link className="link block py-1.5" to={to(`/seats?licence=${encodeURIComponent(s.ref.id)}&part=taken`)}>
								and {number(p.used - s.taken.length)} more
							</Link>
						)}
					</Part>
				</div>
				<div className="min-h-0 overflow-auto border-r-[3px] border-[var(--beam)] px-[18px] py-3">
					<Part title="People without a seat" count={p.lacking}>
						<p className="py-1.5 text-[12px] text-quiet">
							Their grants give them less than usual, because they have no seat.
						</p>
						{s.without.length === 0 && <p className="py-1.5 text-quiet">Nobody.</p>}
						<ul>
							{s.without.map((u) => (
								<Line key={u.id}>
									<Named of={u} />
								</Line>
							))}
						</ul>
						{p.lacking > s.without.length && (
							<Link
								className="link block py-1.5"
								to={to(`/seats?licence=${encodeURIComponent(s.ref.id)}&part=waiting`)}
							>
								and {number(p.lacking - s.without.length)} more
							</Link>
						)}
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
		<div
			role="img"
			aria-label={`${count(p.used + p.others, "seat", "seats")} of ${p.seats} taken`}
			className="my-1 h-[8px] border border-[var(--beam)]"
		>
			<div
				className={`h-full ${p.used + p.others >= p.seats ? "bg-ox" : "bg-moss"}`}
				style={{ width: `${Math.min(100, p.seats ? (100 * (p.used + p.others)) / p.seats : 100)}%` }}
			/>
		</div>
	);
}

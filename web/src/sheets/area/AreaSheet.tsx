import { useEffect, useState } from "react";
import { Link, useParams } from "react-router";
import type { Schemas } from "../../api/client";
import { useArea } from "../../api/hooks";
import { useHouse } from "../../house/context";
import { useTo } from "../../house/lens";
import { mayEither } from "../../house/rights";
import { AssignBoard } from "../../parts/AssignBoard";
import { DeleteBoard } from "../../parts/DeleteBoard";
import { Grants } from "../../parts/Grants";
import { Loaded } from "../../parts/loading";
import { Line, Part, SheetHead } from "../../parts/sheet";
import { count, Named } from "../../parts/words";
import { EditArea } from "./EditArea";

/** The sheet of an area: where it lies in the tree, what is granted there and from above, and whom to ask. */
export function AreaSheet() {
	const { id = "" } = useParams();
	const sheet = useArea(id);
	return <Loaded query={sheet}>{(s) => <Shown key={id} sheet={s} />}</Loaded>;
}

function Shown({ sheet }: { sheet: Schemas["AreaSheet"] }) {
	const { me, setAside } = useHouse();
	const to = useTo();
	const [board, setBoard] = useState<"edit" | "new" | "delete" | "assign" | null>(null);
	const { ref } = sheet;
	useEffect(() => {
		setAside(`${count(sheet.people, "person is", "people are")} at home in ${ref.name}`);
		return () => setAside("");
	}, [setAside, ref.name, sheet.people]);
	const editable = sheet.may && sheet.draft !== "gone";
	const close = () => setBoard(null);
	return (
		<div className="flex h-full flex-col">
			<SheetHead
				table={{ kind: "area", id: ref.id }}
				kind={sheet.area.kind ? `area · ${sheet.area.kind}` : "area"}
				name={ref.name}
				draft={sheet.draft}
			>
				{editable && (
					<>
						<button type="button" className="action" onClick={() => setBoard("edit")}>
							Edit …
						</button>
						<button type="button" className="action" onClick={() => setBoard("new")}>
							New area in it …
						</button>
						{sheet.area.parent && (
							<button type="button" className="action danger" onClick={() => setBoard("delete")}>
								Delete …
							</button>
						)}
					</>
				)}
				<Link className="link ml-2" to={`/?where=${encodeURIComponent(ref.id)}`}>
					The frame there
				</Link>
			</SheetHead>
			<div className="grid min-h-0 grow grid-cols-[300px_minmax(0,1fr)_300px]">
				<div className="min-h-0 overflow-auto border-r-[3px] border-[var(--beam)] px-[18px] py-3">
					<Part title="In the tree">
						<ul>
							{sheet.path.map((p, depth) => (
								<li key={p.id} className="border-b border-hair py-1.5" style={{ paddingLeft: depth * 14 }}>
									<Named of={p} />
								</li>
							))}
							<li
								className="border-b border-hair bg-sunk py-1.5 font-bold"
								style={{ paddingLeft: sheet.path.length * 14 + 4 }}
							>
								{ref.name}
							</li>
							{sheet.below.map((b) => (
								<li
									key={b.ref.id}
									className="flex items-baseline gap-2 border-b border-hair py-1.5"
									style={{ paddingLeft: (sheet.path.length + b.depth) * 14 }}
								>
									<span className="min-w-0 grow">
										<Named of={b.ref} />
									</span>
									<span className="narrow shrink-0 text-[12px] text-quiet">
										{count(b.people, "person", "people")} · {count(b.grants, "grant", "grants")}
									</span>
								</li>
							))}
						</ul>
					</Part>
				</div>
				<div className="min-h-0 overflow-auto px-[18px] py-3">
					<Part
						title={`Granted at ${ref.name}`}
						count={sheet.hereCount}
						act={
							mayEither(me, "assignment:edit", "assign") &&
							sheet.draft !== "gone" && (
								<button type="button" className="link" onClick={() => setBoard("assign")}>
									Assign …
								</button>
							)
						}
					>
						<Grants
							grants={sheet.here}
							total={sheet.hereCount}
							from="area"
							empty="Nothing is granted at this area itself."
						/>
					</Part>
					{sheet.path.length > 0 && (
						<Part title="Granted above, and so it applies here too" count={sheet.aboveCount}>
							<Grants
								grants={sheet.above}
								total={sheet.aboveCount}
								from="area"
								empty="Nothing that is granted above applies here."
							/>
						</Part>
					)}
				</div>
				<div className="min-h-0 overflow-auto border-l-[3px] border-[var(--beam)] px-[18px] py-3">
					<Part title="Contacts" count={sheet.contacts.length}>
						{sheet.contacts.length === 0 && (
							<p className="py-1.5 text-quiet">There are no contacts. Mark an assignment as a contact in its terms.</p>
						)}
						<ul>
							{sheet.contacts.map((g) => (
								<Line key={g.terms.id} aside={g.target.name}>
									<Named of={g.subject} />
								</Line>
							))}
						</ul>
					</Part>
					<Part title="At home here" count={sheet.people}>
						<p className="py-1.5">
							<Link className="link" to={`/people?where=${encodeURIComponent(ref.id)}`}>
								List them
							</Link>
						</p>
					</Part>
					{sheet.groups.length > 0 && (
						<Part title="Groups at home here" count={sheet.groups.length}>
							<ul>
								{sheet.groups.map((g) => (
									<Line key={g.id}>
										<Named of={g} />
									</Line>
								))}
							</ul>
						</Part>
					)}
					<Part title="Delegated here" count={sheet.delegations.length}>
						{sheet.delegations.length === 0 && <p className="py-1.5 text-quiet">No delegation is about this area.</p>}
						<ul>
							{sheet.delegations.map((g) => (
								<Line key={g.id}>
									<Named of={g} />
								</Line>
							))}
						</ul>
					</Part>
					<p>
						<Link className="link" to={to(`/history?kind=area&id=${encodeURIComponent(ref.id)}`)}>
							What changed here
						</Link>
					</p>
				</div>
			</div>
			{board === "edit" && <EditArea of={sheet} onClose={close} />}
			{board === "new" && <EditArea parent={ref} onClose={close} />}
			{board === "delete" && <DeleteBoard of={ref} onClose={close} />}
			{board === "assign" && <AssignBoard area={ref.id} onClose={close} />}
		</div>
	);
}

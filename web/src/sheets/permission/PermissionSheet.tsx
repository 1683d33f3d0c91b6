import { useEffect, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import type { Schemas } from "../../api/client";
import { putSystem, useAreas, useDrafting, usePermission } from "../../api/hooks";
import { useHouse } from "../../house/context";
import { useTo } from "../../house/lens";
import { Downloads } from "../../parts/Downloads";
import { Loaded } from "../../parts/loading";
import { useNotice } from "../../parts/notice";
import { Line, Part, SheetHead } from "../../parts/sheet";
import { addressOf, count, Named, number, Risk } from "../../parts/words";
import { EditPermission } from "./EditPermission";

/** The sheet of a permission: what it does, what gives it, and who holds it. */
export function PermissionSheet() {
	const { id = "" } = useParams();
	const [params] = useSearchParams();
	const sheet = usePermission(id, params.get("where") ?? undefined);
	return <Loaded query={sheet}>{(s) => <Shown key={id} sheet={s} />}</Loaded>;
}

function Shown({ sheet: s }: { sheet: Schemas["PermissionSheet"] }) {
	const { setAside } = useHouse();
	const to = useTo();
	const { refuse } = useNotice();
	const navigate = useNavigate();
	const save = useDrafting(putSystem);
	const [editing, setEditing] = useState(false);
	const [params] = useSearchParams();
	const areas = useAreas();
	const where = areas.data?.find((a) => a.id === params.get("where"))?.name;
	useEffect(() => {
		setAside(`${count(s.holders, "person holds", "people hold")} ${s.ref.id}${where ? ` at ${where}` : ""}`);
		return () => setAside("");
	}, [setAside, s.holders, s.ref.id, where]);
	const list = (title: string, refs: Schemas["Ref"][], none: string) => (
		<Part title={title} count={refs.length}>
			{refs.length === 0 && <p className="py-1.5 text-quiet">{none}</p>}
			<ul>
				{refs.map((r) => (
					<Line key={r.id}>
						<Named of={r} />
					</Line>
				))}
			</ul>
		</Part>
	);
	const layers = (title: string, all: Schemas["Layer"][], none: string) => (
		<Part title={title} count={all.length}>
			{all.length === 0 && <p className="py-1.5 text-quiet">{none}</p>}
			<ul>
				{all.map((l) => (
					<Line key={l.ref.id} aside={l.note}>
						<Named of={l.ref} />
					</Line>
				))}
			</ul>
		</Part>
	);
	return (
		<div className="flex h-full flex-col">
			<SheetHead
				kind="permission"
				name={s.ref.id}
				mono
				marks={
					<>
						<Risk level={s.risk} />
						<span className="text-quiet">
							{[s.class, s.module, s.whole && "cannot be limited to an area"].filter(Boolean).join(" · ")}
						</span>
					</>
				}
				about={s.label && s.about?.startsWith(s.label) ? s.about : [s.label, s.about].filter(Boolean).join(". ")}
			>
				<Downloads path="/api/who" query={{ what: s.ref.id }} />
				{s.may && (
					<>
						<button type="button" className="action" onClick={() => setEditing(true)}>
							Edit …
						</button>
						<button
							type="button"
							className="action danger"
							onClick={() =>
								save.mutate(
									{
										before: s.catalogue,
										after: { ...s.catalogue, permissions: s.catalogue.permissions.filter((p) => p.key !== s.ref.id) },
									},
									{ onError: refuse, onSuccess: () => navigate(to(addressOf("system", s.system.id) ?? "/systems")) },
								)
							}
						>
							Delete
						</button>
					</>
				)}
				<Link className="link ml-2" to={to(`/?focus=${encodeURIComponent(`permission:${s.ref.id}`)}`)}>
					In the frame
				</Link>
			</SheetHead>
			<div className="grid min-h-0 grow grid-cols-3">
				<div className="min-h-0 overflow-auto px-[18px] py-3">
					<Part title={where ? `Who holds it at ${where}` : "Who holds it"} count={s.holders}>
						{s.holders === 0 && <p className="py-1.5 text-quiet">Nobody{where ? " there" : ""}.</p>}
						<ul>
							{s.people.map((p) => (
								<Line
									key={p.id}
									aside={
										<Link
											className="link text-[12px]"
											to={to(`/people/${encodeURIComponent(p.id)}?permission=${encodeURIComponent(s.ref.id)}`)}
										>
											by which way
										</Link>
									}
								>
									<Named of={p} />
								</Line>
							))}
						</ul>
						{s.people.length < s.holders && (
							<Link className="link block py-1.5" to={to(`/who?what=${encodeURIComponent(s.ref.id)}`)}>
								and {number(s.holders - s.people.length)} more
							</Link>
						)}
						{s.holders > 0 && (
							<Link className="link mt-2 block" to={to(`/who?what=${encodeURIComponent(s.ref.id)}`)}>
								Everybody, by which ways, and what they have in common
							</Link>
						)}
					</Part>
				</div>
				<div className="min-h-0 overflow-auto border-x-[3px] border-[var(--beam)] px-[18px] py-3">
					{layers("Roles that give it", s.roles, "No role gives it.")}
					{s.excludedBy.length > 0 && list("Roles that keep it out", s.excludedBy, "")}
					{layers("Sets that give it", s.sets, "No set gives it.")}
				</div>
				<div className="min-h-0 overflow-auto px-[18px] py-3">
					<Part title="Belongs to">
						<ul>
							<Line aside="system">
								<Named of={s.system} />
							</Line>
							<Line aside="object">
								<span className="font-mono text-[12px]">{s.object}</span>
							</Line>
							<Line aside="licence that its user needs">{s.licence?.name ?? "none"}</Line>
						</ul>
					</Part>
					{list("Cannot do without", s.implies, "It stands by itself.")}
					{list("Needed by", s.impliedBy, "Nothing needs it.")}
					{list("Conflicts", s.conflicts, "No conflict counts it.")}
				</div>
			</div>
			{editing && (
				<EditPermission system={s.catalogue} of={s.ref.id} needs={s.licence} onClose={() => setEditing(false)} />
			)}
		</div>
	);
}

import { Link, useLocation } from "react-router";
import { useHouse } from "../house/context";
import { useTo } from "../house/lens";
import { placesOf, within } from "../house/places";

/** The rooms of the place of work that one is in, with the present one marked. */
export function Rooms() {
	const { me } = useHouse();
	const { pathname } = useLocation();
	const to = useTo();
	const rooms = placesOf(me).find((p) => p.rooms.some((r) => within(pathname, r)))?.rooms ?? [];
	if (rooms.length < 2) return <h1 className="text-[22px] font-bold">{rooms[0]?.name}</h1>;
	return (
		<nav aria-label="Rooms" className="flex items-baseline gap-5">
			{rooms.map((r) =>
				within(pathname, r) ? (
					<h1 key={r.to} className="border-b-[3px] border-slate text-[22px] font-bold">
						{r.name}
					</h1>
				) : (
					<Link key={r.to} to={to(r.to)} className="text-[15px] text-quiet hover:text-ink">
						{r.name}
					</Link>
				),
			)}
		</nav>
	);
}

/** Parts of a sheet, one of which is shown. */
export function Tabs<T extends string>({ tabs, at, onChoose }: { tabs: { id: T; name: string }[]; at: T; onChoose: (id: T) => void }) {
	return (
		<div role="tablist" className="flex gap-5">
			{tabs.map((t) => (
				<button
					key={t.id}
					type="button"
					role="tab"
					aria-selected={t.id === at}
					onClick={() => onChoose(t.id)}
					className={`border-b-[3px] pb-[3px] ${t.id === at ? "border-slate font-bold" : "border-transparent text-quiet hover:text-ink"}`}
				>
					{t.name}
				</button>
			))}
		</div>
	);
}

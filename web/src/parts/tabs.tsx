import { Tabs } from "radix-ui";
import type { ReactNode } from "react";
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

/** Parts of a sheet, one of which is shown: around the list of their names and the panels. By arrows one goes from name to name. */
export function Tabbed<T extends string>({
	at,
	onChoose,
	children,
}: {
	at: T;
	onChoose: (id: T) => void;
	children: ReactNode;
}) {
	return (
		<Tabs.Root value={at} onValueChange={(id) => onChoose(id as T)} className="contents">
			{children}
		</Tabs.Root>
	);
}

export function TabList<T extends string>({ label, tabs }: { label: string; tabs: { id: T; name: string }[] }) {
	return (
		<Tabs.List aria-label={label} className="flex gap-5">
			{tabs.map((t) => (
				<Tabs.Trigger
					key={t.id}
					value={t.id}
					className="border-b-[3px] border-transparent pb-[3px] text-quiet hover:text-ink data-[state=active]:border-slate data-[state=active]:font-bold data-[state=active]:text-ink"
				>
					{t.name}
				</Tabs.Trigger>
			))}
		</Tabs.List>
	);
}

/** What a tab shows. Hidden while another is chosen. */
export function TabPanel({ id, className, children }: { id: string; className: string; children: ReactNode }) {
	return (
		<Tabs.Content value={id} tabIndex={-1} className={`${className} data-[state=inactive]:hidden`}>
			{children}
		</Tabs.Content>
	);
}

/** A choice between few ways to see one thing. */
export function Choice<T extends string>({
	label,
	ways,
	at,
	onChoose,
}: {
	label: string;
	ways: { id: T; name: string }[];
	at: T;
	onChoose: (id: T) => void;
}) {
	return (
		<fieldset aria-label={label} className="flex gap-5">
			{ways.map((w) => (
				<button
					key={w.id}
					type="button"
					aria-pressed={w.id === at}
					onClick={() => onChoose(w.id)}
					className={`border-b-[3px] pb-[3px] ${w.id === at ? "border-slate font-bold" : "border-transparent text-quiet hover:text-ink"}`}
				>
					{w.name}
				</button>
			))}
		</fieldset>
	);
}

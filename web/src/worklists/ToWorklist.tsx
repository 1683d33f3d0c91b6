import { Link } from "react-router";
import { useHouse } from "../house/context";
import { useTo } from "../house/lens";
import { acting } from "../house/rights";
import { Menu, MenuItem } from "../parts/Menu";
import { useNotice } from "../parts/notice";
import { gather, gathered, newWorklist, type Source, useListing, useWorklists } from "./hooks";

/** Puts people on a worklist: on one that there is, or on a new one. */
export function ToWorklist({
	from,
	name = "Gather on a worklist",
	onDone,
}: {
	from: Source;
	name?: string;
	onDone?: () => void;
}) {
	const { me } = useHouse();
	const { tell } = useNotice();
	const to = useTo();
	const lists = useWorklists(acting(me));
	const begin = useListing(newWorklist);
	const add = useListing(gather);
	if (!acting(me)) return null;
	const put = (id: string, list: string) =>
		add.mutate(
			{ id, from },
			{
				onSuccess: (g) => {
					onDone?.();
					tell(
						<>
							{gathered(g)}{" "}
							<Link className="link inline-block" to={to(`/worklists/${id}`)}>
								{list}
							</Link>
						</>,
					);
				},
			},
		);
	return (
		<Menu
			face={name}
			look="link whitespace-nowrap"
			disabled={add.isPending || begin.isPending}
			width="max-h-[360px] min-w-[220px] py-1"
		>
			<MenuItem onSelect={() => begin.mutate(undefined, { onSuccess: (w) => put(w.id, w.name) })}>
				A new worklist
			</MenuItem>
			{(lists.data?.lists ?? []).map((w) => (
				<MenuItem key={w.id} onSelect={() => put(w.id, w.name)}>
					{w.name}
				</MenuItem>
			))}
		</Menu>
	);
}

import { DropdownMenu } from "radix-ui";
import { Link } from "react-router";
import { useHouse } from "../house/context";
import { useTo } from "../house/lens";
import { acting } from "../house/rights";
import { useNotice } from "../parts/notice";
import { gather, gathered, newWorklist, type Source, useListing, useWorklists } from "./hooks";

const item =
	"block w-full cursor-default px-3 py-1.5 text-left font-semibold outline-none data-highlighted:bg-slate data-highlighted:text-on-slate";

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
		<DropdownMenu.Root modal={false}>
			<DropdownMenu.Trigger className="link whitespace-nowrap" disabled={add.isPending || begin.isPending}>
				{name} ▾
			</DropdownMenu.Trigger>
			<DropdownMenu.Portal>
				<DropdownMenu.Content
					align="end"
					sideOffset={6}
					className="z-50 max-h-[360px] min-w-[220px] overflow-auto border-[3px] border-[var(--beam)] bg-raised py-1 text-ink"
				>
					<DropdownMenu.Item
						className={item}
						onSelect={() => begin.mutate(undefined, { onSuccess: (w) => put(w.id, w.name) })}
					>
						A new worklist
					</DropdownMenu.Item>
					{(lists.data?.lists ?? []).map((w) => (
						<DropdownMenu.Item key={w.id} className={item} onSelect={() => put(w.id, w.name)}>
							{w.name}
						</DropdownMenu.Item>
					))}
				</DropdownMenu.Content>
			</DropdownMenu.Portal>
		</DropdownMenu.Root>
	);
}

import { useVirtualizer } from "@tanstack/react-virtual";
import { useDeferredValue, useEffect, useRef, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { useRows } from "../../parts/rows";
import { addressOf, count } from "../../parts/words";

const pitch = 32;
const pageSize = 200;

/** Everybody, as a list that filters as one types; each leads to their sheet. */
export function People() {
	const [params, setParams] = useSearchParams();
	const navigate = useNavigate();
	const where = params.get("where");
	const words = params.get("q") ?? "";
	const q = useDeferredValue(words.trim());
	const scroll = useRef<HTMLDivElement>(null);
	const [cursor, setCursor] = useState(0);
	const { first, rowAt, need } = useRows("user", { where: where ?? undefined }, q, pageSize);
	const matching = first?.matching ?? 0;
	const list = useVirtualizer({ count: matching, getScrollElement: () => scroll.current, estimateSize: () => pitch, overscan: 10 });
	const items = list.getVirtualItems();
	useEffect(() => need(items));
	const at = Math.min(cursor, Math.max(0, matching - 1));
	const open = (i: number) => {
		const row = rowAt(i);
		const to = row && addressOf("user", row.id, where);
		if (to) navigate(to);
	};
	const press = (e: React.KeyboardEvent) => {
		const page = Math.max(1, Math.floor((scroll.current?.clientHeight ?? 400) / pitch) - 1);
		const steps: Record<string, number> = { ArrowDown: at + 1, ArrowUp: at - 1, PageDown: at + page, PageUp: at - page };
		if (e.key in steps) {
			e.preventDefault();
			const next = Math.min(matching - 1, Math.max(0, steps[e.key]));
			setCursor(next);
			list.scrollToIndex(next);
		} else if (e.key === "Enter") open(at);
	};
	return (
		<div className="flex h-full flex-col px-[18px] pt-3">
			<div className="flex items-baseline gap-4">
				<h1 className="text-[22px] font-bold">People</h1>
				<span className="text-quiet" data-waiting={first ? undefined : true}>
					{first ? (q || where ? `${matching} of ${first.total}` : count(first.total, "person", "people")) : "…"}
				</span>
			</div>
			{/* biome-ignore lint/a11y/noStaticElementInteractions: the arrows work from the filter too, as one types */}
			<div className="flex min-h-0 grow flex-col" onKeyDown={press}>
				<input
					aria-label="Filter people"
					className="field mt-2 mb-2 max-w-[520px]"
					placeholder="filter by name, title, department, area or state"
					value={words}
					// biome-ignore lint/a11y/noAutofocus: whoever comes to this list comes to find somebody
					autoFocus
					onChange={(e) => {
						setCursor(0);
						setParams(
							(p) => {
								const next = new URLSearchParams(p);
								if (e.target.value) next.set("q", e.target.value);
								else next.delete("q");
								return next;
							},
							{ replace: true },
						);
					}}
				/>
				<div
					ref={scroll}
					role="listbox"
					aria-label="People"
					tabIndex={0}
					aria-activedescendant={matching ? `person-${at}` : undefined}
					className="min-h-0 grow overflow-y-auto border-t-[3px] border-[var(--beam)]"
				>
					{first && matching === 0 && (
						<p className="py-4 text-quiet">
							{q
								? `Nobody${where ? " at home there" : ""} has “${q}” in name, title, department, area or state.`
								: where
									? "Nobody is at home there."
									: "There are no people yet. Bring them in with a model file."}
						</p>
					)}
					<div className="relative" style={{ height: list.getTotalSize() }}>
						{items.map((i) => {
							const row = rowAt(i.index);
							return (
								// biome-ignore lint/a11y/useKeyWithClickEvents: the list hears the keys
								<div
									key={i.key}
									id={`person-${i.index}`}
									role="option"
									tabIndex={-1}
									aria-selected={i.index === at}
									onClick={() => open(i.index)}
									style={{ transform: `translateY(${i.start}px)` }}
									className={`absolute inset-x-0 top-0 flex h-[32px] cursor-pointer items-center gap-4 border-b border-hair px-2 hover:bg-sunk ${i.index === at ? "bg-sunk" : ""}`}
								>
									<span className="link w-[240px] shrink-0 truncate">{row?.name ?? "…"}</span>
									<span className="w-[110px] shrink-0 font-mono text-[12px]">
										{row?.state ? <b className="text-ochre">{row.state}</b> : <span className="text-moss">active</span>}
									</span>
									<span className="grow truncate text-quiet">{row?.note}</span>
									<span className="w-[220px] shrink-0 truncate font-mono text-[12px] text-quiet">{row?.id}</span>
								</div>
							);
						})}
					</div>
				</div>
			</div>
		</div>
	);
}

import { Popover } from "radix-ui";
import { useDeferredValue, useState } from "react";
import { type Ask, useAsk } from "../api/ask";
import { data, type Schemas } from "../api/client";
import { design } from "../api/hooks";
import { useHouse } from "../house/context";
import { acting } from "../house/rights";
import { asideLook, NoOffer, Offer, Offered, OfferInput, OfferList } from "../parts/Offers";
import { kindWords } from "../parts/words";
import { AskBoard, type Wanted } from "./AskBoard";

/** The question "I need to …": it finds what could be asked for by some words, and asks for it. */
export function Need({ again }: { again?: Schemas["Request"] }) {
	const { me } = useHouse();
	const [text, setText] = useState("");
	const [open, setOpen] = useState(false);
	const [wanted, setWanted] = useState<Wanted | null>(null);
	const q = useDeferredValue(text.trim());
	const found = useAsk({
		queryKey: [...design, "askable", q],
		queryFn: (ask: Ask) => data(ask.GET("/api/askable", { params: { query: { q } } })),
		enabled: open && q !== "",
	});
	const waits = open && (text.trim() !== q || found.isFetching);
	if (!acting(me)) return null;
	const rows = q === "" ? [] : (found.data ?? []);
	const keyOf = (r: Schemas["Ref"]) => `${r.kind} ${r.id}`;
	const board = wanted && (
		<AskBoard wanted={wanted} where={again?.area} again={again} onClose={() => setWanted(null)} />
	);
	if (again) {
		const thing = again.things.find((t) => t.kind !== "licence");
		return (
			<p className="mt-4">
				{thing && (
					<button type="button" className="action" onClick={() => setWanted(thing)}>
						Ask again …
					</button>
				)}
				{board}
			</p>
		);
	}
	return (
		<div className="mb-4">
			<Offered label="I need to" text={q} keys={rows.map(keyOf)} waits={waits} className="contents">
				<Popover.Root open={open && q !== ""} onOpenChange={setOpen}>
					<div className="flex items-baseline gap-3 border-b-[3px] border-[var(--beam)] pb-1">
						<b className="shrink-0 text-[15px]">I need to</b>
						<Popover.Anchor asChild>
							<OfferInput
								text={text}
								onText={(typed) => {
									setText(typed);
									setOpen(true);
								}}
								open={open && q !== ""}
								className="field"
								placeholder="say what: post an invoice, plan a berth, a role, a group …"
								onBlur={() => setOpen(false)}
								onKeyDown={(e) => {
									if (e.key === "Escape" && open) {
										e.stopPropagation();
										setOpen(false);
									}
								}}
							/>
						</Popover.Anchor>
					</div>
					<Popover.Portal>
						<Popover.Content
							align="start"
							role="region"
							aria-label="Offered"
							className="z-50 border-[3px] border-[var(--beam)] bg-raised text-ink"
							style={{ width: "max(360px, var(--radix-popover-trigger-width))" }}
							onOpenAutoFocus={(e) => e.preventDefault()}
							onCloseAutoFocus={(e) => e.preventDefault()}
						>
							<OfferList label="What can be asked for" aria-busy={waits} className="max-h-[320px] overflow-auto">
								<NoOffer className="px-3 py-2">
									{waits ? "One moment …" : "Nothing matches. Try other words, or fewer."}
								</NoOffer>
								{rows.map((r) => (
									<Offer
										key={keyOf(r)}
										of={keyOf(r)}
										onTake={() => {
											setOpen(false);
											setText("");
											setWanted(r);
										}}
										className="px-3 py-[5px]"
									>
										<span className="min-w-0 grow">
											<span className={`block font-semibold ${r.kind === "permission" ? "font-mono text-[12px]" : ""}`}>
												{r.name}
											</span>
											<span className={`block truncate ${asideLook}`}>{r.about}</span>
										</span>
										<span className={`shrink-0 ${asideLook}`}>
											{kindWords[r.kind]}
											{r.held && " · you have it"}
										</span>
									</Offer>
								))}
							</OfferList>
						</Popover.Content>
					</Popover.Portal>
				</Popover.Root>
			</Offered>
			{board}
		</div>
	);
}

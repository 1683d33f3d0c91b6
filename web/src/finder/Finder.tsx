import { keepPreviousData } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { useEffect, useState } from "react";
import { useNavigate } from "react-router";
import { type Ask, useAsk } from "../api/ask";
import { data, type Schemas } from "../api/client";
import { design } from "../api/hooks";
import { useHouse } from "../house/context";
import { useSet, useTo } from "../house/lens";
import { placesOf } from "../house/places";
import { acting, may } from "../house/rights";
import { turnTheme } from "../house/theme";
import { useFocusBack } from "../parts/dialog";
import { asideLook, NoOffer, Offer, Offered, OfferInput, OfferList } from "../parts/Offers";
import { addressOf, kindWords } from "../parts/words";

type OfferOf = { key: string; name: string; note: string; kind: string; run: () => void };

const questions = [
	"who can override gates at Terminal 1",
	"why can’t Noor edit rates",
	"compare Tomasz with Noor",
	"closest fit for export gate logs",
];

/** Finds any thing by any of its words, any act, and answers questions, all by keyboard. */
export function Finder({ open, onOpen }: { open: boolean; onOpen: (open: boolean) => void }) {
	useEffect(() => {
		const press = (e: KeyboardEvent) => {
			if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "k") {
				e.preventDefault();
				onOpen(true);
			}
		};
		window.addEventListener("keydown", press);
		return () => window.removeEventListener("keydown", press);
	}, [onOpen]);
	const focus = useFocusBack(open);
	return (
		<Dialog.Root open={open} onOpenChange={onOpen}>
			<Dialog.Portal>
				<Dialog.Overlay className="fixed inset-0 z-40 bg-[#2b2119]/55" />
				<Dialog.Content
					{...focus}
					aria-describedby={undefined}
					className="fixed top-[44px] left-1/2 z-40 flex max-h-[76vh] w-[680px] max-w-[94vw] -translate-x-1/2 flex-col border-[3px] border-t-0 border-[var(--beam)] bg-raised text-ink"
				>
					<Dialog.Title className="sr-only">Find, or ask</Dialog.Title>
					<Search onClose={() => onOpen(false)} />
				</Dialog.Content>
			</Dialog.Portal>
		</Dialog.Root>
	);
}

/** Where a question is answered. */
function pageOf({ about, things = [], permissions = [], where }: Schemas["Asking"]): string {
	const ask = (path: string, query: Record<string, string | undefined>) => {
		const params = new URLSearchParams(Object.entries(query).filter((e): e is [string, string] => !!e[1]));
		return `${path}?${params}`;
	};
	switch (about) {
		case "who":
			return ask("/who", { what: permissions[0], where });
		case "person":
			return ask(addressOf("user", things[0]?.id ?? "") ?? "/", {
				all: permissions[0] && "1",
				permission: permissions[0],
				where,
			});
		case "differences":
			return ask("/compare", { things: things.map((t) => `${t.kind}:${t.id}`).join(",") });
		case "fit":
			return ask("/fit", { need: permissions.join(",") });
	}
}

/** What can be done from anywhere, found by its words like a thing. */
function useActs(): OfferOf[] {
	const { me } = useHouse();
	const navigate = useNavigate();
	const to = useTo();
	const set = useSet(false);
	const go = (path: string) => () => navigate(to(path));
	const acts: (OfferOf | false)[] = [
		...placesOf(me).flatMap((p) =>
			p.rooms.map((r) => ({ key: `place ${r.to}`, name: `Go to ${r.name}`, note: p.name, kind: "act", run: go(r.to) })),
		),
		may(me, "review:run") &&
			acting(me) && { key: "open review", name: "Open a review", note: "Reviews", kind: "act", run: go("/reviews") },
		may(me, "history:view") && {
			key: "undo",
			name: "Undo a revision",
			note: "History",
			kind: "act",
			run: go("/history"),
		},
		{ key: "now", name: "Look at the present", note: "When", kind: "act", run: () => set({ when: null }) },
		{
			key: "mine",
			name: "What I can do",
			note: "your own page",
			kind: "act",
			run: go("/own"),
		},
		{ key: "theme", name: "Day or night", note: "the colours", kind: "act", run: turnTheme },
	];
	return acts.filter((a) => a !== false);
}

function Search({ onClose }: { onClose: () => void }) {
	const [text, setText] = useState("");
	const navigate = useNavigate();
	const to = useTo();
	const acts = useActs();
	const q = text.trim();
	const found = useAsk({
		queryKey: [...design, "find", q],
		queryFn: (ask: Ask) => data(ask.GET("/api/find", { params: { query: { q } } })),
		enabled: q !== "",
		placeholderData: keepPreviousData,
	});
	const words = q.toLowerCase().split(/\s+/).filter(Boolean);
	const fitting = acts.filter((a) => words.every((w) => `${a.name} ${a.note}`.toLowerCase().includes(w)));
	const things: OfferOf[] = (q ? (found.data ?? []) : []).map((f) => ({
		key: `${f.kind} ${f.id}`,
		name: f.name,
		note: f.note,
		kind: f.kind,
		run: () => navigate(f.asks ? pageOf(f.asks) : to(addressOf(f.kind, f.id) ?? "/")),
	}));
	const offers = q
		? [...things.filter((t) => t.kind === "question"), ...fitting, ...things.filter((t) => t.kind !== "question")]
		: fitting;
	const run = (o: OfferOf) => {
		onClose();
		o.run();
	};
	return (
		<>
			<Offered
				label="Find, or ask"
				text={q}
				keys={offers.map((o) => o.key)}
				waits={found.isFetching}
				pointed
				className="flex min-h-0 flex-col"
			>
				<OfferInput
					className="w-full shrink-0 bg-raised px-4 py-3 text-[16px] outline-none placeholder:text-quiet"
					placeholder="a name, a command, or a question"
					text={text}
					onText={setText}
				/>
				<div
					id="found"
					data-for={q && !found.isPlaceholderData && found.data ? q : undefined}
					className="flex min-h-0 flex-col border-t-[3px] border-[var(--beam)]"
				>
					<OfferList label="Found" className="min-h-0 overflow-auto">
						{offers.map((o) => (
							<Offer key={o.key} of={o.key} onTake={() => run(o)} className="items-baseline px-4 py-[6px]">
								<span className={`w-[100px] shrink-0 ${asideLook}`}>
									{o.kind === "act" ? "do" : (kindWords[o.kind] ?? o.kind)}
								</span>
								<span
									className={`min-w-0 truncate font-semibold ${o.kind === "permission" ? "font-mono text-[12px]" : ""}`}
								>
									{o.name}
								</span>
								<span className={`min-w-0 grow truncate text-right ${asideLook}`}>{o.note}</span>
							</Offer>
						))}
						{q && !found.isFetching && <NoOffer className="px-4 py-3">Nothing here matches.</NoOffer>}
					</OfferList>
				</div>
			</Offered>
			{!q && (
				<p className="shrink-0 border-t border-hair px-4 py-2 text-[12px] text-quiet">
					Ask, for instance:{" "}
					{questions.map((x) => (
						<button key={x} type="button" className="link mr-3" onClick={() => setText(x)}>
							{x}
						</button>
					))}
				</p>
			)}
		</>
	);
}

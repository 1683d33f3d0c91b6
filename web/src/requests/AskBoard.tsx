import { useMutation } from "@tanstack/react-query";
import { useId, useState } from "react";
import { Link } from "react-router";
import { type Ask, useAsk } from "../api/ask";
import { api, data, type Schemas } from "../api/client";
import { design, useAreas } from "../api/hooks";
import { useTo } from "../house/lens";
import { GrantPlace } from "../parts/Choose";
import { DayField } from "../parts/DayField";
import { endOf, plus, today } from "../parts/days";
import { Board } from "../parts/dialog";
import { Acts, TextField } from "../parts/fields";
import { useNotice } from "../parts/notice";
import { count, riskWords } from "../parts/words";
import { useRequestsChanged } from "./hooks";

/** What is asked for: a role, set or group; or a permission, by one of the ways that lead to it. */
export type Wanted = { kind: string; id: string; name: string };

const pick = "board px-2 py-1 leading-normal font-semibold text-slate";

/** Asks for something for oneself: what, where, until when, and why. */
export function AskBoard({
	wanted,
	where,
	again,
	onClose,
}: {
	wanted: Wanted;
	where?: string;
	/** A request that is made once more. */
	again?: Schemas["Request"];
	onClose: () => void;
}) {
	const { tell, refuse } = useNotice();
	const to = useTo();
	const areas = useAreas();
	const changed = useRequestsChanged();
	const permission = wanted.kind === "permission";
	const [area, setArea] = useState(again?.area ?? where ?? "");
	const [until, setUntil] = useState(() => plus(today(), 90));
	const [reason, setReason] = useState(again?.reason ?? "");
	const [way, setWay] = useState<string | null>(null);
	const ids = { area: useId() };
	const ways = useAsk({
		queryKey: [...design, "ways", wanted.id, area],
		queryFn: (ask: Ask) =>
			data(
				ask.GET("/api/askable/ways", {
					params: { query: { permission: wanted.id, where: area || areas.data?.[0]?.id } },
				}),
			),
		enabled: permission && areas.data !== undefined,
	});
	const found = ways.data?.ways ?? [];
	const chosen = found.find((w) => w.id === way) ?? found[0];
	const root = areas.data?.[0]?.id;
	const place = area && area !== root ? area : undefined;
	const ask = useMutation({
		mutationFn: () =>
			data(
				api.POST("/api/requests", {
					body: permission
						? { permission: wanted.id, where: area || root, way: chosen?.id, until: endOf(until), reason }
						: {
								kind: wanted.kind as "role" | "set" | "group",
								id: wanted.id,
								area: wanted.kind === "group" ? undefined : place,
								until: endOf(until),
								reason,
							},
				}),
			),
		onSuccess: async (r) => {
			onClose();
			await changed();
			tell(
				<>
					You asked for {r.what}.{" "}
					<Link className="link" to={to(`/requests/${r.id}`)}>
						Follow it
					</Link>
				</>,
			);
		},
		onError: refuse,
	});
	return (
		<Board
			open
			onClose={onClose}
			title={`Ask for ${wanted.name}`}
			about="It goes to those who could grant it. You get a letter when they answer."
		>
			<form
				onSubmit={(e) => {
					e.preventDefault();
					ask.mutate();
				}}
			>
				<p className="text-[15px] leading-[38px]">
					I need <b className={permission ? "font-mono text-[13px]" : ""}>{wanted.name}</b>{" "}
					{wanted.kind !== "group" && (
						<>
							<label htmlFor={ids.area} className="sr-only">
								Where
							</label>
							<GrantPlace id={ids.area} className={`${pick} max-w-[230px]`} value={area} onChange={setArea} />,{" "}
						</>
					)}
					<span>
						until the end of <DayField label="Until" last placeholder="no end" value={until} onChange={setUntil} />
					</span>
				</p>
				{permission && (
					<fieldset className="mt-2" aria-busy={ways.isPending}>
						<legend className="text-[12px] text-quiet">By</legend>
						{ways.isPending && <p className="py-1 text-quiet">Trying what would give it …</p>}
						{ways.data?.held && <p className="py-1 font-semibold text-moss">✓ You hold it there already.</p>}
						{ways.data && !ways.data.held && found.length === 0 && (
							<p className="py-1 text-ox">
								Nothing that you can request gives it there. Choose another place, or write to your access
								administrator.
							</p>
						)}
						{found.map((w) => (
							<label key={w.id} className="flex items-start gap-2 border-b border-hair py-1.5">
								<input
									type="radio"
									name="way"
									className="mt-[3px]"
									checked={w.id === chosen?.id}
									onChange={() => setWay(w.id)}
								/>
								<span>
									<span className="block font-semibold">{w.what}</span>
									<span className="text-[12px] text-quiet" title={w.extra.map((h) => h.permission).join("\n")}>
										{w.extras === 0
											? "gives nothing else"
											: `gives ${count(w.extras, "permission", "permissions")} beside`}
										{w.risk > 0 && (
											<b className={w.risk === 3 ? "text-ox" : "text-ochre"}>, up to {riskWords[w.risk]} risk</b>
										)}
									</span>
								</span>
							</label>
						))}
					</fieldset>
				)}
				<div className="mt-3">
					<TextField
						label="What you need it for"
						required
						lines={2}
						max={500}
						value={reason}
						onChange={setReason}
						autoFocus
					/>
				</div>
				<Acts
					busy={ask.isPending}
					disabled={!reason.trim() || (permission && !chosen)}
					name="Ask for it"
					onClose={onClose}
				/>
			</form>
		</Board>
	);
}

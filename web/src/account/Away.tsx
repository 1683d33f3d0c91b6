import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type Ask, useAsk } from "../api/ask";
import { api, data, type Schemas } from "../api/client";
import { useRefresh } from "../api/hooks";
import { DayField } from "../parts/DayField";
import { beginOf, endOf } from "../parts/days";
import { Board } from "../parts/dialog";
import { Acts, Field } from "../parts/fields";
import { Loaded } from "../parts/loading";
import { useNotice } from "../parts/notice";
import { Part } from "../parts/sheet";
import { day, lastDay } from "../parts/words";
import { Colleagues } from "../reviews/Colleagues";

const key = ["own", "absence"] as const;

/** Who decides one's review items while one is away. */
export function Away() {
	const absence = useAsk({ queryKey: key, queryFn: (ask: Ask) => data(ask.GET("/api/me/absence")) });
	const cache = useQueryClient();
	const refresh = useRefresh();
	const { refuse, tell } = useNotice();
	const [asking, setAsking] = useState(false);
	const put = async (body: Schemas["NewAbsence"], said: string) => {
		try {
			await data(api.PUT("/api/me/absence", { body }));
			setAsking(false);
			tell(said);
		} catch (error) {
			refuse(error);
		}
		await Promise.all([cache.invalidateQueries({ queryKey: key }), refresh()]);
	};
	return (
		<Loaded query={absence}>
			{(a) => (
				<Part title="While you are away">
					{a ? (
						<p className="py-1.5">
							<b>{a.instead.name}</b> decides your review items{a.begun ? "" : ` from ${day(a.from)}`} up to and
							including {lastDay(a.until)}.
						</p>
					) : (
						<p className="py-1.5 text-quiet">
							Somebody can decide your review items while you are away: those waiting for you are handed over when your
							absence begins, and new ones go to that person.
						</p>
					)}
					<p className="flex gap-3">
						<button type="button" className="action" onClick={() => setAsking(true)}>
							{a ? "Change it …" : "Name somebody …"}
						</button>
						{a && (
							<button
								type="button"
								className="action danger"
								onClick={() => put({ instead: "" }, "New review items come to you again.")}
							>
								I am back
							</button>
						)}
					</p>
					{asking && <AwayBoard onClose={() => setAsking(false)} onPut={put} />}
				</Part>
			)}
		</Loaded>
	);
}

function AwayBoard(props: {
	onClose: () => void;
	onPut: (body: Schemas["NewAbsence"], said: string) => Promise<void>;
}) {
	const [to, setTo] = useState<Schemas["Colleague"] | null>(null);
	const [from, setFrom] = useState("");
	const [last, setLast] = useState("");
	const [busy, setBusy] = useState(false);
	return (
		<Board
			open
			onClose={props.onClose}
			title="While you are away"
			about="Nobody decides about their own access: items about that person stay with you."
		>
			<form
				onSubmit={async (e) => {
					e.preventDefault();
					setBusy(true);
					await props.onPut(
						{
							instead: to?.user.id ?? "",
							from: beginOf(from),
							until: endOf(last) ?? "",
						},
						`${to?.user.name} decides while you are away.`,
					);
					setBusy(false);
				}}
			>
				<Colleagues label="Who decides for you" autoFocus value={to} onPick={setTo} />
				<div className="mb-3 flex gap-4">
					<Field label="From (today if empty)">
						{(id) => <DayField id={id} placeholder="today" value={from} onChange={setFrom} />}
					</Field>
					<Field label="The last day away">{(id) => <DayField id={id} last value={last} onChange={setLast} />}</Field>
				</div>
				<Acts
					busy={busy}
					disabled={!to || !last}
					name={to ? `Let ${to.user.name} decide` : "Let them decide"}
					onClose={props.onClose}
				/>
			</form>
		</Board>
	);
}

import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type Ask, useAsk } from "../api/ask";
import { api, data, type Schemas } from "../api/client";
import { useHouse } from "../house/context";
import { acting } from "../house/rights";
import { Downloads } from "../parts/Downloads";
import { endOf, now } from "../parts/days";
import { Board } from "../parts/dialog";
import { Field, TextField } from "../parts/fields";
import { Loaded } from "../parts/loading";
import { PickOne } from "../parts/Picker";
import { Rooms } from "../parts/tabs";
import { useProven } from "../parts/useProven";
import { day, lastDay, moment, Named } from "../parts/words";

const key = ["tokens"] as const;

/** What a token is for that is made here; one for a copy of the server is made by whoever runs it. */
const makes: Record<Schemas["NewToken"]["purpose"], string> = {
	decisions: "asks for decisions",
	scim: "a directory: brings in people and groups",
	api: "acts for a person",
};
const purposes: Record<Schemas["Token"]["purpose"], string> = {
	...makes,
	copies: "a copy of this server: reads all",
	calendar: "a person’s calendar: reads what is due for them",
};

/** The programs that are let in, by which token each, and what these may do. */
export function Tokens() {
	const { me } = useHouse();
	const cache = useQueryClient();
	const tokens = useAsk({ queryKey: key, queryFn: (ask: Ask) => data(ask.GET("/api/tokens")) });
	const [making, setMaking] = useState(false);
	const [secret, setSecret] = useState("");
	const [ending, setEnding] = useState<Schemas["Token"] | null>(null);
	const [proven, board] = useProven();
	const takeOver = (t: Schemas["Token"]) =>
		proven(async () => {
			await data(api.POST("/api/tokens/{id}/take-over", { params: { path: { id: t.id } } }));
			await changed();
		});
	const changed = () => cache.invalidateQueries({ queryKey: key });
	const look = "px-2 py-1.5 text-left font-normal";
	return (
		<div className="flex h-full flex-col px-[18px] pt-3">
			<div className="flex items-baseline gap-4">
				<Rooms />
				<p className="grow text-quiet">
					Each program has access by a token of its own. Its secret is shown once; a token that is withdrawn stops
					working at once.
				</p>
				<Downloads path="/api/lists/token" query={{}} />
				{acting(me) && (
					<button type="button" className="action main" onClick={() => setMaking(true)}>
						New token …
					</button>
				)}
			</div>
			<Loaded query={tokens}>
				{(list) =>
					list.length === 0 ? (
						<p className="py-4 text-quiet">No program has access.</p>
					) : (
						<div className="mt-3 min-h-0 grow overflow-auto">
							<table className="w-full">
								<thead className="border-b-[3px] border-[var(--beam)] text-[12px] text-quiet">
									<tr>
										{["Name", "What for", "Made", "Last used", "Good until", ""].map((h) => (
											<th key={h} scope="col" className={look}>
												{h || <span className="sr-only">Withdraw</span>}
											</th>
										))}
									</tr>
								</thead>
								<tbody>
									{list.map((t) => (
										<tr key={t.id} className="border-b border-hair align-baseline">
											<th scope="row" className={`${look} font-semibold`}>
												{t.name}
												{t.asleep && <p className="max-w-[34ch] font-normal text-ochre">Sleeps: {t.asleep}</p>}
											</th>
											<td className={look}>
												{purposes[t.purpose]}
												{t.signIns && ", and how people with rights sign in"}
												{t.user && (
													<>
														: <Named of={t.user} />
													</>
												)}
											</td>
											<td className={look}>
												{day(t.made)} by {t.by}
											</td>
											<td className={look}>{t.used ? moment(t.used) : "never"}</td>
											<td className={look}>
												{t.ended ? (
													<b className="text-ox">withdrawn {day(t.ended)}</b>
												) : !t.expires ? (
													"no end"
												) : Date.parse(t.expires) < now() ? (
													<b className="text-ochre">run out {lastDay(t.expires)}</b>
												) : (
													lastDay(t.expires)
												)}
											</td>
											<td className={`${look} text-right`}>
												{t.asleep && acting(me) && (
													<button type="button" className="link mr-3" onClick={() => takeOver(t)}>
														Take over
													</button>
												)}
												{!t.ended && acting(me) && (
													<button type="button" className="link" onClick={() => setEnding(t)}>
														Withdraw …
													</button>
												)}
											</td>
										</tr>
									))}
								</tbody>
							</table>
						</div>
					)
				}
			</Loaded>
			{making && (
				<NewToken
					onClose={() => setMaking(false)}
					onMake={(body) =>
						proven(async () => {
							const made = await data(api.POST("/api/tokens", { body }));
							setMaking(false);
							setSecret(made.secret);
							await changed();
						})
					}
				/>
			)}
			{secret && (
				<Board
					open
					onClose={() => setSecret("")}
					title="The token"
					about="Give it to the program now: it is not stored, and not shown again."
				>
					<input
						aria-label="Token"
						className="field font-mono"
						readOnly
						value={secret}
						onFocus={(e) => e.currentTarget.select()}
					/>
					<div className="mt-4 flex justify-end">
						<button type="button" className="action main" onClick={() => setSecret("")}>
							The program has it
						</button>
					</div>
				</Board>
			)}
			{ending && (
				<Board
					open
					onClose={() => setEnding(null)}
					title={`Withdraw “${ending.name}”`}
					about="The program that uses it loses access at once. To replace a token, make the new one first."
				>
					<div className="mt-4 flex justify-end gap-3">
						<button type="button" className="action" onClick={() => setEnding(null)}>
							Cancel
						</button>
						<button
							type="button"
							className="action danger"
							onClick={() =>
								proven(async () => {
									await data(api.DELETE("/api/tokens/{id}", { params: { path: { id: ending.id } } }));
									setEnding(null);
									await changed();
								})
							}
						>
							Withdraw it
						</button>
					</div>
				</Board>
			)}
			{board}
		</div>
	);
}

function NewToken({ onMake, onClose }: { onMake: (body: Schemas["NewToken"]) => void; onClose: () => void }) {
	const [name, setName] = useState("");
	const [purpose, setPurpose] = useState<Schemas["NewToken"]["purpose"]>("decisions");
	const [user, setUser] = useState<Schemas["Ref"] | undefined>();
	const [until, setUntil] = useState("");
	const [signIns, setSignIns] = useState(false);
	return (
		<Board
			open
			onClose={onClose}
			title="New token"
			about="One for each program, so that one can lose access without the others."
		>
			<form
				onSubmit={(e) => {
					e.preventDefault();
					onMake({
						name: name.trim(),
						purpose,
						user: purpose === "api" ? user?.id : undefined,
						expires: endOf(until),
						signIns: purpose === "scim" && signIns,
					});
				}}
			>
				<TextField label="Name of the program" required autoFocus value={name} onChange={setName} />
				<Field label="What it does">
					{(id) => (
						<select
							id={id}
							className="field"
							value={purpose}
							onChange={(e) => setPurpose(e.target.value as typeof purpose)}
						>
							{Object.entries(makes).map(([p, words]) => (
								<option key={p} value={p}>
									{words}
								</option>
							))}
						</select>
					)}
				</Field>
				{purpose === "api" && (
					<Field
						label="For whom"
						hint="It may do what this person may, but nothing critical, since a program cannot prove who it is."
					>
						{() => (
							<PickOne kinds={["user"]} label="For whom" placeholder="a person …" value={user} onChange={setUser} />
						)}
					</Field>
				)}
				{purpose === "scim" && (
					<label className="my-3 flex items-start gap-2">
						<input type="checkbox" className="mt-1" checked={signIns} onChange={(e) => setSignIns(e.target.checked)} />
						<span>
							It may change the user names and e-mail addresses of people with rights in Fachwerk
							<span className="block text-[12px] text-quiet">
								Whoever runs the directory could then sign in as one of them. Otherwise it leaves these alone.
							</span>
						</span>
					</label>
				)}
				<TextField
					label="Good until the end of"
					type="date"
					last
					value={until}
					onChange={setUntil}
					hint="Empty: until it is withdrawn."
				/>
				<div className="mt-4 flex justify-end gap-3">
					<button type="button" className="action" onClick={onClose}>
						Cancel
					</button>
					<button type="submit" className="action main" disabled={!name.trim() || (purpose === "api" && !user)}>
						Make it
					</button>
				</div>
			</form>
		</Board>
	);
}

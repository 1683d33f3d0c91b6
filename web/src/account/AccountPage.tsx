import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type Ask, useAsk } from "../api/ask";
import { api, data, type Schemas } from "../api/client";
import { useHouse } from "../house/context";
import { acting } from "../house/rights";
import { Board } from "../parts/dialog";
import { TextField } from "../parts/fields";
import { Loaded } from "../parts/loading";
import { useNotice } from "../parts/notice";
import { PasswordField } from "../parts/password";
import { Line, Part } from "../parts/sheet";
import { Rooms } from "../parts/tabs";
import { useProven } from "../parts/useProven";
import { count, day, moment } from "../parts/words";
import { Away } from "./Away";
import { canPasskey, makePasskey } from "./passkey";
import { RecoveryCodes, recoverySaid } from "./RecoveryCodes";

const own = ["own"] as const;

/** One's own account: how one signs in, where one is signed in, and what one can do. */
export function AccountPage() {
	const { me } = useHouse();
	if (!acting(me)) return <p className="p-6 text-quiet">Go back to your own view, and to now, to see your account.</p>;
	return (
		<div className="h-full overflow-auto px-[18px] py-3">
			{me.lacks ? <h1 className="text-[22px] font-bold">Signing in</h1> : <Rooms />}
			{me.lacks && (
				<p role="alert" className="mt-3 max-w-[760px] border-l-8 border-ochre-line bg-sunk p-3 font-semibold">
					You hold rights in Fachwerk, and here these need a second factor. Set one up to continue.
				</p>
			)}
			<div className="mt-4 grid grid-cols-[repeat(auto-fit,minmax(340px,1fr))] gap-x-10">
				<div>
					<Second />
					<Password />
				</div>
				<div>
					<Sessions />
					<Letters />
					<Away />
					<CalendarPart />
				</div>
			</div>
		</div>
	);
}

function Password() {
	const { tell, refuse } = useNotice();
	const cache = useQueryClient();
	const [present, setPresent] = useState("");
	const [next, setNext] = useState("");
	const change = async () => {
		try {
			await data(api.POST("/api/me/password", { body: { present, password: next } }));
			setPresent("");
			setNext("");
			tell("Your password is changed. You are signed out everywhere else.");
			cache.invalidateQueries({ queryKey: own });
		} catch (error) {
			refuse(error);
		}
	};
	return (
		<Part title="Password">
			<form
				className="max-w-[360px] py-2"
				onSubmit={(e) => {
					e.preventDefault();
					change();
				}}
			>
				<PasswordField label="Present password" value={present} onChange={setPresent} />
				<PasswordField
					label="New password, 12 characters or more"
					value={next}
					onChange={setNext}
					fresh
					shortest={12}
				/>
				<button type="submit" className="action main" disabled={!present || !next}>
					Change it
				</button>
			</form>
		</Part>
	);
}

function Sessions() {
	const { refuse } = useNotice();
	const cache = useQueryClient();
	const sessions = useAsk({ queryKey: [...own, "sessions"], queryFn: (ask: Ask) => data(ask.GET("/api/me/sessions")) });
	const end = async (id?: string) => {
		try {
			await data(
				id ? api.DELETE("/api/me/sessions/{id}", { params: { path: { id } } }) : api.DELETE("/api/me/sessions"),
			);
			await cache.invalidateQueries({ queryKey: own });
		} catch (error) {
			refuse(error);
		}
	};
	return (
		<Loaded query={sessions}>
			{(list) => (
				<Part
					title="Where you are signed in"
					count={list.length}
					act={
						list.length > 1 && (
							<button type="button" className="link" onClick={() => end()}>
								End all others
							</button>
						)
					}
				>
					<ul>
						{list.map((s) => (
							<Line
								key={s.id}
								aside={
									s.this ? (
										<b className="text-moss">this one</b>
									) : (
										<button type="button" className="link" onClick={() => end(s.id)}>
											End it
										</button>
									)
								}
							>
								<b>{agentOf(s.agent)}</b>
								<span className="block text-[12px] text-quiet">
									from {s.from || "an unknown address"} · since {moment(s.at)} · last used {moment(s.seen)}
								</span>
							</Line>
						))}
					</ul>
					<p className="py-1.5 text-[12px] text-quiet">
						A session ends after two hours without use, after twelve hours at most, and whenever your password changes.
					</p>
				</Part>
			)}
		</Loaded>
	);
}

/** Which letters one gets, and where they go. */
function Letters() {
	const { refuse } = useNotice();
	const cache = useQueryClient();
	const letters = useAsk({ queryKey: [...own, "letters"], queryFn: (ask: Ask) => data(ask.GET("/api/me/letters")) });
	const set = async (next: Schemas["Letters"]) => {
		try {
			await data(api.PUT("/api/me/letters", { body: next }));
		} catch (error) {
			refuse(error);
		}
		await cache.invalidateQueries({ queryKey: own });
	};
	const kinds = {
		reminders: "when review items are waiting for me: when the review opens, at half time and near its end",
		tasks: "when a review leaves something to settle in a group that I own",
		requests: "when somebody asks for something that I could grant",
		endings: "seven days before something temporary of mine ends",
		findings: "on Mondays, findings about the roles, sets and groups that I own",
		criticals: "when another owner makes a critical change",
	};
	return (
		<Loaded query={letters}>
			{(l) => (
				<Part title="Letters">
					<p className="py-1.5 text-quiet">
						{l.to ? (
							<>
								They go to <b className="text-ink">{l.to}</b>. Write to me:
							</>
						) : (
							"There is no address for you, so you get no letters. Ask your access administrator to add one."
						)}
					</p>
					{Object.entries(kinds).map(([kind, words]) => (
						<label key={kind} className="flex items-center gap-2 py-1">
							<input
								type="checkbox"
								checked={l[kind as keyof typeof kinds] ?? true}
								onChange={(e) => set({ ...l, [kind]: e.target.checked })}
							/>
							{words}
						</label>
					))}
					<label className="mt-1 flex items-center gap-2 border-t border-hair py-1">
						<input type="checkbox" checked={l.daily} onChange={(e) => set({ ...l, daily: e.target.checked })} />
						what is not urgent, as one letter a day, in the morning
					</label>
					<p className="py-1.5 text-[12px] text-quiet">
						Letters about your sign-in always come, and at once: links, and notices of changes. So do reminders that
						somebody sends by hand, and answers to your requests.
					</p>
				</Part>
			)}
		</Loaded>
	);
}

/** The address by which one's own calendar has what is due. */
function CalendarPart() {
	const { refuse } = useNotice();
	const cache = useQueryClient();
	const there = useAsk({ queryKey: [...own, "calendar"], queryFn: (ask: Ask) => data(ask.GET("/api/me/calendar")) });
	const [address, setAddress] = useState("");
	const act = async (does: () => Promise<string>) => {
		try {
			setAddress(await does());
		} catch (error) {
			refuse(error);
		}
		await cache.invalidateQueries({ queryKey: own });
	};
	const make = () => act(async () => (await data(api.POST("/api/me/calendar"))).address ?? "");
	const end = () =>
		act(async () => {
			await data(api.DELETE("/api/me/calendar"));
			return "";
		});
	return (
		<Loaded query={there}>
			{(c) => (
				<Part title="Your calendar">
					<p className="py-1.5 text-quiet">
						Your calendar can subscribe to an address that shows when your reviews are due and when rounds of your
						series open. Anybody who has the address can see this: keep it to yourself.
					</p>
					{address && (
						<label className="mb-2 block">
							<span className="text-[12px] text-quiet">The address, shown only this once</span>
							<input
								className="field font-mono text-[12px]"
								readOnly
								value={address}
								onFocus={(e) => e.currentTarget.select()}
							/>
						</label>
					)}
					<p className="flex gap-3">
						<button type="button" className="action" onClick={make}>
							{c.there ? "Make another address" : "Make an address"}
						</button>
						{c.there && (
							<button type="button" className="action danger" onClick={end}>
								Withdraw it
							</button>
						)}
					</p>
				</Part>
			)}
		</Loaded>
	);
}

/** What a browser and its system are called, out of how they call themselves. */
function agentOf(agent: string): string {
	const browser = /Edg\//.test(agent)
		? "Edge"
		: /Firefox\//.test(agent)
			? "Firefox"
			: /Chrome\//.test(agent)
				? "Chromium"
				: /Safari\//.test(agent)
					? "Safari"
					: agent || "a program";
	const system = /Windows/.test(agent)
		? "Windows"
		: /Android/.test(agent)
			? "Android"
			: /iPhone|iPad/.test(agent)
				? "iOS"
				: /Mac OS/.test(agent)
					? "macOS"
					: /Linux/.test(agent)
						? "Linux"
						: "";
	return system ? `${browser} on ${system}` : browser;
}

function Second() {
	const { tell } = useNotice();
	const cache = useQueryClient();
	const factors = useAsk({ queryKey: [...own, "factors"], queryFn: (ask: Ask) => data(ask.GET("/api/me/factors")) });
	const [naming, setNaming] = useState(false);
	const [codes, setCodes] = useState<Schemas["NewCodes"] | null>(null);
	const [recovery, setRecovery] = useState<string[]>([]);
	const [proven, board] = useProven();
	const changed = () =>
		Promise.all([cache.invalidateQueries({ queryKey: own }), cache.invalidateQueries({ queryKey: ["me"] })]);
	const added = async (r: Schemas["Recovery"], what: string) => {
		await changed();
		tell(`${what} is set up.`);
		if (r.codes.length > 0) setRecovery(r.codes);
	};
	const drop = (id: string) =>
		proven(async () => {
			await data(api.DELETE("/api/me/factors/{id}", { params: { path: { id } } }));
			await changed();
		});
	return (
		<Loaded query={factors}>
			{(f) => (
				<Part title="Second factor">
					<p className="py-1.5 text-quiet">
						{f.passkeys.length === 0 && !f.codes
							? "None yet: anybody with your password can sign in as you. A passkey protects best, time codes second best."
							: "Besides your password, you need one of these. With a passkey, you need no password at all."}
					</p>
					<ul>
						{f.passkeys.map((p) => (
							<Line
								key={p.id}
								aside={
									<button type="button" className="link" onClick={() => drop(p.id)}>
										Take it away
									</button>
								}
							>
								<b>{p.name}</b>
								<span className="block text-[12px] text-quiet">
									passkey, since {day(p.made)}
									{p.used ? `, last used ${day(p.used)}` : ", not used yet"}
								</span>
							</Line>
						))}
						{f.codes && (
							<Line
								aside={
									<button type="button" className="link" onClick={() => drop(f.codesId ?? "")}>
										Take them away
									</button>
								}
							>
								<b>Time codes</b>
							</Line>
						)}
						{(f.codes || f.passkeys.length > 0) && (
							<Line
								aside={
									<button
										type="button"
										className="link"
										onClick={() =>
											proven(async () => {
												setRecovery((await data(api.POST("/api/me/recovery-codes"))).codes);
												await changed();
											})
										}
									>
										Make new ones
									</button>
								}
							>
								{count(f.recovery, "recovery code is", "recovery codes are")} left, each good once
							</Line>
						)}
					</ul>
					<p className="flex gap-3 py-3">
						{canPasskey() && (
							<button type="button" className="action main" onClick={() => setNaming(true)}>
								Add a passkey …
							</button>
						)}
						{!f.codes && (
							<button
								type="button"
								className="action"
								onClick={() =>
									proven(async () => {
										setCodes(await data(api.POST("/api/me/codes/secret")));
									})
								}
							>
								Set up time codes …
							</button>
						)}
					</p>
					{naming && (
						<NamePasskey
							onClose={() => setNaming(false)}
							onName={(name) => {
								setNaming(false);
								proven(async () => added(await makePasskey(name), "The passkey"));
							}}
						/>
					)}
					{codes && (
						<CodesBoard
							codes={codes}
							onClose={() => setCodes(null)}
							onCode={(code) =>
								proven(async () => {
									const r = await data(api.POST("/api/me/codes", { body: { code } }));
									setCodes(null);
									await added(r, "The second factor");
								})
							}
						/>
					)}
					{recovery.length > 0 && <RecoveryBoard codes={recovery} onClose={() => setRecovery([])} />}
					{board}
				</Part>
			)}
		</Loaded>
	);
}

function NamePasskey({ onName, onClose }: { onName: (name: string) => void; onClose: () => void }) {
	const [name, setName] = useState("");
	return (
		<Board
			open
			onClose={onClose}
			title="Add a passkey"
			about="Your browser asks where to keep it: on this device, on a phone or on a security key. It never leaves there."
		>
			<form
				onSubmit={(e) => {
					e.preventDefault();
					onName(name);
				}}
			>
				<TextField
					label="Name"
					hint="So that you recognise it: desk, phone, grey key …"
					value={name}
					onChange={setName}
					max={100}
					autoFocus
				/>
				<div className="mt-4 flex justify-end gap-3">
					<button type="button" className="action" onClick={onClose}>
						Cancel
					</button>
					<button type="submit" className="action main">
						Make it
					</button>
				</div>
			</form>
		</Board>
	);
}

function CodesBoard({
	codes,
	onCode,
	onClose,
}: {
	codes: Schemas["NewCodes"];
	onCode: (code: string) => void;
	onClose: () => void;
}) {
	const [code, setCode] = useState("");
	return (
		<Board
			open
			onClose={onClose}
			title="Set up time codes"
			about="Scan the picture with your authenticator app, then type the code that it shows."
		>
			<form
				className="flex gap-5"
				onSubmit={(e) => {
					e.preventDefault();
					onCode(code);
				}}
			>
				<img src={codes.image} width={220} height={220} alt="The secret, to be read by an authenticator" />
				<div className="grow">
					<p className="text-[12px] text-quiet">Or type this into it:</p>
					<p className="mb-3 font-mono text-[12px] break-all">{codes.secret}</p>
					<TextField label="The code it shows" value={code} onChange={setCode} max={10} autoFocus />
					<button type="submit" className="action main" disabled={code.trim().length < 6}>
						Set them up
					</button>
				</div>
			</form>
		</Board>
	);
}

function RecoveryBoard({ codes, onClose }: { codes: string[]; onClose: () => void }) {
	return (
		<Board open onClose={onClose} title="Your recovery codes" about={recoverySaid}>
			<RecoveryCodes codes={codes} onHave={onClose} />
		</Board>
	);
}

import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useId, useState } from "react";
import { canPasskey, signInByPasskey } from "../account/passkey";
import { type Ask, useAsk } from "../api/ask";
import { at } from "../api/at";
import { api, data, letIn, Refusal, type Schemas } from "../api/client";
import { PasswordField } from "../parts/password";
import { Door } from "./Door";
import { factorNeeded, SecondFactor } from "./SecondFactor";

export function SignIn() {
	const cache = useQueryClient();
	const page = useAsk({ queryKey: ["sign-in"], queryFn: (ask: Ask) => data(ask.GET("/api/sign-in")) });
	const [userName, setUserName] = useState("");
	const [password, setPassword] = useState("");
	const [second, setSecond] = useState<string[] | null>(null);
	const [forgotten, setForgotten] = useState(false);
	const id = useId();
	const enter = (me: Schemas["Me"]) => letIn(cache, me);
	const signIn = useMutation({
		mutationFn: (as: { userName: string; password: string }) => data(api.POST("/api/session", { body: as })),
		onSuccess: enter,
		onError: (error) => {
			if (error instanceof Refusal && error.type === factorNeeded) setSecond(error.problems);
		},
	});
	const byKey = useMutation({ mutationFn: signInByPasskey, onSuccess: enter });
	const wrong = signIn.error ?? (byKey.error instanceof DOMException ? null : byKey.error);
	const title = page.data?.organisation ? `Access of ${page.data.organisation}` : "Who can do what, where, and why";
	if (second) {
		return (
			<Door title={title}>
				<SecondFactor kinds={second} onIn={enter} onBack={() => setSecond(null)} />
			</Door>
		);
	}
	if (forgotten) {
		return (
			<Door title={title}>
				<Forgotten userName={userName} onBack={() => setForgotten(false)} />
			</Door>
		);
	}
	return (
		<Door title={title}>
			<form
				onSubmit={(e) => {
					e.preventDefault();
					signIn.mutate({ userName, password });
				}}
			>
				<div className="mb-3">
					<label htmlFor={id} className="text-[12px] text-quiet">
						User name
					</label>
					<input
						id={id}
						className="field text-[15px]"
						autoComplete="username"
						required
						value={userName}
						onChange={(e) => setUserName(e.target.value)}
					/>
				</div>
				<PasswordField label="Password" value={password} onChange={setPassword} />
				<div aria-live="assertive" className="min-h-[26px] py-1 font-semibold text-ox">
					{wrong ? (
						<span role="alert">✕ {wrong.message}</span>
					) : (
						page.data?.told && <span role="alert">✕ {page.data.told}</span>
					)}
				</div>
				<button type="submit" className="action main w-full py-2 text-[15px]" disabled={signIn.isPending}>
					Sign in
				</button>
				{page.data?.provider && (
					<a className="action mt-3 block w-full py-2 text-center text-[15px]" href={at("/api/sign-in/provider")}>
						Sign in with {page.data.provider}
					</a>
				)}
				<p className="mt-3 flex gap-6">
					{canPasskey() && (
						<button type="button" className="link" onClick={() => byKey.mutate()}>
							Sign in with a passkey
						</button>
					)}
					<button type="button" className="link" onClick={() => setForgotten(true)}>
						Forgotten the password?
					</button>
				</p>
			</form>
			{page.data?.empty && (
				<p className="mt-6 border-l-8 border-ochre-line bg-plaster p-3">
					The house is empty: nobody can sign in yet. Bring a design in with{" "}
					<code className="font-mono text-[12px]">fachwerk load</code>, then make somebody its owner with{" "}
					<code className="font-mono text-[12px]">fachwerk owner</code>.
				</p>
			)}
			{page.data && page.data.demo.length > 0 && (
				<section className="mt-8">
					<h2 className="border-b-[3px] border-[var(--beam)] pb-1 font-bold">Sign in to the demo as</h2>
					<ul>
						{page.data.demo.map((d) => (
							<li key={d.userName}>
								<button
									type="button"
									className="flex w-full items-baseline gap-3 border-b border-hair px-1 py-2 text-left hover:bg-sunk"
									onClick={() => signIn.mutate({ userName: d.userName, password: page.data.demoPassword ?? "" })}
								>
									<span className="link w-[130px] shrink-0">{d.name}</span>
									<span className="text-quiet">{d.as}</span>
								</button>
							</li>
						))}
					</ul>
					<p className="mt-2 text-[12px] text-quiet">
						Everybody here is made up. The password is <code className="font-mono">{page.data.demoPassword}</code>.
					</p>
				</section>
			)}
		</Door>
	);
}

/** Asks for a letter by which to set a new password. What is said is the same, whoever there is. */
function Forgotten({ userName, onBack }: { userName: string; onBack: () => void }) {
	const id = useId();
	const [name, setName] = useState(userName);
	const ask = useMutation({
		mutationFn: () => data(api.POST("/api/forgotten-password", { body: { userName: name } })),
	});
	return (
		<form
			onSubmit={(e) => {
				e.preventDefault();
				ask.mutate();
			}}
		>
			{ask.isSuccess ? (
				<p role="status" className="mb-4">
					If there is an active account of that name with an e-mail address, a letter with a link is on its way to it.
					The link works once, within an hour.
				</p>
			) : (
				<>
					<label htmlFor={id} className="text-[12px] text-quiet">
						Your user name
					</label>
					<input
						id={id}
						className="field text-[15px]"
						autoComplete="username"
						required
						maxLength={200}
						value={name}
						// biome-ignore lint/a11y/noAutofocus: it is the one thing asked
						autoFocus
						onChange={(e) => setName(e.target.value)}
					/>
					<div aria-live="assertive" className="min-h-[26px] py-1 font-semibold text-ox">
						{ask.error && <span role="alert">✕ {ask.error.message}</span>}
					</div>
					<button
						type="submit"
						className="action main w-full py-2 text-[15px]"
						disabled={ask.isPending || !name.trim()}
					>
						Send me a letter
					</button>
				</>
			)}
			<button type="button" className="link mt-3" onClick={onBack}>
				Back to signing in
			</button>
		</form>
	);
}

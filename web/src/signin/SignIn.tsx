import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useId, useState } from "react";
import { type Ask, useAsk } from "../api/ask";
import { api, data } from "../api/client";
import { design } from "../api/hooks";
import { Door } from "./Door";

export function SignIn() {
	const cache = useQueryClient();
	const page = useAsk({ queryKey: ["sign-in"], queryFn: (ask: Ask) => data(ask.GET("/api/sign-in")) });
	const [userName, setUserName] = useState("");
	const [password, setPassword] = useState("");
	const ids = { name: useId(), password: useId() };
	const signIn = useMutation({
		mutationFn: (as: { userName: string; password: string }) => data(api.POST("/api/session", { body: as })),
		onSuccess: (me) => {
			cache.removeQueries({ queryKey: design }); // what somebody else saw before
			cache.setQueryData(["me", {}], me);
		},
	});
	return (
		<Door title={page.data?.organisation ? `Access of ${page.data.organisation}` : "Who can do what, where, and why"}>
			<form
				onSubmit={(e) => {
					e.preventDefault();
					signIn.mutate({ userName, password });
				}}
			>
				<label htmlFor={ids.name} className="block">
					<span className="text-[12px] text-quiet">User name</span>
					<input
						id={ids.name}
						className="field text-[15px]"
						autoComplete="username"
						required
						value={userName}
						onChange={(e) => setUserName(e.target.value)}
					/>
				</label>
				<label htmlFor={ids.password} className="mt-3 block">
					<span className="text-[12px] text-quiet">Password</span>
					<input
						id={ids.password}
						className="field text-[15px]"
						type="password"
						autoComplete="current-password"
						required
						value={password}
						onChange={(e) => setPassword(e.target.value)}
					/>
				</label>
				<div aria-live="assertive" className="min-h-[26px] py-1 font-semibold text-ox">
					{signIn.error && <span role="alert">✕ {signIn.error.message}</span>}
				</div>
				<button type="submit" className="action main w-full py-2 text-[15px]" disabled={signIn.isPending}>
					Sign in
				</button>
			</form>
			{page.data?.empty && (
				<p className="mt-6 border-l-8 border-ochre-line bg-plaster p-3">
					The house is empty: nobody can sign in yet. Bring a design in with <code className="font-mono text-[12px]">fachwerk load</code>, then make
					somebody its owner with <code className="font-mono text-[12px]">fachwerk owner</code>.
				</p>
			)}
			{page.data && page.data.demo.length > 0 && (
				<section className="mt-8">
					<h2 className="border-b-[3px] border-[var(--beam)] pb-1 font-bold">Walk into the demo as</h2>
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

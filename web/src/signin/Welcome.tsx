import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useId, useState } from "react";
import { useNavigate, useParams } from "react-router";
import { type Ask, useAsk } from "../api/ask";
import { api, data } from "../api/client";
import { Loaded } from "../parts/loading";
import { Door } from "./Door";

/** Behind a password link: the person sets a password and is in. */
export function Welcome() {
	const { link = "" } = useParams();
	const navigate = useNavigate();
	const cache = useQueryClient();
	const page = useAsk({ queryKey: ["welcome", link], queryFn: (ask: Ask) => data(ask.GET("/api/welcome/{link}", { params: { path: { link } } })) });
	const [password, setPassword] = useState("");
	const id = useId();
	const set = useMutation({
		mutationFn: () => data(api.POST("/api/welcome/{link}", { params: { path: { link } }, body: { password } })),
		onSuccess: (me) => {
			cache.setQueryData(["me", {}], me);
			navigate("/", { replace: true });
		},
	});
	return (
		<Door title="Welcome">
			<Loaded query={page}>
				{(w) => (
					<form
						onSubmit={(e) => {
							e.preventDefault();
							set.mutate();
						}}
					>
						<p className="mb-4">
							{w.name}, choose a password. Your user name is <b>{w.userName}</b>.
						</p>
						<label htmlFor={id}>
							<span className="text-[12px] text-quiet">New password, {w.shortest} characters or more</span>
							<input
								id={id}
								className="field text-[15px]"
								type="password"
								autoComplete="new-password"
								minLength={w.shortest}
								required
								value={password}
								onChange={(e) => setPassword(e.target.value)}
							/>
						</label>
						<div aria-live="assertive" className="min-h-[26px] py-1 font-semibold text-ox">
							{set.error && <span role="alert">✕ {set.error.message}</span>}
						</div>
						<button type="submit" className="action main w-full py-2 text-[15px]" disabled={set.isPending}>
							Set it and come in
						</button>
					</form>
				)}
			</Loaded>
		</Door>
	);
}

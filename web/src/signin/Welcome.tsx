import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import { canPasskey, comeInByPasskey } from "../account/passkey";
import { RecoveryCodes, recoverySaid } from "../account/RecoveryCodes";
import { type Ask, useAsk } from "../api/ask";
import { api, data, letIn, Refusal, type Schemas } from "../api/client";
import { Loaded } from "../parts/loading";
import { PasswordField } from "../parts/password";
import { Door } from "./Door";
import { factorNeeded, SecondFactor } from "./SecondFactor";

/** Behind a password link: the person sets a password and is in; whoever is invited may make a passkey instead. */
export function Welcome() {
	const { link = "" } = useParams();
	const navigate = useNavigate();
	const cache = useQueryClient();
	const page = useAsk({
		queryKey: ["welcome", link],
		queryFn: (ask: Ask) => data(ask.GET("/api/welcome/{link}", { params: { path: { link } } })),
	});
	const [password, setPassword] = useState("");
	const [second, setSecond] = useState<string[] | null>(null);
	const enter = (me: Schemas["Me"]) => {
		letIn(cache, me);
		navigate("/", { replace: true });
	};
	const set = useMutation({
		mutationFn: () => data(api.POST("/api/welcome/{link}", { params: { path: { link } }, body: { password } })),
		onSuccess: enter,
		onError: (error) => {
			if (error instanceof Refusal && error.type === factorNeeded) setSecond(error.problems);
		},
	});
	const byKey = useMutation({ mutationFn: () => comeInByPasskey(link) });
	const wrong = set.error ?? (byKey.error instanceof DOMException ? null : byKey.error);
	const came = byKey.data;
	if (came) {
		return (
			<Door title="Welcome">
				<p className="mb-2 font-semibold text-moss">✓ Your passkey is set. You can sign in with it alone.</p>
				<p className="mb-3">{recoverySaid}</p>
				<RecoveryCodes codes={came.recovery} onHave={() => enter(came.me)} />
			</Door>
		);
	}
	if (second) {
		return (
			<Door title="Welcome">
				<p className="mb-2 font-semibold text-moss">✓ Your new password is set.</p>
				<SecondFactor kinds={second} onIn={enter} onBack={() => navigate("/", { replace: true })} />
			</Door>
		);
	}
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
						{w.by ? (
							<Offered of={w} />
						) : (
							<p className="mb-4">
								{w.name}, choose a password. Your user name is <b>{w.userName}</b>.
							</p>
						)}
						<PasswordField
							label={`New password, ${w.shortest} characters or more`}
							fresh
							shortest={w.shortest}
							value={password}
							onChange={setPassword}
						/>
						<div aria-live="assertive" className="min-h-[26px] py-1 font-semibold text-ox">
							{wrong && <span role="alert">✕ {wrong.message}</span>}
						</div>
						<button type="submit" className="action main w-full py-2 text-[15px]" disabled={set.isPending}>
							Set it and sign in
						</button>
						{w.passkey && canPasskey() && (
							<button
								type="button"
								className="action mt-3 w-full py-2 text-[15px]"
								disabled={byKey.isPending}
								onClick={() => byKey.mutate()}
							>
								Sign in with a passkey instead
							</button>
						)}
					</form>
				)}
			</Loaded>
		</Door>
	);
}

/** Who invites into what, and what the invited person will be able to do. */
function Offered({ of: w }: { of: Schemas["Welcome"] }) {
	return (
		<div className="mb-4">
			<p>
				{w.name}, <b>{w.by}</b> invites you to <b>{w.organisation}</b>.
			</p>
			{w.gets.length + w.groups.length > 0 && (
				<p className="mt-2 text-quiet">As {[...w.gets, ...w.groups].join("; ")}.</p>
			)}
			{w.can.length > 0 && (
				<ul
					aria-label="What you will be able to do"
					className="mt-2 max-h-[180px] overflow-auto border-t-[3px] border-[var(--beam)]"
				>
					{w.can.map((c) => (
						<li key={c.system} className="border-b border-hair py-1">
							<b>{c.system}</b>{" "}
							<span className="text-[12px] text-quiet">
								{c.some.join(", ")}
								{c.permissions > c.some.length && ` and ${c.permissions - c.some.length} more`}
							</span>
						</li>
					))}
				</ul>
			)}
			<p className="mt-3">
				Choose a password. Your user name is <b>{w.userName}</b>.
			</p>
		</div>
	);
}

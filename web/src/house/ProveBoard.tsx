import { useState } from "react";
import { proveByPasskey } from "../account/passkey";
import { at } from "../api/at";
import { api, data } from "../api/client";
import { Board } from "../parts/dialog";
import { Acts } from "../parts/fields";
import { PasswordField } from "../parts/password";
import { useHouse } from "./context";

/** The type of the refusal that one must prove again who one is. */
export const proofNeeded = "urn:fachwerk:problem:password-needed";

/** Asks for the passkey, or else the password, once more, before something critical. */
export function ProveBoard({
	why,
	name,
	onProven,
	onClose,
}: {
	why: string[];
	name?: string;
	onProven: () => void;
	onClose: () => void;
}) {
	const { me } = useHouse();
	const [password, setPassword] = useState("");
	const [wrong, setWrong] = useState("");
	const [busy, setBusy] = useState(false);
	const prove = async () => {
		setBusy(true);
		setWrong("");
		try {
			if (me.passkey) await proveByPasskey();
			else await data(api.POST("/api/session/proof", { body: { password } }));
			onProven();
		} catch (error) {
			setWrong(error instanceof Error ? error.message : String(error));
		} finally {
			setBusy(false);
		}
	};
	return (
		<Board
			open
			onClose={onClose}
			title={me.passkey ? "Your passkey, once more" : "Your password, once more"}
			about="You last gave it more than ten minutes ago, and this is critical. Nothing you have prepared is lost."
		>
			<form
				onSubmit={(e) => {
					e.preventDefault();
					prove();
				}}
			>
				<ul className="mb-3 list-disc pl-5">
					{why.map((w) => (
						<li key={w}>{w}</li>
					))}
				</ul>
				{!me.passkey && <PasswordField label="Password" value={password} onChange={setPassword} autoFocus />}
				{me.provider && (
					<p className="mb-3">
						<a className="link" href={at("/api/sign-in/provider?proof=true")}>
							Prove it by {me.provider}
						</a>
						<span className="text-quiet"> and come back here; your draft waits.</span>
					</p>
				)}
				{wrong && (
					<p role="alert" className="font-semibold text-ox">
						✕ {wrong}
					</p>
				)}
				<Acts
					busy={busy}
					disabled={!me.passkey && !password}
					name={me.passkey ? "Show the passkey" : (name ?? "Apply it")}
					onClose={onClose}
				/>
			</form>
		</Board>
	);
}

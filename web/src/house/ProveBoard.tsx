import { useState } from "react";
import { api, data } from "../api/client";
import { Board } from "../parts/dialog";
import { Acts, Field } from "../parts/fields";

/** The type of the refusal that the password must be given again. */
export const passwordNeeded = "urn:fachwerk:problem:password-needed";

/** Asks for the password once more, before something critical. */
export function ProveBoard({ why, onProven, onClose }: { why: string[]; onProven: () => void; onClose: () => void }) {
	const [password, setPassword] = useState("");
	const [wrong, setWrong] = useState("");
	const [busy, setBusy] = useState(false);
	const prove = async () => {
		setBusy(true);
		try {
			await data(api.POST("/api/session/proof", { body: { password } }));
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
			title="Your password, once more"
			about="You last gave it more than ten minutes ago, and this is critical. The draft stays as it is."
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
				<Field label="Password">
					{(id) => (
						<input
							id={id}
							type="password"
							autoComplete="current-password"
							className="field"
							// biome-ignore lint/a11y/noAutofocus: it is the one thing asked
							autoFocus
							value={password}
							onChange={(e) => setPassword(e.target.value)}
						/>
					)}
				</Field>
				{wrong && (
					<p role="alert" className="font-semibold text-ox">
						✕ {wrong}
					</p>
				)}
				<Acts busy={busy} disabled={!password} name="Apply it" onClose={onClose} />
			</form>
		</Board>
	);
}

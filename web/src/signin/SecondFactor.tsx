import { useMutation } from "@tanstack/react-query";
import { useId, useState } from "react";
import { canPasskey, signInByPasskey } from "../account/passkey";
import { api, data, type Schemas } from "../api/client";

/** The type of the refusal that a second factor is to be shown. */
export const factorNeeded = "urn:fachwerk:problem:second-factor";

/** After the password: a passkey, a time code or a recovery code. */
export function SecondFactor({
	kinds,
	onIn,
	onBack,
}: {
	kinds: string[];
	onIn: (me: Schemas["Me"]) => void;
	onBack: () => void;
}) {
	const id = useId();
	const [code, setCode] = useState("");
	const byCode = useMutation({
		mutationFn: () => data(api.POST("/api/session/code", { body: { code } })),
		onSuccess: onIn,
	});
	const byKey = useMutation({ mutationFn: signInByPasskey, onSuccess: onIn });
	const wrong = byCode.error ?? (byKey.error instanceof DOMException ? null : byKey.error);
	return (
		<form
			onSubmit={(e) => {
				e.preventDefault();
				byCode.mutate();
			}}
		>
			<p className="mb-4">Now confirm that it is you.</p>
			{kinds.includes("passkey") && canPasskey() && (
				<button
					type="button"
					className="action main mb-4 w-full py-2 text-[15px]"
					disabled={byKey.isPending}
					onClick={() => byKey.mutate()}
				>
					Show your passkey
				</button>
			)}
			<label htmlFor={id} className="text-[12px] text-quiet">
				{kinds.includes("code") ? "A code of your authenticator, or a recovery code" : "Or a recovery code"}
			</label>
			<input
				id={id}
				className="field font-mono text-[15px]"
				autoComplete="one-time-code"
				maxLength={40}
				value={code}
				// biome-ignore lint/a11y/noAutofocus: it is what is asked for
				autoFocus
				onChange={(e) => setCode(e.target.value)}
			/>
			<div aria-live="assertive" className="min-h-[26px] py-1 font-semibold text-ox">
				{wrong && <span role="alert">✕ {wrong.message}</span>}
			</div>
			<button type="submit" className="action main w-full py-2 text-[15px]" disabled={!code.trim() || byCode.isPending}>
				Come in
			</button>
			<button type="button" className="link mt-3" onClick={onBack}>
				Sign in as somebody else
			</button>
		</form>
	);
}

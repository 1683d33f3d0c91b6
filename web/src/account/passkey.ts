import { api, data } from "../api/client";

/** The browser's own forms of WebAuthn's messages (Web Authentication, Level 3, §5.1.8 to §5.1.10), which its types here do not know yet. */
type Forms = {
	parseCreationOptionsFromJSON(options: unknown): PublicKeyCredentialCreationOptions;
	parseRequestOptionsFromJSON(options: unknown): PublicKeyCredentialRequestOptions;
};

type Question = { options: unknown };

const publicKey = (q: Question) => (q.options as { publicKey: unknown }).publicKey;
const forms = () => PublicKeyCredential as unknown as Forms;
const json = (c: Credential | null) => (c as unknown as { toJSON(): unknown } | null)?.toJSON();

/** Whether this browser can make and show passkeys. */
export const canPasskey = () =>
	typeof PublicKeyCredential !== "undefined" && "parseRequestOptionsFromJSON" in PublicKeyCredential;

async function shown(question: Question): Promise<unknown> {
	return json(await navigator.credentials.get({ publicKey: forms().parseRequestOptionsFromJSON(publicKey(question)) }));
}

async function made(question: Question): Promise<unknown> {
	return json(
		await navigator.credentials.create({ publicKey: forms().parseCreationOptionsFromJSON(publicKey(question)) }),
	);
}

/** Makes a passkey for this account, and gives recovery codes if these are the first. */
export async function makePasskey(name: string) {
	const answer = await made(await data(api.POST("/api/me/passkeys/question")));
	return data(api.POST("/api/me/passkeys", { body: { name, answer } }));
}

/** Accepts an invitation by a passkey in place of a password. */
export async function comeInByPasskey(link: string) {
	const params = { path: { link } };
	const answer = await made(await data(api.POST("/api/welcome/{link}/passkey/question", { params })));
	return data(api.POST("/api/welcome/{link}/passkey", { params, body: { answer } }));
}

/** Signs in by a passkey, alone or as the second factor. */
export async function signInByPasskey() {
	const answer = await shown(await data(api.POST("/api/session/passkey/question")));
	return data(api.POST("/api/session/passkey", { body: { answer } }));
}

/** Proves by a passkey who one is, before something critical. */
export async function proveByPasskey() {
	const answer = await shown(await data(api.POST("/api/session/proof/passkey/question")));
	await data(api.POST("/api/session/proof/passkey", { body: { answer } }));
}

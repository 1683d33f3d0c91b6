import { at } from "../api/at";
import { Refusal, type Schemas } from "../api/client";

/** Sends a file to be tried, and tells how much of it is there; it can be called off. */
export function send(
	file: File,
	kind: string | undefined,
	onPart: (part: number) => void,
): { done: Promise<Schemas["Import"]>; cancel: () => void } {
	const request = new XMLHttpRequest();
	const done = new Promise<Schemas["Import"]>((resolve, reject) => {
		const query = new URLSearchParams({ name: file.name });
		if (kind) query.set("kind", kind);
		request.open("POST", at(`/api/imports?${query}`));
		request.setRequestHeader("Content-Type", "application/octet-stream");
		request.upload.onprogress = (e) => e.lengthComputable && onPart(e.loaded / e.total);
		request.onload = () => {
			const answer = JSON.parse(request.responseText || "{}");
			if (request.status < 300) resolve(answer);
			else reject(new Refusal(request.status, answer.detail ?? `The server answered ${request.status}.`, []));
		};
		request.onerror = () => reject(new Refusal(0, "The server cannot be reached.", []));
		request.send(file);
	});
	return { done, cancel: () => request.abort() };
}

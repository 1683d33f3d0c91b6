import { Link, useSearchParams } from "react-router";
import type { Schemas } from "../api/client";

/** The words for the levels of risk. */
export const riskWords = ["", "elevated", "high", "critical"];

/** Where a thing's sheet, or its place in the frame, is. */
export function addressOf(kind: string, id: string, where?: string | null): string | undefined {
	const tail = where ? `where=${encodeURIComponent(where)}` : "";
	if (kind === "user") return `/people/${encodeURIComponent(id)}${tail && `?${tail}`}`;
	if (["group", "role", "set", "permission"].includes(kind)) return `/?focus=${encodeURIComponent(`${kind}:${id}`)}${tail && `&${tail}`}`;
	return undefined;
}

/** A thing's name, as a link to it if it has a place of its own. */
export function Name({ kind, id, children }: { kind: string; id: string; children: string }) {
	const [params] = useSearchParams();
	const to = addressOf(kind, id, params.get("where"));
	if (!to) return <span className="font-semibold">{children}</span>;
	return (
		<Link to={to} className={`link break-words ${kind === "permission" ? "font-mono text-[12px]" : ""}`}>
			{children}
		</Link>
	);
}

/** A sentence with the names in it as links. */
export function Sentence({ parts }: { parts: Schemas["Part"][] }) {
	return (
		<span>
			{parts.map((p, i) =>
				p.kind && p.id ? (
					// biome-ignore lint/suspicious/noArrayIndexKey: the parts of a sentence have no other identity
					<Name key={i} kind={p.kind} id={p.id}>
						{p.text}
					</Name>
				) : (
					// biome-ignore lint/suspicious/noArrayIndexKey: as above
					<span key={i}>{p.text}</span>
				),
			)}
		</span>
	);
}

const dayForm = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", year: "numeric" });
const momentForm = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", year: "numeric", hour: "2-digit", minute: "2-digit" });

export const day = (instant: string) => dayForm.format(new Date(instant));
export const moment = (instant: string) => momentForm.format(new Date(instant));

export const count = (n: number, one: string, many: string) => `${n.toLocaleString("en-GB")} ${n === 1 ? one : many}`;

/** Where a permission is held, in a few words. */
export function extent(h: Schemas["Holding"]): string {
	if (h.whole) return "over the whole organisation";
	return `at ${h.area.name}${h.reach === "own" ? ", own records" : h.reach === "line" ? ", own line" : ""}`;
}

import type { Schemas } from "../api/client";

export type Kind = Schemas["End"]["kind"];
export type Node = Schemas["End"];
export type Row = Schemas["Row"];

/** The bays from people down to permissions. */
export const bays: { kind: Kind; title: string; one: string; many: string }[] = [
	{ kind: "user", title: "People", one: "person", many: "people" },
	{ kind: "group", title: "Groups", one: "group", many: "groups" },
	{ kind: "role", title: "Roles", one: "role", many: "roles" },
	{ kind: "set", title: "Permission sets", one: "permission set", many: "permission sets" },
	{ kind: "permission", title: "Permissions", one: "permission", many: "permissions" },
];

export const nameOf = (n: { kind: string; id: string }) => `${n.kind}:${n.id}`;

export function nodeOf(text: string | null): Node | undefined {
	const at = text?.indexOf(":") ?? -1;
	if (!text || at < 0) return undefined;
	return { kind: text.slice(0, at) as Kind, id: text.slice(at + 1) };
}

type Named = { kind: string; id: string } | undefined;

export const same = (a: Named, b: Named) => !!a && !!b && a.kind === b.kind && a.id === b.id;

export const isSubject = (n: Node) => n.kind === "user" || n.kind === "group";
const isGrantable = (n: Node) => n.kind === "role" || n.kind === "set";

/** The name of what a row shows. */
export const nodeFrom = (row: Row): Node => ({ kind: row.kind as Kind, id: row.id });

/** Whether joining two things makes an assignment, which has terms. */
export const isAssignment = (a: Node, b: Node) => (isSubject(a) && isGrantable(b)) || (isSubject(b) && isGrantable(a));

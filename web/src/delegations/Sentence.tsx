import type { Schemas } from "../api/client";
import { Named, Sentence as Words } from "../parts/words";

/** The words for actions. */
export const actionWords: Record<string, string> = {
	invite: "invite",
	edit: "edit",
	move: "move and give another manager",
	lock: "lock",
	deactivate: "deactivate",
	seat: "give and take licences",
	assign: "assign",
	revoke: "revoke",
	membership: "change memberships",
	review: "review",
};

const listed = (words: string[], and = "and") =>
	words.length < 2 ? words.join("") : `${words.slice(0, -1).join(", ")} ${and} ${words.at(-1)}`;

function Names({ refs }: { refs: Schemas["Ref"][] }) {
	return refs.map((r, i) => (
		<span key={r.id}>
			{i > 0 && (i === refs.length - 1 ? " and " : ", ")}
			<Named of={r} />
		</span>
	));
}

/** A delegation, read as a sentence; the same for who gives it and who has it. */
export function DelegationSentence({ of: d, you }: { of: Schemas["DelegationSheet"]; you?: boolean }) {
	const grants = [...d.roles, ...d.sets];
	return (
		<p className="text-[15px] leading-[24px]">
			{you ? <b>You</b> : <Named of={d.delegate} />}
			{!you && d.delegate.kind === "group" && <span className="text-quiet"> ({d.delegates} people)</span>} may{" "}
			<b>
				{listed(
					Object.keys(actionWords)
						.filter((a) => d.actions.includes(a))
						.map((a) => actionWords[a]),
				)}
			</b>{" "}
			for <Words parts={d.people} />
			{grants.length > 0 && (
				<>
					{" "}
					the {d.roles.length > 0 ? (d.roles.length > 1 ? "roles " : "role ") : "sets "}
					<Names refs={grants} />
				</>
			)}
			{d.groups.length > 0 && (
				<>
					{", in the "}
					{d.groups.length > 1 ? "groups " : "group "}
					<Names refs={d.groups} />
					{d.delegation.groupsWhole && <b className="text-ochre"> handed over whole</b>}
				</>
			)}
			{" within "}
			{d.whole ? <b>the whole organisation</b> : <Named of={d.area} />}
			{d.delegation.maxDays !== undefined && (
				<>
					{" for at most "}
					<b>{d.delegation.maxDays} days</b>
				</>
			)}
			{d.terms && (
				<>
					, <b>{d.terms}</b>
				</>
			)}
			.
		</p>
	);
}

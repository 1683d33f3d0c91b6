import { keepPreviousData } from "@tanstack/react-query";
import { useDeferredValue } from "react";
import { type Ask, useAsk } from "../api/ask";
import { data, type Schemas } from "../api/client";
import { design } from "../api/hooks";
import { Few } from "./More";
import { count, Named, NamedAll, number } from "./words";

const targetsShown = 12;

/** What is given at an area, or to a narrower reach, and counts only over the whole organisation. */
export function WithheldBy({ of }: { of: Schemas["Withheld"][] }) {
	return of.map((w) => (
		<p key={`${w.target.kind}${w.target.id}${w.permissions.join()}`} className="text-ochre">
			<b>! Withheld: </b>
			<span title={w.permissions.join("\n")}>{count(w.count, "permission", "permissions")}</span> of{" "}
			<Named of={w.target} /> {w.count === 1 ? "counts" : "count"} only over the whole organisation
			{w.grants > 1 && `, not in these ${number(w.grants)} assignments`}:{" "}
			<span className="font-mono text-[12px]">{w.permissions.slice(0, 3).join(", ")}</span>
			{w.count > 3 && " …"}
		</p>
	));
}

/** What assigning many to many would do: who has it already, and how many people have each before and after. */
export function AssignLook({ body }: { body: Schemas["AssignInputBody"] }) {
	const asked = useDeferredValue(JSON.stringify(body));
	const look = useAsk({
		queryKey: [...design, "assign look", asked],
		queryFn: (ask: Ask) => data(ask.POST("/api/assign-look", { body: JSON.parse(asked) })),
		placeholderData: keepPreviousData,
		retry: false,
	});
	const l = look.data;
	if (look.error) return <p className="font-semibold text-ox">✕ {look.error.message}</p>;
	if (!l) return null;
	return (
		<section aria-label="Before and after" aria-busy={look.isFetching}>
			{(l.pairs > 1 || l.already > 0) && (
				<p>
					<b className={l.pairs > l.already ? "text-moss" : "text-ochre"}>
						{count(l.pairs - l.already, "assignment is", "assignments are")} new
					</b>
					{l.already > 0 && (
						<span className="text-quiet" title={l.who.map((p) => `${p.subject.name}: ${p.target.name}`).join("\n")}>
							; {number(l.already)} {l.already === 1 ? "is" : "are"} there already, on these terms:{" "}
							{l.who
								.slice(0, 3)
								.map((p) => `${p.subject.name} has ${p.target.name}`)
								.join(", ")}
							{l.already > 3 && " …"}
						</span>
					)}
					.
				</p>
			)}
			{l.retired.length > 0 && (
				<p className="font-semibold text-ox">
					✕ <NamedAll of={l.retired} /> {l.retired.length === 1 ? "is" : "are"} retired, and{" "}
					{l.retired.length === 1 ? "gives" : "give"} nothing.
				</p>
			)}
			<WithheldBy of={l.withheld} />
			{l.pairs > 1 && l.targets.length > 0 && (
				<Few of={l.targets} most={targetsShown}>
					{(targets, more) => (
						<>
							<ul className="mt-1 border-t-[3px] border-[var(--beam)]">
								{targets.map((t) => (
									<li
										key={`${t.target.kind}${t.target.id}`}
										className="flex items-baseline gap-3 border-b border-hair py-[3px]"
									>
										<span className="min-w-0 grow truncate">
											<Named of={t.target} />
										</span>
										<span className="shrink-0 text-quiet">
											{number(t.before)} → <b className="text-ink">{number(t.after)}</b>{" "}
											{t.after === 1 ? "person has" : "people have"} it
										</span>
									</li>
								))}
							</ul>
							{more}
						</>
					)}
				</Few>
			)}
		</section>
	);
}

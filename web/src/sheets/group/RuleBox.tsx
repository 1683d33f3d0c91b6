import { keepPreviousData } from "@tanstack/react-query";
import { useDeferredValue, useId } from "react";
import { type Ask, useAsk } from "../../api/ask";
import { data } from "../../api/client";
import { design } from "../../api/hooks";
import { count } from "../../parts/words";

/** Asks whom a rule matches, as it is typed. */
export function useRule(text: string) {
	const rule = useDeferredValue(text.trim());
	return useAsk({
		queryKey: [...design, "rule", rule],
		queryFn: (ask: Ask) => data(ask.POST("/api/rules/try", { body: { rule } })),
		enabled: rule !== "",
		placeholderData: keepPreviousData,
	});
}

/** A rule over people (RFC 7644), with whom it matches now and where it goes wrong. */
export function RuleBox({ rule, onRule, before }: { rule: string; onRule: (rule: string) => void; before?: number }) {
	const id = useId();
	const tried = useRule(rule);
	const r = rule.trim() ? tried.data : undefined;
	const lead = rule.length - rule.trimStart().length;
	const at = lead + (r?.at ?? 0);
	return (
		<div>
			<label htmlFor={id} className="sr-only">
				Rule
			</label>
			<textarea
				id={id}
				rows={3}
				spellCheck={false}
				aria-invalid={!!r?.trouble}
				aria-describedby={`${id}-tells`}
				className={`field mt-1 font-mono text-[12px] ${r?.trouble ? "!border-ox" : ""}`}
				placeholder={'title eq "Crane driver" and area eq "container-yard"'}
				value={rule}
				onChange={(e) => onRule(e.target.value)}
			/>
			<div id={`${id}-tells`} aria-live="polite" className="min-h-[34px] text-[12px]">
				{r?.trouble ? (
					<>
						<p className="font-mono break-all" aria-hidden="true">
							{rule.slice(0, at)}
							<mark className="bg-ox px-[2px] text-raised">{rule.slice(at, at + 12) || "∎"}</mark>
							{rule.slice(at + 12)}
						</p>
						<p className="font-semibold text-ox">✕ {r.trouble}</p>
					</>
				) : r ? (
					<p>
						<b className="text-moss">✓ matches {count(r.count, "person", "people")}</b>
						{before !== undefined && before !== r.count && (
							<b className="text-ochre">
								, {Math.abs(r.count - before)} {r.count > before ? "more" : "fewer"} than now
							</b>
						)}
						<span className="text-quiet">
							{r.people.length > 0 && ": "}
							{r.people
								.slice(0, 10)
								.map((p) => p.name)
								.join(", ")}
							{r.count > 10 && " …"}
						</span>
					</p>
				) : (
					<p className="text-quiet">
						Attributes: userName, displayName, title, department, userType, area, manager, state, active, licences,
						qualifications[type … and level … and until …].
					</p>
				)}
			</div>
		</div>
	);
}

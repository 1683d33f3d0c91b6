import { keepPreviousData } from "@tanstack/react-query";
import { type Ask, useAsk } from "../api/ask";
import { data, type Schemas } from "../api/client";
import { design } from "../api/hooks";
import { number } from "../parts/words";

/** Says, before something is assigned, which licences it needs and how many of those people have no seat. */
export function SeatsNeeded({ subjects, targets }: { subjects: Schemas["End"][]; targets: Schemas["End"][] }) {
	const need = useAsk({
		queryKey: [...design, "seats needed", subjects, targets],
		queryFn: (ask: Ask) => data(ask.POST("/api/seats-needed", { body: { subjects, targets } })),
		enabled: subjects.length * targets.length > 0,
		placeholderData: keepPreviousData,
	});
	if (subjects.length * targets.length === 0) return null;
	const lacking = need.data?.filter((n) => n.without > 0) ?? [];
	return (
		<div aria-live="polite">
			{lacking.map((n) => {
				const short = n.free !== undefined && n.free < n.without;
				return (
					<p key={n.licence.id} className={`mb-1 ${short ? "font-semibold text-ox" : "text-ochre"}`}>
						{short ? "✕ " : "! "}
						{n.people === 1
							? `They have no seat of ${n.licence.name}`
							: `${number(n.without)} of these ${number(n.people)} have no seat of ${n.licence.name}`}
						, which it needs;{" "}
						{n.free === undefined
							? "there is no limit"
							: n.free === 0
								? "none is free"
								: `${number(n.free)} ${n.free === 1 ? "is" : "are"} free`}
						.
					</p>
				);
			})}
		</div>
	);
}

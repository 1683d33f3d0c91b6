import { useDeferredValue, useState } from "react";
import { Link } from "react-router";
import { type Ask, useAsk } from "../../api/ask";
import { data, type Schemas } from "../../api/client";
import { design } from "../../api/hooks";
import { useTo } from "../../house/lens";
import { AssignBoard } from "../../parts/AssignBoard";
import { addressOf } from "../../parts/words";

const same: Record<Schemas["WorklistKnown"]["same"], string> = {
	userName: "has this user name",
	email: "has this e-mail address",
	externalId: "has this external id",
	name: "has this name",
	similar: "has a name like this",
};

/** Tells, while somebody is about to be invited, who is there already and what they hold, and offers to assign to them instead. */
export function Known({
	onClose,
	...typed
}: {
	name: string;
	userName: string;
	email: string;
	externalId: string;
	onClose: () => void;
}) {
	const to = useTo();
	const [assign, setAssign] = useState<Schemas["Ref"]>();
	const asked = useDeferredValue(
		Object.entries(typed)
			.map(([, text]) => text.trim())
			.join("\u0000"),
	);
	const [name, userName, email, externalId] = asked.split("\u0000");
	const known = useAsk({
		queryKey: [...design, "known", asked],
		queryFn: (ask: Ask) =>
			data(ask.GET("/api/known-people", { params: { query: { name, userName, email, externalId } } })),
		enabled: name.length > 2 || !!userName || email.includes("@") || !!externalId,
	});
	const list = known.data ?? [];
	if (list.length === 0) return null;
	return (
		<section
			aria-label="There already"
			className="mb-3 border-l-8 border-ochre-line bg-sunk px-3 py-2"
			aria-live="polite"
		>
			<p className="font-semibold">There already:</p>
			<ul>
				{list.map((k) => (
					<li key={k.user.id} className="flex items-baseline gap-3 border-t border-hair py-1">
						<Link className="link shrink-0" to={to(addressOf("user", k.user.id) ?? "/people")} onClick={onClose}>
							{k.user.name}
						</Link>
						<span className="shrink-0 text-[12px] text-ochre">{same[k.same]}</span>
						<span className="min-w-0 grow truncate text-[12px] text-quiet">
							{[k.state, k.title, k.home, ...k.gets].filter(Boolean).join(" · ")}
						</span>
						<button type="button" className="link shrink-0" onClick={() => setAssign(k.user)}>
							Assign to them instead …
						</button>
					</li>
				))}
			</ul>
			{assign && <AssignBoard subjects={[assign]} onClose={() => setAssign(undefined)} />}
		</section>
	);
}

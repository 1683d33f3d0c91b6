import { useQueryClient } from "@tanstack/react-query";
import { type Ask, useAsk } from "../../api/ask";
import { api, data, type Schemas } from "../../api/client";
import { useHouse } from "../../house/context";
import { acting } from "../../house/rights";
import { useNotice } from "../../parts/notice";
import { Line, Part } from "../../parts/sheet";
import { useProven } from "../../parts/useProven";
import { day } from "../../parts/words";

/** By what the identity provider knows somebody, for owners, who can have it forgotten. */
export function Ties({ person }: { person: Schemas["Person"] }) {
	const { me } = useHouse();
	const { tell } = useNotice();
	const cache = useQueryClient();
	const [proven, board] = useProven();
	const id = person.user.id;
	const key = ["ties", id];
	const ties = useAsk({
		queryKey: key,
		queryFn: (ask: Ask) => data(ask.GET("/api/people/{id}/identity", { params: { path: { id } } })),
		enabled: me.owner && acting(me),
	}).data;
	const untie = () =>
		proven(async () => {
			await data(api.DELETE("/api/people/{id}/identity", { params: { path: { id } } }));
			await cache.invalidateQueries({ queryKey: key });
			tell(`The identity provider is asked anew who ${person.user.name} is, at their next sign-in.`);
		});
	if (!ties?.length) return null;
	return (
		<Part title="Signs in by the identity provider">
			<ul>
				{ties.map((t) => (
					<Line key={t.issuer + t.subject} aside={`since ${day(t.since)}`}>
						<span title={t.issuer}>{t.subject}</span>
					</Line>
				))}
			</ul>
			<p className="mt-1 text-[12px] text-quiet">
				Nobody else comes in as them. Once untied, whoever next signs in there with their verified address, or as their
				external id, does.
			</p>
			<button type="button" className="link mt-1" onClick={untie}>
				Untie
			</button>
			{board}
		</Part>
	);
}

import { Link, useNavigate } from "react-router";
import { type Ask, useAsk } from "../api/ask";
import { data, type Schemas } from "../api/client";
import { design } from "../api/hooks";
import { useTo } from "../house/lens";
import { Loaded } from "../parts/loading";
import { Picker } from "../parts/Picker";
import { Rooms } from "../parts/tabs";
import { count, lastDay } from "../parts/words";

type Planned = Schemas["LeavingPlanned"];

/** Who leaves, in the order of the days, and who has left lately; and where somebody's leaving is begun. */
export function Going() {
	const to = useTo();
	const navigate = useNavigate();
	const leavers = useAsk({
		queryKey: [...design, "leavers"],
		queryFn: (ask: Ask) => data(ask.GET("/api/leavers")),
	});
	return (
		<div className="h-full overflow-auto px-[18px] pt-3 pb-6">
			<Rooms />
			<div className="mt-4 flex max-w-[760px] items-center gap-3">
				<b className="shrink-0 text-[15px]">Somebody leaves:</b>
				<Picker
					kinds={["user"]}
					label="Who leaves"
					placeholder="a person …"
					mine="deactivate"
					onPick={(r) => navigate(to(`/people/${encodeURIComponent(r.id)}/leaving`))}
				/>
			</div>
			<Loaded query={leavers}>
				{(list) => (
					<div className="max-w-[760px]">
						<Days
							title="Will leave"
							list={list.filter((l) => !l.gone)}
							empty="Nobody is due to leave. Choose a person above: their responsibilities pass to others, and their access ends on the day."
						/>
						<Days title="Have left within 90 days" list={list.filter((l) => l.gone)} empty="Nobody." />
					</div>
				)}
			</Loaded>
		</div>
	);
}

function Days({ title, list, empty }: { title: string; list: Planned[]; empty: string }) {
	const to = useTo();
	const days = [...Map.groupBy(list, (l) => l.on)];
	return (
		<section aria-label={title} className="mt-5">
			<h2 className="border-b-[3px] border-[var(--beam)] text-[14px] font-bold">
				{title} {list.length > 0 && <span className="ml-1 font-normal text-quiet">{list.length}</span>}
			</h2>
			{list.length === 0 && <p className="py-2 text-quiet">{empty}</p>}
			{days.map(([on, who]) => (
				<div key={on} className="grid grid-cols-[150px_minmax(0,1fr)] border-b border-hair py-2">
					<p>
						<b>{lastDay(on)}</b>
						<span className="block text-[12px] text-quiet">{count(who.length, "person", "people")}</span>
					</p>
					<ul>
						{who.map((l) => (
							<li key={l.user.id} className="flex items-baseline gap-3 py-[2px]">
								<Link className="link shrink-0" to={to(`/people/${encodeURIComponent(l.user.id)}/leaving`)}>
									{l.user.name}
								</Link>
								<span className="min-w-0 grow truncate text-quiet">
									{[l.title, l.home].filter(Boolean).join(" · ")}
								</span>
								<span className="shrink-0 text-[12px] text-quiet">
									planned by {l.by.name}, revision {l.revision}
								</span>
							</li>
						))}
					</ul>
				</div>
			))}
		</section>
	);
}

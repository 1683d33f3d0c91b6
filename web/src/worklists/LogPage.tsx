import { Link, useParams } from "react-router";
import { data } from "../api/client";
import { draftUndo, useDrafting } from "../api/hooks";
import { useHouse } from "../house/context";
import { useTo } from "../house/lens";
import { acting } from "../house/rights";
import { Downloads } from "../parts/Downloads";
import { Failed, Waiting } from "../parts/loading";
import { useNotice } from "../parts/notice";
import { SheetHead } from "../parts/sheet";
import { moment } from "../parts/words";
import { People } from "./People";
import { useRows } from "./useRows";

/** What a worklist did to each person, at an address that stays. */
export function LogPage() {
	const { id = "" } = useParams();
	const { me } = useHouse();
	const to = useTo();
	const { tell, refuse } = useNotice();
	const undo = useDrafting(draftUndo);
	const { first, error, retry, rows } = useRows(["worklist-log", id], (ask, query) =>
		data(ask.GET("/api/worklist-logs/{id}", { params: { path: { id }, query } })),
	);
	if (error && !first) return <Failed error={error} retry={() => retry()} />;
	if (!first) return <Waiting />;
	const all = Object.values(first.counts).reduce((n, c) => n + c, 0);
	return (
		<div className="flex h-full flex-col">
			<SheetHead
				kind="Log of a worklist"
				name={first.name}
				about={
					<>
						{first.who.name}, {moment(first.at)}
						{first.revision > 0 && (
							<>
								,{" "}
								<Link className="link" to={to(`/history#revision-${first.revision}`)}>
									revision {first.revision}
								</Link>
							</>
						)}
						: {first.steps.map((s, i) => `${i + 1} ${s}`).join("; ")}
					</>
				}
			>
				<Downloads path={`/api/worklist-logs/${id}`} query={{}} />
				{first.revision > 0 && acting(me) && (
					<button
						type="button"
						className="action"
						disabled={undo.isPending}
						onClick={() =>
							undo.mutate(first.revision, {
								onError: refuse,
								onSuccess: () => tell("The undo of all of it is in your draft. Open it below, then apply."),
							})
						}
					>
						Undo all of it
					</button>
				)}
			</SheetHead>
			<div className="flex min-h-0 grow flex-col px-[18px]">
				<People
					label="What became of each"
					steps={first.steps}
					counts={first.counts}
					all={all}
					{...rows}
					empty="Nobody has this outcome."
				/>
			</div>
		</div>
	);
}

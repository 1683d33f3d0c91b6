import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import { api, data, type Schemas } from "../api/client";
import { useRefresh, useTask } from "../api/hooks";
import { useHouse } from "../house/context";
import { useTo } from "../house/lens";
import { undoWords } from "../house/rights";
import { alike, GroupImpact } from "../parts/impact";
import { Loaded } from "../parts/loading";
import { useNotice } from "../parts/notice";
import { count, Named, Sentence } from "../parts/words";
import { taskWords } from "./ReviewPage";

const choiceWords: Record<string, { name: string; about: string }> = {
	person: { name: "Take the person out", about: "They lose all that the group gives." },
	grant: {
		name: "Remove the grant from the group",
		about: "All its members lose it, unless they have it in another way.",
	},
	leave: { name: "Leave it", about: "It stays as it is, and the report says why." },
};

/** Of what nobody but a person can carry out. */
const doneWords = {
	name: "Say what was done",
	about:
		"Change a rule on its group’s sheet, and an account that a directory maintains in the directory. The report repeats what you say.",
};

/** For the owner of a group: what was revoked comes by the group. What becomes of it, with what each choice does. */
export function TaskPage() {
	const { id = "" } = useParams();
	const task = useTask(Number(id));
	return <Loaded query={task}>{(d) => <Shown detail={d} />}</Loaded>;
}

function Shown({ detail }: { detail: Schemas["TaskDetail"] }) {
	const { task: t } = detail;
	const refresh = useRefresh();
	const navigate = useNavigate();
	const to = useTo();
	const { me } = useHouse();
	const { tell, refuse } = useNotice();
	const [reason, setReason] = useState("");
	const words = (id: Schemas["TaskChoice"]["id"]) => (t.byHand ? doneWords : choiceWords[id]);
	const [sure, setSure] = useState<string | null>(null); // what is looked at once more before it is done
	const settle = useMutation({
		mutationFn: (choice: Schemas["TaskChoice"]["id"]) =>
			data(api.POST("/api/review-tasks/{id}", { params: { path: { id: t.id } }, body: { choice, reason } })),
		onSuccess: async (done) => {
			await refresh();
			tell(
				done.revision
					? `Settled by revision ${done.revision}.${undoWords(me)}`
					: "Settled: it stays, and the report says why.",
			);
			navigate(to("/reviews"));
		},
		onError: refuse,
	});
	return (
		<div className="h-full overflow-auto px-[18px] py-3">
			<p className="text-quiet">{t.name}</p>
			<h1 className="text-[20px]">
				{t.group ? (
					<>
						<b>{t.target.name}</b> was revoked from <b>{t.subject.name}</b>, but the group <Named of={t.group} /> gives
						it.
					</>
				) : (
					<>
						<Named of={t.subject} /> should not keep {t.keeps}, which cannot be carried out by itself.
					</>
				)}
			</h1>
			<p className="text-quiet">
				“{t.why}” · for {t.owner.name},{" "}
				{t.former
					? `since ${t.former.name} did not settle it in three weeks`
					: t.group
						? "who answers for the group"
						: "who says what was done about it"}
			</p>
			{t.decision ? (
				<p className="mt-6 font-semibold text-moss">
					✓ {taskWords[t.decision]} {t.by && `by ${t.by.name}`} {t.reason && `— “${t.reason}”`}
				</p>
			) : (
				<>
					<label className="mt-4 block max-w-[620px]">
						<span className="text-[12px] text-quiet">
							{t.byHand ? "What was done about it" : "Reason (asked for if you leave it)"}
						</span>
						<input className="field" maxLength={1000} value={reason} onChange={(e) => setReason(e.target.value)} />
					</label>
					<div className="mt-4 grid grid-cols-3 gap-6">
						{detail.choices.map((c) => (
							<section key={c.id} aria-label={words(c.id).name} className="border-t-[3px] border-[var(--beam)] pt-2">
								<h2 className="text-[15px] font-bold">{words(c.id).name}</h2>
								<p className="text-quiet">{words(c.id).about}</p>
								{c.trouble ? (
									<p className="mt-2 font-semibold text-ox">✕ {c.trouble}</p>
								) : (
									<>
										{c.sentences.map((s) => (
											<p key={s.map((p) => p.text).join("")} className="mt-1">
												<Sentence parts={s} />
											</p>
										))}
										<p className={`mt-2 font-semibold ${c.losing > 0 ? "text-ox" : "text-quiet"}`}>
											{c.losing > 0
												? `▼ ${count(c.losing, "person loses", "people lose")} something`
												: "Nobody loses anything."}
										</p>
										{alike(c.people)
											.slice(0, 6)
											.map((g) => (
												<GroupImpact key={g[0].user.id} people={g} />
											))}
										{t.may && sure === c.id && (
											<div role="alert" className="mt-3 border-l-8 border-ox bg-raised px-3 py-2">
												<p className="mb-2 font-semibold">
													This takes effect at once, as a revision of yours
													{c.losing > 0 && `: ${count(c.losing, "person loses", "people lose")} something`}.
												</p>
												<button
													type="button"
													className="action danger mr-3"
													disabled={settle.isPending}
													onClick={() => settle.mutate(c.id)}
												>
													Do it
												</button>
												<button type="button" className="action" onClick={() => setSure(null)}>
													Not yet
												</button>
											</div>
										)}
										{t.may && sure !== c.id && (
											<button
												type="button"
												className={`action mt-3 ${c.id === "leave" ? "" : "danger"}`}
												disabled={settle.isPending || (c.id === "leave" && !reason.trim())}
												onClick={() => (c.id === "leave" ? settle.mutate(c.id) : setSure(c.id))}
											>
												{words(c.id).name}
												{c.id !== "leave" && " …"}
											</button>
										)}
									</>
								)}
							</section>
						))}
					</div>
				</>
			)}
		</div>
	);
}

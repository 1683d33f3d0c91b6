import { keepPreviousData } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { type Ask, useAsk } from "../api/ask";
import { data, type Schemas } from "../api/client";
import { design, putRole, useDrafting } from "../api/hooks";
import { useHouse } from "../house/context";
import { useSet, useTo } from "../house/lens";
import { acting, may } from "../house/rights";
import { AssignBoard } from "../parts/AssignBoard";
import { madeBy } from "../parts/DraftForm";
import { Board } from "../parts/dialog";
import { Acts, TextField } from "../parts/fields";
import { Failed } from "../parts/loading";
import { useNotice } from "../parts/notice";
import { Picker } from "../parts/Picker";
import { Rooms } from "../parts/tabs";
import { addressOf, count, Name, Named, Risk, riskWords } from "../parts/words";

type Fitting = Schemas["Fitting"];

const listOf = (text: string | null) => (text ?? "").split(",").filter(Boolean);

/** For a need, the roles and sets that give it with the least excess and risk, alone or together. */
export function Fit() {
	const [params] = useSearchParams();
	const set = useSet(false);
	const { setAside } = useHouse();
	const need = listOf(params.get("need"));
	const without = listOf(params.get("without"));
	const like = params.get("like") ?? undefined;
	const sets = params.get("sets") === "1";
	const asked = need.length > 0 || !!like;
	const query = useAsk({
		queryKey: [...design, "fit", need, like, without, sets],
		queryFn: (ask: Ask) => data(ask.POST("/api/fit", { body: { need, like, without, roles: true, sets } })),
		enabled: asked,
		placeholderData: keepPreviousData,
	});
	const answer = asked ? query.data : undefined;
	const exact = answer?.fits.filter((f) => f.missing.length === 0).length ?? 0;
	useEffect(() => {
		if (answer) setAside(exact > 0 ? `${count(exact, "fit gives", "fits give")} all of it` : "nothing gives all of it");
		return () => setAside("");
	}, [setAside, answer, exact]);
	const more = (keys: string[]) =>
		set({
			need: [...new Set([...need, ...keys])].join(","),
			without: without.filter((k) => !keys.includes(k)).join(","),
		});
	const drop = (key: string) =>
		set({ need: need.filter((k) => k !== key).join(","), without: like ? [...without, key].join(",") : null });
	return (
		<div className="flex h-full flex-col px-[18px] pt-3">
			<div className="flex items-baseline gap-4">
				<Rooms />
			</div>
			<div className="mt-2 grid min-h-0 grow grid-cols-[330px_minmax(0,1fr)]">
				<section
					aria-label="What is needed"
					className="flex min-h-0 flex-col border-r-[3px] border-[var(--beam)] pr-[18px]"
				>
					<h2 className="text-[14px] font-bold">
						What is needed{" "}
						{answer && (
							<span className="ml-2 font-normal text-quiet">
								{count(answer.need.length, "permission", "permissions")}
							</span>
						)}
					</h2>
					<Picker
						kinds={["permission"]}
						label="Needed permission"
						placeholder="a permission …"
						className="field mt-2"
						autoFocus={!asked}
						without={need}
						onPick={(r) => more([r.id])}
					/>
					<Paste onKeys={more} />
					{!like && (
						<Picker
							kinds={["user"]}
							label="Like this person"
							placeholder="all that a person holds …"
							className="field mt-2"
							onPick={(r) => set({ like: r.id })}
						/>
					)}
					{like && (
						<p className="mt-2">
							All that{" "}
							<Name kind="user" id={like}>
								{like}
							</Name>{" "}
							holds, but for what you take out.{" "}
							<button type="button" className="link" onClick={() => set({ like: null, without: null })}>
								Not like them
							</button>
						</p>
					)}
					{answer && answer.unknown.length > 0 && (
						<p role="alert" className="mt-2 border-l-8 border-ox bg-raised px-3 py-1">
							No system has {answer.unknown.join(", ")}.{" "}
							<button
								type="button"
								className="link"
								onClick={() => set({ need: need.filter((k) => !answer.unknown.includes(k)).join(",") })}
							>
								Leave out
							</button>
						</p>
					)}
					<ul className="mt-2 min-h-0 grow overflow-auto border-t border-hair">
						{answer?.need.map((p) => (
							<li key={p.key} className="flex items-baseline gap-2 border-b border-hair py-1">
								<span className="min-w-0 grow truncate font-mono text-[12px]" title={p.label}>
									{p.key}
								</span>
								<Risk level={p.risk} />
								<button
									type="button"
									aria-label={`Take out ${p.key}`}
									className="font-bold text-ox"
									onClick={() => drop(p.key)}
								>
									✕
								</button>
							</li>
						))}
					</ul>
				</section>
				<section aria-label="What fits" className="min-h-0 overflow-auto pl-[18px]">
					<div className="flex items-baseline gap-4">
						<h2 className="grow text-[14px] font-bold">What fits, closest first</h2>
						<label className="flex items-center gap-2">
							<input type="checkbox" checked={sets} onChange={(e) => set({ sets: e.target.checked ? "1" : null })} />
							permission sets, too
						</label>
					</div>
					{!asked && (
						<p className="mt-2 text-quiet">
							Name what somebody needs: pick permissions, paste a list of keys, or begin with what a person holds. Roles
							are then found, alone or up to three together, that give it with the least excess.
						</p>
					)}
					{query.error && !answer && <Failed error={query.error} retry={() => query.refetch()} />}
					{asked && query.isPending && (
						<p role="status" data-waiting className="mt-2 text-quiet">
							One moment …
						</p>
					)}
					{answer?.fits.length === 0 && answer.need.length > 0 && (
						<p className="mt-2 text-quiet">
							Nothing gives any of it{sets ? "" : ": look among the permission sets, too"}.
						</p>
					)}
					<ol>
						{answer?.fits.map((f, i) => (
							<FitRow key={f.bundles.map((b) => b.id).join(" ")} fit={f} need={answer.need.length} first={i === 0} />
						))}
					</ol>
				</section>
			</div>
		</div>
	);
}

/** Takes a list of keys as it comes, from a ticket or a sheet. */
function Paste({ onKeys }: { onKeys: (keys: string[]) => void }) {
	const [text, setText] = useState("");
	const keys = text.split(/[\s,;]+/).filter(Boolean);
	return (
		<div className="mt-2 flex items-start gap-2">
			<textarea
				aria-label="Paste keys"
				rows={1}
				className="field grow font-mono text-[12px]"
				placeholder="or paste keys"
				value={text}
				onChange={(e) => setText(e.target.value)}
			/>
			<button
				type="button"
				className="action"
				disabled={keys.length === 0}
				onClick={() => {
					onKeys(keys);
					setText("");
				}}
			>
				Add{keys.length > 1 ? ` ${keys.length}` : ""}
			</button>
		</div>
	);
}

function FitRow({ fit: f, need, first }: { fit: Fitting; need: number; first: boolean }) {
	const { me } = useHouse();
	const [board, setBoard] = useState<"role" | "assign">();
	const [open, setOpen] = useState(first);
	const covered = need - f.missing.length;
	const exactly = f.missing.length + f.excess.length === 0;
	return (
		<li data-fit className="border-b border-hair py-3">
			<div className="flex items-start gap-3">
				<div className="min-w-0 grow">
					<p className="text-[15px]">
						{f.bundles.map((b, i) => (
							<span key={b.id}>
								{i > 0 && <span className="text-quiet">{i === 1 ? " with " : " and "}</span>}
								<Named of={b} />
							</span>
						))}
					</p>
					<div aria-hidden className="mt-1 flex h-[7px] max-w-[420px] bg-hair">
						<span className="h-full bg-moss" style={{ width: `${(100 * covered) / (need + f.excess.length)}%` }} />
						<span
							className="h-full bg-plaster outline-1 -outline-offset-1 outline-ox"
							style={{ width: `${(100 * f.missing.length) / (need + f.excess.length)}%` }}
						/>
						<span
							className="h-full bg-ochre-line"
							style={{ width: `${(100 * f.excess.length) / (need + f.excess.length)}%` }}
						/>
					</div>
					<p className="mt-1">
						{exactly ? (
							<b className="text-moss">✓ exactly what is needed</b>
						) : (
							<>
								{f.missing.length > 0 ? (
									<b className="text-ox">lacks {f.missing.length}</b>
								) : (
									<span className="text-moss">✓ gives all {need}</span>
								)}
								{" · "}
								{f.excess.length > 0 ? (
									<span className="text-ochre">
										{f.excess.length} too much{f.risk > 0 && `, up to ${riskWords[f.risk]} risk`}
									</span>
								) : (
									<span className="text-moss">no excess</span>
								)}
								<button type="button" className="link ml-3" aria-expanded={open} onClick={() => setOpen(!open)}>
									{open ? "Hide" : "Show"} which
								</button>
							</>
						)}
					</p>
					{open && !exactly && (
						<div className="mt-1 grid grid-cols-2 gap-5">
							{(["missing", "excess"] as const).map((side) => (
								<div key={side}>
									<p className="text-[12px] text-quiet">{side === "missing" ? "Lacks" : "Too much"}</p>
									{f[side].length === 0 && <p className="text-quiet">nothing</p>}
									<ul className="max-h-[180px] overflow-auto">
										{f[side].map((p) => (
											<li key={p.key} className="truncate font-mono text-[12px]" title={p.label}>
												{p.key} <Risk level={p.risk} />
											</li>
										))}
									</ul>
								</div>
							))}
						</div>
					)}
				</div>
				{acting(me) && (
					<div className="flex shrink-0 flex-col items-stretch gap-2">
						{may(me, "assignment:edit") && f.missing.length === 0 && (
							<button type="button" className="action" onClick={() => setBoard("assign")}>
								Assign …
							</button>
						)}
						{may(me, "design:edit") && !(exactly && f.bundles.length === 1) && (
							<button type="button" className="action" onClick={() => setBoard("role")}>
								A role that fits …
							</button>
						)}
					</div>
				)}
			</div>
			{board === "assign" && <AssignBoard targets={f.bundles} onClose={() => setBoard(undefined)} />}
			{board === "role" && <RoleBoard fit={f} onClose={() => setBoard(undefined)} />}
		</li>
	);
}

/** Drafts a role that gives exactly what is needed. */
function RoleBoard({ fit: f, onClose }: { fit: Fitting; onClose: () => void }) {
	const [name, setName] = useState("");
	const navigate = useNavigate();
	const to = useTo();
	const { refuse } = useNotice();
	const save = useDrafting(() => putRole({ after: { ...f.role, name: name.trim() } }));
	return (
		<Board
			open
			onClose={onClose}
			title="A role that gives exactly this"
			about={`It is built on ${f.bundles.map((b) => b.name).join(" and ")}${f.missing.length > 0 ? `, has ${count(f.missing.length, "permission", "permissions")} of its own` : ""}${f.excess.length > 0 ? `, and keeps out ${count(f.excess.length, "permission", "permissions")} that would be too much` : ""}.`}
		>
			<form
				onSubmit={(e) => {
					e.preventDefault();
					save.mutate(undefined, {
						onError: refuse,
						onSuccess: (draft) => {
							onClose();
							const made = madeBy(draft, "role");
							if (made) navigate(to(addressOf("role", made.id) ?? "/"));
						},
					});
				}}
			>
				<TextField
					label="Name"
					required
					autoFocus
					value={name}
					onChange={setName}
					hint="Say what it is for, in the words people would use to ask for it."
				/>
				<Acts busy={save.isPending} disabled={!name.trim()} onClose={onClose} />
			</form>
		</Board>
	);
}

import { keepPreviousData } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { type Ask, useAsk } from "../api/ask";
import { api, data, type Schemas } from "../api/client";
import { design, useDrafting, usePerson } from "../api/hooks";
import { useTo } from "../house/lens";
import { Field, TextField } from "../parts/fields";
import { Loaded } from "../parts/loading";
import { useNotice } from "../parts/notice";
import { PickOne } from "../parts/Picker";
import { addressOf, count, NamedAll } from "../parts/words";
import { Shares } from "./Shares";

type Ref = Schemas["Ref"];

/** Has somebody move to another post: what that gives and what the old one leaves behind, in one act. */
export function MovingPage() {
	const { id = "" } = useParams();
	const person = usePerson(id);
	return <Loaded query={person}>{(p) => <Board key={id} person={p} />}</Loaded>;
}

function Board({ person: p }: { person: Schemas["Person"] }) {
	const to = useTo();
	const navigate = useNavigate();
	const { tell, refuse } = useNotice();
	const [title, setTitle] = useState(p.object.title ?? "");
	const [department, setDepartment] = useState(p.object.department ?? "");
	const [area, setArea] = useState<Ref | undefined>(p.object.area ? p.area : undefined);
	const [manager, setManager] = useState<Ref | undefined>(p.manager);
	const [turned, setTurned] = useState<Record<string, boolean>>({});
	const post = useDeferredValue(JSON.stringify({ title, department, area: area?.id, manager: manager?.id }));
	const moving = useAsk({
		queryKey: [...design, "moving", p.user.id, post],
		queryFn: (ask: Ask) =>
			data(ask.POST("/api/people/{id}/moving", { params: { path: { id: p.user.id } }, body: JSON.parse(post) })),
		placeholderData: keepPreviousData,
	});
	const m = moving.data;
	const moved =
		title.trim() !== (p.object.title ?? "") ||
		department.trim() !== (p.object.department ?? "") ||
		(area?.id ?? "") !== (p.object.area ?? "") ||
		(manager?.id ?? "") !== (p.object.manager ?? "");
	const gives = (s: Schemas["MovedThing"]) => moved && s.may && (turned[`+${s.key}`] ?? s.most);
	const leaves = (s: Schemas["MovedThing"]) => moved && s.may && (turned[`-${s.key}`] ?? s.most);
	const draft = useDrafting(() =>
		data(
			api.POST("/api/draft/moving", {
				body: {
					user: p.user.id,
					post: JSON.parse(post),
					gives: m?.gives.filter(gives).map((s) => s.key) ?? [],
					leaves: m?.leaves.filter(leaves).map((s) => s.key) ?? [],
				},
			}),
		),
	);
	const fed = (m?.fed.length ?? 0) > 0;
	const turn = (sign: string) => (s: Schemas["PeerShare"], on: boolean) =>
		setTurned((t) => ({ ...t, [sign + s.key]: on }));
	return (
		<form
			className="flex h-full flex-col"
			onSubmit={(e) => {
				e.preventDefault();
				draft.mutate(undefined, {
					onError: refuse,
					onSuccess: () => {
						tell(`The move of ${p.user.name} is in your draft.`);
						navigate(to(addressOf("user", p.user.id) ?? "/people"));
					},
				});
			}}
		>
			<header className="shrink-0 border-b border-hair px-[18px] py-2">
				<div className="flex items-baseline gap-4">
					<h1 className="min-w-0 grow truncate text-[24px] leading-[32px] font-bold" title={p.user.name}>
						<Link className="hover:underline" to={to(addressOf("user", p.user.id) ?? "/people")}>
							{p.user.name}
						</Link>{" "}
						moves
					</h1>
					<button type="submit" className="action main" disabled={!m || moving.isFetching || draft.isPending || !moved}>
						Put into the draft
					</button>
				</div>
				<div className="mt-1 grid grid-cols-4 gap-x-4 max-[900px]:grid-cols-2">
					<TextField label="To the title" value={title} onChange={setTitle} kept={fed} autoFocus={!fed} />
					<TextField label="Department" value={department} onChange={setDepartment} kept={fed} />
					<Field label="Home">
						{() => (
							<PickOne
								kinds={["area"]}
								label="Home"
								placeholder="the whole organisation"
								value={area}
								onChange={setArea}
							/>
						)}
					</Field>
					<Field label="Reports to">
						{() =>
							fed ? (
								<p className="py-[5px]">{manager?.name ?? "nobody"}</p>
							) : (
								<PickOne
									kinds={["user"]}
									label="Reports to"
									placeholder="nobody"
									without={[p.user.id]}
									value={manager}
									onChange={setManager}
								/>
							)
						}
					</Field>
				</div>
				{fed && (
					<p className="border-l-8 border-ochre-line bg-sunk px-3 py-1 text-[12px]">
						A directory tells the {m?.fed.join(", ")}: change these there. The home, and what is held, is moved here.
					</p>
				)}
			</header>
			{moving.error && <p className="p-[18px] font-semibold text-ox">✕ {moving.error.message}</p>}
			{m && (
				<div
					aria-busy={moving.isFetching}
					className="grid min-h-0 grow grid-cols-2 max-[900px]:grid-cols-1 max-[900px]:overflow-auto"
				>
					<section
						aria-label="What is left behind"
						className="min-h-0 overflow-auto border-r-[3px] border-[var(--beam)] px-[18px] py-3"
					>
						<h2 className="border-b-[3px] border-[var(--beam)] text-[14px] font-bold">
							<span className="text-ox">▼</span> The old post leaves behind
							<span className="ml-2 text-[12px] font-normal text-quiet">
								{m.old > 0 ? `${count(m.old, "peer", "peers")} at ${m.home.name}` : "nobody else has it"}
							</span>
						</h2>
						{m.leaves.length === 0 && (
							<p className="py-2 text-quiet">Nothing: everything they were assigned fits the new post too.</p>
						)}
						<Shares
							label="What they could leave behind"
							list={m.leaves}
							of={m.old}
							chosen={(s) => leaves(s as Schemas["MovedThing"])}
							onChoose={turn("-")}
						/>
						{m.goings.length > 0 && (
							<p className="py-2">
								By themselves they leave <NamedAll of={m.goings} />.
							</p>
						)}
						{m.keeps > 0 && (
							<p className="py-2 text-quiet">
								{m.keeps === 1
									? "1 thing they hold goes with both posts, and stays."
									: `${m.keeps} things they hold go with both posts, and stay.`}
							</p>
						)}
					</section>
					<section aria-label="What is given" className="min-h-0 overflow-auto px-[18px] py-3">
						<h2 className="border-b-[3px] border-[var(--beam)] text-[14px] font-bold">
							<span className="text-moss">▲</span> The new post gives
							<span className="ml-2 text-[12px] font-normal text-quiet">
								{!moved
									? "name it above"
									: m.new > 0
										? `${count(m.new, "peer", "peers")} at ${area?.name ?? "the whole organisation"}`
										: "nobody has it yet"}
							</span>
						</h2>
						{moved && m.gives.length === 0 && <p className="py-2 text-quiet">Nothing that they do not already hold.</p>}
						{moved && (
							<Shares
								label="What they could be given"
								list={m.gives}
								of={m.new}
								chosen={(s) => gives(s as Schemas["MovedThing"])}
								onChoose={turn("+")}
							/>
						)}
						{m.comings.length > 0 && (
							<p className="py-2">
								By themselves they join <NamedAll of={m.comings} />.
							</p>
						)}
					</section>
				</div>
			)}
		</form>
	);
}

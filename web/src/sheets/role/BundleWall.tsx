import { useDeferredValue, useMemo, useRef, useState } from "react";
import type { Schemas } from "../../api/client";
import { draftTick, useDrafting } from "../../api/hooks";
import { bricksByArrow } from "../../parts/bricks";
import { useNotice } from "../../parts/notice";
import { riskWords } from "../../parts/words";

type Brick = Schemas["LayerBrick"];
type Sheet = Schemas["BundleSheet"];

const classes = [
	{ id: "read", name: "read" },
	{ id: "write", name: "write" },
	{ id: "admin", name: "admin" },
] as const;

const bricksOf = (sheet: Sheet) => sheet.systems.flatMap((s) => s.courses).flatMap((c) => c.bricks);

const touches = (s: Schemas["LayerPanel"], keys: Set<string>) =>
	s.courses.some((c) => c.bricks.some((b) => keys.has(b.key)));

/** The wall of a role or set: every permission of the systems that it touches, each telling which layer gives it. Where it may be edited, bricks are ticked. */
export function BundleWall({
	kind,
	sheet,
	editable,
	beside,
}: {
	kind: "role" | "set";
	sheet: Sheet;
	editable: boolean;
	/** What it supplements: the systems of that come first, and its bricks say what that has already. */
	beside?: Sheet;
}) {
	const has = useMemo(
		() =>
			new Set(
				beside &&
					bricksOf(beside)
						.filter((b) => b.state === "given")
						.map((b) => b.key),
			),
		[beside],
	);
	const { refuse } = useNotice();
	const tick = useDrafting(draftTick);
	const wall = useRef<HTMLDivElement>(null);
	const [words, setWords] = useState("");
	const [only, setOnly] = useState(!editable);
	const [told, setTold] = useState<Brick | null>(null);
	const wanted = useDeferredValue(words.toLowerCase().split(/\s+/).filter(Boolean));
	const fits = (b: Brick) =>
		(!only || b.state !== "none" || b.draft) &&
		wanted.every((w) =>
			`${b.key} ${b.label ?? ""} ${b.description ?? ""} ${riskWords[b.risk]}`.toLowerCase().includes(w),
		);
	const set = (bricks: Brick[], give: boolean) => {
		const keys = bricks.filter((b) => (b.state === "given") !== give).map((b) => b.key);
		if (keys.length > 0) tick.mutate({ kind, id: sheet.ref.id, keys, give }, { onError: refuse });
	};
	/** Gives all of some bricks, or takes all away if all are given. */
	const turn = (bricks: Brick[]) =>
		set(
			bricks,
			bricks.some((b) => b.state !== "given"),
		);
	const panels = sheet.systems
		.map((s) => ({
			...s,
			courses: s.courses.map((c) => ({ ...c, bricks: c.bricks.filter(fits) })).filter((c) => c.bricks.length > 0),
		}))
		.filter((s) => s.courses.length > 0)
		.sort((a, b) => Number(touches(b, has)) - Number(touches(a, has)));
	const first = panels[0]?.courses[0]?.bricks[0]?.key;
	return (
		<div className="flex min-h-0 flex-col">
			<div className="flex shrink-0 items-center gap-4 px-[18px] pt-2 pb-1">
				<input
					aria-label="Find on the wall"
					className="field max-w-[260px]"
					placeholder="find on the wall"
					value={words}
					onChange={(e) => setWords(e.target.value)}
				/>
				<label className="flex items-center gap-2 text-quiet">
					<input type="checkbox" checked={only} onChange={(e) => setOnly(e.target.checked)} />
					only what it gives
				</label>
				<span className="grow" />
				<Legend />
			</div>
			{/* biome-ignore lint/a11y/noStaticElementInteractions: the arrows are heard for all bricks */}
			<div
				ref={wall}
				data-wall
				className="min-h-0 grow overflow-auto px-[18px] pb-4"
				onKeyDown={(e) => bricksByArrow(e, wall.current)}
			>
				{panels.length === 0 && (
					<p className="py-4 text-quiet">
						{only && wanted.length === 0 ? "It gives nothing." : "No brick here matches."}
					</p>
				)}
				{panels.map((s) => (
					<section key={s.system.id} className="mt-2 border-l-[3px] border-[var(--beam)] pl-[10px]">
						<div className="flex items-baseline gap-3">
							<h2 className="text-[14px] font-bold">{s.system.name}</h2>
							{editable &&
								classes.map((c) => {
									const bricks = s.courses.flatMap((x) => x.bricks).filter((b) => b.class === c.id);
									return bricks.length === 0 ? null : (
										<button key={c.id} type="button" className="link text-[12px]" onClick={() => turn(bricks)}>
											{bricks.every((b) => b.state === "given") ? "no" : "all"} {c.name}
										</button>
									);
								})}
							<span className="grow" />
							<span className="text-[12px] text-quiet">
								{s.given} of {s.total}
							</span>
						</div>
						{s.courses.map((c, i) => (
							<div key={c.object}>
								{c.module && c.module !== s.courses[i - 1]?.module && (
									<Heading
										name={c.module}
										onTurn={
											editable
												? () => turn(s.courses.filter((x) => x.module === c.module).flatMap((x) => x.bricks))
												: undefined
										}
									/>
								)}
								<div className="flex items-start py-[2px]">
									<Heading
										mono
										name={c.object}
										onTurn={editable && c.bricks.length > 1 ? () => turn(c.bricks) : undefined}
									/>
									<div className="flex min-w-0 flex-wrap gap-[5px]">
										{c.bricks.map((b) => (
											<BrickButton
												key={b.key}
												brick={b}
												self={sheet.ref.id}
												elsewhere={has.has(b.key) ? beside?.ref.name : undefined}
												first={b.key === first}
												editable={editable}
												onTurn={() => set([b], b.state !== "given")}
												onTold={() => setTold(b)}
											/>
										))}
									</div>
								</div>
							</div>
						))}
					</section>
				))}
			</div>
			<Told
				brick={
					told &&
					(sheet.systems.flatMap((s) => s.courses.flatMap((c) => c.bricks)).find((b) => b.key === told.key) ?? null)
				}
				sheet={sheet}
				editable={editable}
			/>
		</div>
	);
}

function Heading({ name, mono, onTurn }: { name: string; mono?: boolean; onTurn?: () => void }) {
	const look = mono
		? "w-[130px] shrink-0 pt-[4px] pr-2 text-left font-mono text-[12px] break-words"
		: "mt-1 block text-[12px] text-quiet";
	if (!onTurn) return <span className={look}>{name}</span>;
	return (
		<button
			type="button"
			className={`${look} hover:text-slate hover:underline`}
			title={`Give all of ${name}, or take all away`}
			onClick={onTurn}
		>
			{name}
		</button>
	);
}

const shortest = 14;

/** Which layers give a brick, in few letters. */
function layersOf(b: Brick, self: string): string {
	if (b.state === "none") return "";
	if (b.state === "excluded") return "kept out";
	if (b.implied) return "needed";
	const [first, ...more] = b.layers;
	if (!first) return "";
	const name =
		first.id === self ? "own" : first.name.length > shortest ? `${first.name.slice(0, shortest - 1)}…` : first.name;
	return more.length > 0 ? `${name} +${more.length}` : name;
}

function BrickButton({
	brick: b,
	self,
	elsewhere,
	first,
	editable,
	onTurn,
	onTold,
}: {
	brick: Brick;
	self: string;
	/** What has it that is supplemented. */
	elsewhere?: string;
	first: boolean;
	editable: boolean;
	onTurn: () => void;
	onTold: () => void;
}) {
	const given = b.state === "given";
	const words = `${b.label || b.action}: ${given ? "given" : b.state === "excluded" ? "kept out" : "not given"}${elsewhere ? `; ${elsewhere} has it` : ""}`;
	return (
		<button
			type="button"
			data-brick={b.key}
			data-state={b.state}
			tabIndex={first ? 0 : -1}
			aria-pressed={given}
			aria-disabled={!editable}
			title={`${words}${b.description ? ` — ${b.description}` : ""}`}
			onFocus={onTold}
			onMouseEnter={onTold}
			onClick={() => editable && onTurn()}
			className={`flex items-baseline gap-2 border-[1.5px] px-[8px] py-[2px] ${
				given
					? "border-moss bg-raised shadow-[inset_5px_0_0_var(--moss)] pl-[12px]"
					: b.state === "excluded"
						? "hatched border-[var(--quiet)] text-quiet"
						: "border-dashed border-hair text-quiet"
			} ${b.draft ? "outline-2 outline-offset-1 outline-ochre-line" : ""} ${editable ? "cursor-pointer" : "cursor-default"}`}
		>
			<span className={given ? "font-semibold" : ""}>{b.action}</span>
			{b.risk >= 2 && (
				<span className={`text-[11px] font-semibold ${b.risk === 3 ? "text-ox" : "text-ochre"}`}>
					{riskWords[b.risk]}
				</span>
			)}
			{layersOf(b, self) && (
				<span className={`narrow text-[11px] ${given ? "text-moss" : "bg-plaster px-[2px]"}`}>{layersOf(b, self)}</span>
			)}
			{elsewhere && <span className="narrow bg-plaster px-[2px] text-[11px]">{elsewhere} has it</span>}
			{b.draft && <span className="text-[11px] font-semibold text-ochre">{b.draft === "new" ? "▲" : "▼"}</span>}
		</button>
	);
}

function Legend() {
	return (
		<p className="flex gap-4 text-[12px] text-quiet">
			<span>
				<span className="mr-1 inline-block h-[10px] w-[18px] border-[1.5px] border-moss shadow-[inset_5px_0_0_var(--moss)]" />{" "}
				given
			</span>
			<span>
				<span className="hatched mr-1 inline-block h-[10px] w-[18px] border-[1.5px] border-[var(--quiet)]" /> kept out
			</span>
			<span>
				<span className="mr-1 inline-block h-[10px] w-[18px] border-[1.5px] border-dashed border-hair" /> not given
			</span>
		</p>
	);
}

/** At the foot of the wall: what the brick under the hand does, and where it comes from. */
function Told({ brick: b, sheet, editable }: { brick: Brick | null; sheet: Sheet; editable: boolean }) {
	return (
		<div
			aria-live="polite"
			className="h-[58px] shrink-0 overflow-hidden border-t-[3px] border-[var(--beam)] px-[18px] py-1"
		>
			{b ? (
				<>
					<p className="flex items-baseline gap-3">
						<span className="font-mono text-[12px] font-bold">{b.key}</span>
						<span className="text-quiet">
							{b.class}
							{b.whole && " · whole organisation only"}
						</span>
						{b.risk > 0 && (
							<span className={`font-semibold ${b.risk === 3 ? "text-ox" : "text-ochre"}`}>{riskWords[b.risk]}</span>
						)}
						<span className="min-w-0 truncate">
							{b.layers.length > 0 && (b.state === "excluded" ? "kept out, though it comes from " : "from ")}
							{b.layers
								.map((l) => (l.id === sheet.ref.id ? (b.implied ? "what it is needed for" : "its own") : l.name))
								.join(", ")}
						</span>
					</p>
					<p className="truncate text-quiet">{b.description || b.label}</p>
				</>
			) : (
				<p className="pt-1 text-quiet">
					{editable
						? "Point at a brick to see what it does; tick it to give it or take it away. Arrows move, Space ticks."
						: "Point at a brick to see what it does and where it comes from."}
				</p>
			)}
		</div>
	);
}

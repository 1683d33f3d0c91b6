import { useRef } from "react";
import type { Schemas } from "../api/client";
import { bricksByArrow } from "./bricks";
import { extent, riskWords, used } from "./words";

type Props = {
	label: string;
	systems: Schemas["WallPanel"][];
	chosen: string | null;
	everything: boolean;
	/** Said where nothing stands. */
	empty: string;
	onChoose: (key: string) => void;
	/** Absent where only what stands is shown. */
	onEverything?: (all: boolean) => void;
};

/** The wall: a panel a system, a course an object, a brick an action. */
export function Wall(p: Props) {
	const wall = useRef<HTMLDivElement>(null);
	const stands = (b: Schemas["Brick"]) => b.state !== "none" || !!b.draft;
	const panels = p.systems
		.map((s) => ({
			...s,
			shown: p.everything ? s.courses : s.courses.filter((c) => c.bricks.some((b) => stands(b) || b.key === p.chosen)),
		}))
		.filter((s) => p.everything || s.shown.length > 0);
	const first = panels[0]?.shown[0]?.bricks[0]?.key;

	return (
		<section aria-label={p.label} className="flex min-h-0 flex-col">
			<div className="flex shrink-0 items-center gap-5 px-[18px] pt-3 pb-1 text-[12px] text-quiet">
				<Sample className="bg-moss" text="held everywhere" />
				<Sample className="border-[1.5px] border-l-[7px] border-moss" text="held in part" />
				<Sample className="hatched border border-quiet" text="withheld" />
				<Sample className="border border-dashed border-quiet" text="not held" />
				<span className="grow" />
				{p.onEverything && (
					<label className="flex cursor-pointer items-center gap-2">
						<input type="checkbox" checked={p.everything} onChange={(e) => p.onEverything?.(e.target.checked)} />
						show what is not held too
					</label>
				)}
			</div>
			{/* biome-ignore lint/a11y/noStaticElementInteractions: the bricks in it are buttons; the arrows move between them */}
			<div
				ref={wall}
				onKeyDown={(e) => bricksByArrow(e, wall.current)}
				className="min-h-0 grow overflow-auto px-[18px] pb-4"
			>
				{panels.length === 0 && (
					<p className="mt-4 max-w-[460px] border-l-8 border-ochre-line bg-raised p-3">{p.empty}</p>
				)}
				{panels.map((s) => (
					<section
						key={s.system.id}
						aria-label={s.system.name}
						className="mt-3 border-l-[3px] border-[var(--beam)] pl-[9px]"
					>
						<h2 className="flex items-baseline font-bold">
							<span className="grow text-[15px]">{s.system.name}</span>
							<span className="text-[12px] font-normal text-quiet">
								{s.used && s.held > 0 && (
									<span className={s.used.idle ? "mr-3 font-semibold text-ochre" : "mr-3"}>{used(s.used)}</span>
								)}
								{s.held} of {s.total}
							</span>
						</h2>
						{s.shown.map((c) => (
							<div key={c.object} className="flex gap-2 py-[2px]">
								<div className="narrow w-[132px] shrink-0 truncate pt-[5px] font-mono text-[12px]" title={c.object}>
									{c.object}
								</div>
								<div className="flex min-w-0 flex-wrap gap-[5px]">
									{c.bricks
										.filter((b) => p.everything || stands(b) || c.bricks.length <= 6 || b.key === p.chosen)
										.map((b) => (
											<BrickButton
												key={b.key}
												brick={b}
												chosen={b.key === p.chosen}
												tabbable={p.chosen ? b.key === p.chosen : b.key === first}
												onChoose={() => p.onChoose(b.key)}
											/>
										))}
								</div>
							</div>
						))}
					</section>
				))}
			</div>
		</section>
	);
}

function Sample({ className, text }: { className: string; text: string }) {
	return (
		<span className="flex items-center gap-2">
			<span className={`inline-block h-[13px] w-[26px] ${className}`} />
			{text}
		</span>
	);
}

function BrickButton({
	brick,
	chosen,
	tabbable,
	onChoose,
}: {
	brick: Schemas["Brick"];
	chosen: boolean;
	tabbable: boolean;
	onChoose: () => void;
}) {
	const words =
		brick.state === "held"
			? `held ${brick.whole ? "everywhere" : brick.held.map(extent).join("; ")}`
			: brick.state === "withheld"
				? `withheld: ${brick.note}`
				: "not held";
	const lately = brick.state === "held" ? used(brick.used) : undefined;
	const look = chosen
		? "border-slate bg-slate text-on-slate"
		: brick.state === "held"
			? brick.whole
				? "border-moss bg-moss text-on-moss"
				: "border-moss border-l-[7px] bg-raised"
			: brick.state === "withheld"
				? "hatched border-quiet"
				: "border-dashed border-hair text-quiet";
	return (
		<button
			type="button"
			data-brick={brick.key}
			tabIndex={tabbable ? 0 : -1}
			aria-pressed={chosen}
			title={[`${brick.key} — ${brick.label ? `${brick.label}; ` : ""}${words}`, lately].filter(Boolean).join("; ")}
			onClick={onChoose}
			className={`relative flex h-[27px] items-center gap-2 border-[1.5px] px-[8px] text-left ${look} ${brick.draft ? "outline-2 outline-offset-1 outline-ochre-line" : ""}`}
		>
			<span
				className={`narrow ${brick.state === "none" ? "" : "font-semibold"} ${brick.state === "withheld" && !chosen ? "bg-plaster px-1" : ""}`}
			>
				{brick.action}
			</span>
			{brick.risk === 3 && <b className={`text-[11px] ${chosen || brick.whole ? "" : "text-ox"}`}>critical</b>}
			{brick.note && (
				<span
					className={`narrow text-[11px] ${chosen ? "text-on-slate-quiet" : brick.state === "withheld" ? "bg-plaster px-1 font-semibold text-ochre" : "text-moss"}`}
				>
					{brick.note}
				</span>
			)}
			{lately && brick.used?.idle && (
				<span
					aria-hidden="true"
					className={`narrow text-[11px] italic ${chosen ? "text-on-slate-quiet" : brick.whole ? "" : "text-ochre"}`}
				>
					{brick.used?.at ? "idle" : "never used"}
				</span>
			)}
			{brick.draft && <span className="text-[11px] font-semibold text-ochre">{brick.draft === "cut" ? "▼" : "▲"}</span>}
			<span className="sr-only">
				{" "}
				({brick.key}, {words}
				{lately && `, ${lately}`}
				{brick.risk ? `, ${riskWords[brick.risk]} risk` : ""})
			</span>
		</button>
	);
}

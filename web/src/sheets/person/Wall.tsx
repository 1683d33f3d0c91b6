import { useRef } from "react";
import type { Schemas } from "../../api/client";
import { extent, riskWords } from "../../parts/words";

type Props = {
	person: Schemas["Person"];
	chosen: string | null;
	everything: boolean;
	onChoose: (key: string) => void;
	onEverything: (all: boolean) => void;
};

/** The wall: a panel a system, a course an object, a brick an action. */
export function Wall(p: Props) {
	const wall = useRef<HTMLDivElement>(null);
	const stands = (b: Schemas["Brick"]) => b.state !== "none";
	const panels = p.person.systems
		.map((s) => ({ ...s, shown: p.everything ? s.courses : s.courses.filter((c) => c.bricks.some((b) => stands(b) || b.key === p.chosen)) }))
		.filter((s) => p.everything || s.shown.length > 0);
	const first = panels[0]?.shown[0]?.bricks[0]?.key;

	/** Arrows move between bricks as they stand: along a course, and to the nearest brick of the next. */
	const press = (e: React.KeyboardEvent) => {
		const here = (e.target as HTMLElement).closest<HTMLElement>("[data-brick]");
		if (!here || !wall.current) return;
		const all = [...wall.current.querySelectorAll<HTMLElement>("[data-brick]")];
		const at = all.indexOf(here);
		const r = here.getBoundingClientRect();
		let to: HTMLElement | undefined;
		if (e.key === "ArrowRight") to = all[at + 1];
		else if (e.key === "ArrowLeft") to = all[at - 1];
		else if (e.key === "ArrowDown" || e.key === "ArrowUp") {
			const down = e.key === "ArrowDown";
			const others = all.map((el) => ({ el, r: el.getBoundingClientRect() })).filter((x) => (down ? x.r.top > r.top + 4 : x.r.top < r.top - 4));
			const course = others.reduce(
				(best, x) => (best === undefined || (down ? x.r.top < best : x.r.top > best) ? x.r.top : best),
				undefined as number | undefined,
			);
			to = others
				.filter((x) => Math.abs(x.r.top - (course ?? 0)) < 4)
				.sort((a, b) => Math.abs(a.r.left - r.left) - Math.abs(b.r.left - r.left))[0]?.el;
		} else return;
		e.preventDefault();
		to?.focus();
	};

	return (
		<section aria-label={`The wall of ${p.person.user.name}`} className="flex min-h-0 flex-col">
			<div className="flex shrink-0 items-center gap-5 px-[18px] pt-3 pb-1 text-[12px] text-quiet">
				<Sample className="bg-moss" text="held everywhere" />
				<Sample className="border-[1.5px] border-l-[7px] border-moss" text="held in part" />
				<Sample className="hatched border border-quiet" text="withheld" />
				<Sample className="border border-dashed border-quiet" text="not held" />
				<span className="grow" />
				<label className="flex cursor-pointer items-center gap-2">
					<input type="checkbox" checked={p.everything} onChange={(e) => p.onEverything(e.target.checked)} />
					show what is not held too
				</label>
			</div>
			{/* biome-ignore lint/a11y/noStaticElementInteractions: the bricks in it are buttons; the arrows move between them */}
			<div ref={wall} onKeyDown={press} className="min-h-0 grow overflow-auto px-[18px] pb-4">
				{panels.length === 0 && (
					<p className="mt-4 max-w-[460px] border-l-8 border-ochre-line bg-raised p-3">
						{p.person.live
							? "Nothing is held here, and nothing is withheld."
							: `${p.person.user.name} is not live, and no grant is waiting for them.`}{" "}
						Show what is not held to ask why.
					</p>
				)}
				{panels.map((s) => (
					<section key={s.system.id} aria-label={s.system.name} className="mt-3 border-l-[3px] border-[var(--beam)] pl-[9px]">
						<h2 className="flex items-baseline font-bold">
							<span className="grow text-[15px]">{s.system.name}</span>
							<span className="text-[12px] font-normal text-quiet">
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

function BrickButton({ brick, chosen, tabbable, onChoose }: { brick: Schemas["Brick"]; chosen: boolean; tabbable: boolean; onChoose: () => void }) {
	const words =
		brick.state === "held"
			? `held ${brick.whole ? "everywhere" : brick.held.map(extent).join("; ")}`
			: brick.state === "withheld"
				? `withheld: ${brick.note}`
				: "not held";
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
			title={`${brick.key} — ${brick.label ? `${brick.label}; ` : ""}${words}`}
			onClick={onChoose}
			className={`relative flex h-[27px] items-center gap-2 border-[1.5px] px-[8px] text-left ${look}`}
		>
			<span className={`narrow ${brick.state === "none" ? "" : "font-semibold"} ${brick.state === "withheld" && !chosen ? "bg-plaster px-1" : ""}`}>
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
			<span className="sr-only">
				{" "}
				({brick.key}, {words}
				{brick.risk ? `, ${riskWords[brick.risk]} risk` : ""})
			</span>
		</button>
	);
}

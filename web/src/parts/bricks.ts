/** Arrows move between bricks as they stand: along a course, and to the nearest brick of the next. */
export function bricksByArrow(e: React.KeyboardEvent, wall: HTMLElement | null) {
	const here = (e.target as HTMLElement).closest<HTMLElement>("[data-brick]");
	if (!here || !wall) return;
	const all = [...wall.querySelectorAll<HTMLElement>("[data-brick]")];
	const at = all.indexOf(here);
	const r = here.getBoundingClientRect();
	let to: HTMLElement | undefined;
	if (e.key === "ArrowRight") to = all[at + 1];
	else if (e.key === "ArrowLeft") to = all[at - 1];
	else if (e.key === "ArrowDown" || e.key === "ArrowUp") {
		const down = e.key === "ArrowDown";
		const others = all
			.map((el) => ({ el, r: el.getBoundingClientRect() }))
			.filter((x) => (down ? x.r.top > r.top + 4 : x.r.top < r.top - 4));
		const course = others.reduce(
			(best, x) => (best === undefined || (down ? x.r.top < best : x.r.top > best) ? x.r.top : best),
			undefined as number | undefined,
		);
		to = others
			.filter((x) => Math.abs(x.r.top - (course ?? 0)) < 4)
			.sort((a, b) => Math.abs(a.r.left - r.left) - Math.abs(b.r.left - r.left))[0]?.el;
	}
	if (!to) return;
	e.preventDefault();
	to.focus();
}

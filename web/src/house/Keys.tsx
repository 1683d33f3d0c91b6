import { useEffect, useState } from "react";
import { Board } from "../parts/dialog";

const keys: [string, [string, string][]][] = [
	[
		"Everywhere",
		[
			["?", "show these keys"],
			["Ctrl K", "find anything, or ask"],
			["Alt D", "open and close the draft"],
			["F6", "to the next part: top beam, where and when, page, draft; with Shift, to the previous one"],
			["Esc", "step back"],
		],
	],
	[
		"Today",
		[
			["↑ ↓", "move between lines"],
			["Enter", "go to what the line is about"],
			["F", "to the frame"],
		],
	],
	[
		"Frame",
		[
			["↑ ↓ ← →", "move between rows and bays"],
			["Enter", "focus on the row"],
			["Shift Enter", "second focus: the paths between the two"],
			["J", "join the focus to the row"],
			["X", "cut the beam between the focus and the row"],
			["O", "open the row’s sheet"],
			["/", "filter the bay"],
		],
	],
	[
		"Lists",
		[
			["↑ ↓", "move between rows, from the filter too"],
			["Enter", "open the row’s sheet"],
		],
	],
	[
		"Walls",
		[
			["↑ ↓ ← →", "move between bricks"],
			["Enter", "trace a person’s brick"],
			["Space", "tick a brick of a role or set"],
		],
	],
	[
		"Bring in",
		[
			["↑ ↓", "move between what is wrong"],
			["Enter", "accept the suggestion, or what you typed"],
		],
	],
	[
		"Review",
		[
			["↑ ↓", "move between items"],
			["K", "keep"],
			["R", "revoke, for a reason"],
			["H", "hand on"],
			["U", "take the decision back"],
			["Space, A", "in the grid: pick a row, pick all alike"],
		],
	],
];

/** Whether an element is one that texts are typed into. */
export const typingIn = (t: unknown): t is HTMLElement =>
	t instanceof HTMLInputElement || t instanceof HTMLTextAreaElement || t instanceof HTMLSelectElement;

/** True while a text is being typed, when letters are letters. */
export const typing = (e: KeyboardEvent | React.KeyboardEvent) => typingIn(e.target);

/** Goes from the beam that has the focus to the next one, or the one before. */
function stepOver(by: 1 | -1) {
	const beams = [
		...document.querySelectorAll<HTMLElement>(
			".house > header, .house > section, .house > main, .house > footer > section",
		),
	];
	const at = beams.findIndex((b) => b.contains(document.activeElement));
	const next = beams[at < 0 && by < 0 ? beams.length - 1 : (at + by + beams.length) % beams.length];
	const stop =
		next?.tagName === "MAIN" ? null : next?.querySelector<HTMLElement>("a[href], button:not(:disabled), select, input");
	if (next && !stop) next.tabIndex = -1;
	(stop ?? next)?.focus();
}

/** The board of keys, shown by "?". */
export function Keys() {
	const [open, setOpen] = useState(false);
	useEffect(() => {
		const press = (e: KeyboardEvent) => {
			if (e.key === "?" && !typing(e)) setOpen(true);
			if (e.key === "F6" && !document.querySelector("[role=dialog]")) {
				e.preventDefault();
				stepOver(e.shiftKey ? -1 : 1);
			}
		};
		window.addEventListener("keydown", press);
		return () => window.removeEventListener("keydown", press);
	}, []);
	return (
		<Board open={open} onClose={() => setOpen(false)} title="Keys">
			<div className="columns-2 gap-8">
				{keys.map(([place, list]) => (
					<section key={place} className="mb-4 break-inside-avoid">
						<h3 className="border-b border-hair font-bold">{place}</h3>
						<dl>
							{list.map(([key, what]) => (
								<div key={key} className="flex gap-3 py-1">
									<dt className="w-[84px] shrink-0">
										<kbd>{key}</kbd>
									</dt>
									<dd>{what}</dd>
								</div>
							))}
						</dl>
					</section>
				))}
			</div>
		</Board>
	);
}

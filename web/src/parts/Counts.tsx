import { number } from "./words";

/** A kind of rows: what it is called, for one and for many if that differs, and how it is marked. */
export type Counted<T extends string> = { id: T; name: string; many?: string; mark: string; tone: string };

/** How many rows there are of each kind; one kind can be chosen, to see its rows alone. */
export function Counts<T extends string>({
	all,
	kinds,
	counts,
	at,
	onAt,
	data,
}: {
	/** All of them, in words. */
	all: string;
	kinds: Counted<T>[];
	counts: Record<string, number>;
	at: T | undefined;
	onAt: (kind: T | undefined) => void;
	/** By what the kinds are looked for in the page. */
	data: `data-${string}`;
}) {
	const look = (on: boolean) =>
		`border-b-[3px] px-1 pb-[2px] ${on ? "border-slate font-bold" : "border-transparent hover:text-ink"}`;
	return (
		<>
			<button type="button" aria-pressed={!at} className={look(!at)} onClick={() => onAt(undefined)}>
				{all}
			</button>
			{kinds
				.filter((k) => (counts[k.id] ?? 0) > 0 || k.id === at)
				.map((k) => (
					<button
						key={k.id}
						type="button"
						{...{ [data]: k.id }}
						aria-pressed={at === k.id}
						className={`${look(at === k.id)} ${k.tone}`}
						onClick={() => onAt(at === k.id ? undefined : k.id)}
					>
						{k.mark} {number(counts[k.id] ?? 0)} {counts[k.id] === 1 ? k.name : (k.many ?? k.name)}
					</button>
				))}
		</>
	);
}

import type { Schemas } from "../api/client";
import { kindWords, Named } from "../parts/words";

type Share = Schemas["PeerShare"];

/** What peers hold, each with how many of them as a beam of that strength, to be taken or left. */
export function Shares({
	label,
	list,
	of,
	chosen,
	onChoose,
}: {
	label: string;
	list: Share[];
	of: number;
	chosen: (s: Share) => boolean;
	onChoose: (s: Share, on: boolean) => void;
}) {
	return (
		<ul aria-label={label}>
			{list.map((s) => (
				<li
					key={s.key}
					data-share={s.key}
					className="grid grid-cols-[18px_minmax(0,1fr)_90px_74px] items-center gap-2 border-b border-hair py-1"
				>
					{s.byItself ? (
						<span aria-hidden className="text-center text-quiet">
							·
						</span>
					) : (
						<input
							type="checkbox"
							aria-label={`${s.thing.name} ${s.where ?? ""}`.trim()}
							checked={chosen(s)}
							disabled={!s.may}
							title={s.may ? undefined : "You may not assign this."}
							onChange={(e) => onChoose(s, e.target.checked)}
						/>
					)}
					<span className="min-w-0 truncate">
						<Named of={s.thing} />{" "}
						<span className="text-[12px] text-quiet">
							{s.byItself ? "comes by itself" : s.where || kindWords[s.thing.kind]}
						</span>
					</span>
					<span aria-hidden className="h-[8px] border border-[var(--beam)]">
						<span
							className={`block h-full ${s.most ? "bg-moss" : "bg-ochre-line"}`}
							style={{ width: `${of > 0 ? (100 * s.n) / of : 0}%` }}
						/>
					</span>
					<span className="text-right text-[12px] text-quiet">
						{s.n} of {of}
					</span>
				</li>
			))}
		</ul>
	);
}

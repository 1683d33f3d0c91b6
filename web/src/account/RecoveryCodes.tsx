export const recoverySaid =
	"Each lets you in once if your second factor is lost. Print them or write them down; they are not shown again.";

/** The codes by which somebody comes in whose second factor is lost, shown once. */
export function RecoveryCodes({ codes, onHave }: { codes: string[]; onHave: () => void }) {
	return (
		<>
			<ul aria-label="Recovery codes" className="grid grid-cols-2 gap-x-6 font-mono text-[15px]">
				{codes.map((c) => (
					<li key={c} className="border-b border-hair py-1">
						{c}
					</li>
				))}
			</ul>
			<div className="mt-4 flex justify-end gap-3">
				<button type="button" className="action" onClick={() => window.print()}>
					Print
				</button>
				<button type="button" className="action main" onClick={onHave}>
					I have them
				</button>
			</div>
		</>
	);
}

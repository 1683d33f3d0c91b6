import { type ReactNode, useEffect } from "react";

/** The gable: the wall that whoever is not yet in sees. Its timbers are drawn; a braced frame that carries the roof. */
export function Door({ title, children }: { title: string; children: ReactNode }) {
	useEffect(() => {
		document.title = `${title} · Fachwerk`;
	}, [title]);
	return (
		<div className="grid h-full grid-cols-[minmax(0,1fr)_460px] bg-plaster max-[900px]:grid-cols-1 max-[900px]:overflow-auto">
			<div
				aria-hidden="true"
				className="relative overflow-hidden border-r-[3px] border-[var(--beam)] max-[900px]:hidden"
			>
				<svg viewBox="0 0 820 800" preserveAspectRatio="xMidYMid slice" className="absolute inset-0 h-full w-full">
					<title>A timber frame</title>
					<g fill="none" stroke="var(--beam)" strokeWidth="14">
						<path d="M0 300 410 40 820 300M0 300h820M0 540h820M60 300v500M300 300v500M520 300v500M760 300v500M410 40v260" />
						<path
							d="M60 540 300 300M760 540 520 300M300 540 60 800M520 540 760 800M180 300 410 150 640 300"
							strokeWidth="10"
						/>
					</g>
					<path d="M60 540 300 300H520V540" fill="none" stroke="var(--slate)" strokeWidth="10" />
					<g fill="var(--raised)" stroke="var(--beam)" strokeWidth="3">
						{[60, 300, 520, 760].flatMap((x) =>
							[300, 540].map((y) => <rect key={`${x}-${y}`} x={x - 8} y={y - 8} width="16" height="16" />),
						)}
					</g>
				</svg>
			</div>
			<main className="flex min-w-0 flex-col justify-center bg-raised px-10 max-[900px]:px-4">
				<p className="wide text-[22px] font-extrabold tracking-[0.14em]">FACHWERK</p>
				<h1 className="mt-1 mb-6 text-[15px] text-quiet">{title}</h1>
				{children}
			</main>
		</div>
	);
}

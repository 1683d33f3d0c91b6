import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { useTrace } from "../api/hooks";
import { useTo } from "../house/lens";
import { Loaded } from "./loading";
import { More } from "./More";
import { addressOf } from "./words";

/** The ways by which somebody holds a permission. */
export function WaysTo({ user, permission, most }: { user: string; permission: string; most?: number }) {
	const trace = useTrace(user, permission);
	return (
		<Loaded query={trace}>
			{(t) =>
				t.ways.length > 0 ? (
					<div className="overflow-x-auto pb-2">
						<Ways ways={t.ways} most={most} />
					</div>
				) : (
					<p className="text-quiet">It is not held today.</p>
				)
			}
		</Loaded>
	);
}

const joint = { width: 196, height: 40, gap: 20, column: 216 };

/** What tells a way from the others. */
const title = (w: Schemas["Way"]) => w.joints.map((j) => j.id).join(" ");

/** The ways as beams, side by side. What two neighbouring ways share at their foot stands under both. */
export function Ways({ ways, most: first = 12 }: { ways: Schemas["Way"][]; most?: number }) {
	const [all, setAll] = useState(false);
	const shown = all ? ways : ways.slice(0, first);
	const most = Math.max(...shown.map((w) => w.joints.length));
	const width = shown.length * joint.column - (joint.column - joint.width) + 2;
	const step = joint.height + joint.gap;
	const height = most * step - joint.gap + 6;
	// The person stands on top once, the permission at the foot once; what lies between has a column for each way.
	const place = (w: number, j: number): [number, number] => {
		const joints = shown[w].joints;
		if (j === 0) return [0, 0];
		if (j === joints.length - 1) return [0, most - 1];
		return [w, j];
	};
	return (
		<>
			<div className="relative" style={{ width, height }}>
				<svg aria-hidden="true" width={width} height={height} className="absolute inset-0">
					<title>The ways</title>
					{shown.map((way, w) =>
						way.joints.slice(1).map((to, j) => {
							const [c1, r1] = place(w, j);
							const [c2, r2] = place(w, j + 1);
							const cutHere = to.blocked || way.joints[j].blocked;
							const color = cutHere ? "var(--ox)" : way.cut ? "var(--ochre-line)" : "var(--beam)";
							const x1 = c1 * joint.column + (c2 > c1 ? joint.width - 16 : joint.width / 2);
							const x2 = c2 * joint.column + (c1 > c2 ? joint.width - 16 : joint.width / 2);
							const y1 = r1 * step + joint.height + 1;
							const y2 = r2 * step + 1;
							return (
								<g key={`${title(way)}>${to.kind}${to.id}`}>
									<line
										x1={x1}
										y1={y1}
										x2={x2}
										y2={y2}
										stroke={color}
										strokeWidth="3.5"
										strokeDasharray={cutHere ? "3 4" : undefined}
									/>
									<rect
										x={x1 - 4}
										y={y1 - 4}
										width="8"
										height="8"
										fill="var(--raised)"
										stroke={color}
										strokeWidth="1.5"
									/>
									<rect
										x={x2 - 4}
										y={y2 - 4}
										width="8"
										height="8"
										fill="var(--raised)"
										stroke={color}
										strokeWidth="1.5"
									/>
								</g>
							);
						}),
					)}
				</svg>
				{shown.map((way, w) =>
					way.joints.map((j, i) => {
						if (w > 0 && (i === 0 || i === way.joints.length - 1)) return null;
						const [c, r] = place(w, i);
						return (
							<JointBoard
								key={`${title(way)}:${j.kind}${j.id}`}
								joint={j}
								foot={i === way.joints.length - 1}
								hand={!!way.cut}
								left={c * joint.column}
								top={r * step}
							/>
						);
					}),
				)}
			</div>
			<More n={ways.length - shown.length} onOpen={() => setAll(true)} className="sticky left-0 mt-1" />
		</>
	);
}

function JointBoard({
	joint: j,
	foot,
	hand,
	left,
	top,
}: {
	joint: Schemas["Joint"];
	foot: boolean;
	hand: boolean;
	left: number;
	top: number;
}) {
	const path = j.kind === "assignment" ? undefined : addressOf(j.kind, j.id);
	const to = useTo();
	const body = (
		<>
			<span className={`block truncate font-semibold ${j.kind === "permission" ? "narrow font-mono text-[12px]" : ""}`}>
				{j.name}
			</span>
			<span
				className={`narrow block truncate text-[11.5px] ${foot ? "text-on-slate-quiet" : j.blocked ? "font-bold text-ox" : "text-quiet"}`}
			>
				{j.blocked ? `✕ ${j.blocked}` : j.note}
			</span>
		</>
	);
	const look = `absolute block border-[1.5px] px-[8px] py-[3px] leading-[16px] ${
		foot
			? "border-slate bg-slate text-on-slate"
			: j.blocked
				? "border-ox bg-raised"
				: hand && j.kind !== "user"
					? "border-ochre-line bg-raised"
					: "border-[var(--beam)] bg-raised"
	}`;
	const style = { left, top: top + 1, width: joint.width, height: joint.height };
	const title = `${j.name}${j.note ? ` — ${j.note}` : ""}`;
	return path ? (
		<Link to={to(path)} className={`${look} hover:underline`} style={style} title={title}>
			{body}
		</Link>
	) : (
		<div className={look} style={style} title={title}>
			{body}
		</div>
	);
}

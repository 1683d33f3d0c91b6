import { keepPreviousData } from "@tanstack/react-query";
import { useDeferredValue } from "react";
import { type Ask, useAsk } from "../../api/ask";
import { data, type Schemas } from "../../api/client";
import { design, putGuarantee } from "../../api/hooks";
import { Bracket } from "../../parts/Bracket";
import { DraftBoard, FormText, useDraftForm } from "../../parts/DraftForm";
import { orNone } from "../../parts/fields";
import { type By, PeopleBracket } from "../../parts/PeopleBracket";
import { Chips, Picker } from "../../parts/Picker";
import { KeptNow } from "./Kept";

type Ref = Schemas["Ref"];
type Kind = Schemas["DesignGuarantee"]["kind"];

/** What a guarantee can say of its people. */
const kinds: Record<Kind, string> = {
	nobody: "nobody of",
	only: "nobody but",
	"at-most": "at most",
	"at-least": "at least",
};

/** What the brackets of the sentence hold. */
type Said = {
	name: string;
	reason: string;
	kind: Kind;
	count: string;
	by: By;
	filter: string;
	peopleIn?: Ref;
	things: Ref[];
	patterns: string;
	area?: Ref;
	strict: boolean;
};

/** What begins a guarantee from somewhere else. */
export type Begun = { name?: string; kind?: Kind; things?: Ref[]; patterns?: string; area?: Ref; peopleIn?: Ref };

/** Writes a guarantee as a sentence, each bracket its own picker, and tries it while it is written. */
export function EditGuarantee({
	of,
	copy,
	begun,
	onClose,
}: {
	of?: Schemas["GuaranteeSheet"];
	copy?: boolean;
	begun?: Begun;
	onClose: () => void;
}) {
	const g = of?.guarantee;
	const edited = copy ? undefined : g;
	const named = of?.people.find((p) => p.id);
	const start: Said = {
		name: of ? (copy ? `${of.ref.name}, copy` : of.ref.name) : (begun?.name ?? ""),
		reason: g?.reason ?? "",
		kind: g?.kind ?? begun?.kind ?? "only",
		count: g?.count === undefined ? "2" : String(g.count),
		by: g?.people
			? g.people.filter
				? "filter"
				: g.people.group
					? "group"
					: "area"
			: of
				? "all"
				: begun?.peopleIn?.kind === "area"
					? "area"
					: "group",
		filter: g?.people?.filter ?? "",
		peopleIn: named?.id ? { kind: named.kind as Ref["kind"], id: named.id, name: named.text } : begun?.peopleIn,
		things: of?.permissions.filter((p) => p.id) ?? begun?.things ?? [],
		patterns:
			of?.permissions
				.filter((p) => !p.id)
				.map((p) => p.name)
				.join(" ") ??
			begun?.patterns ??
			"",
		area: of?.area ?? begun?.area,
		strict: g ? g.strict !== false : true,
	};
	const meant = (v: Said): Schemas["DesignGuarantee"] => ({
		id: edited?.id ?? "",
		name: v.name.trim(),
		reason: orNone(v.reason),
		kind: v.kind,
		count: v.kind === "at-most" || v.kind === "at-least" ? Number(v.count) || 0 : undefined,
		permissions: [
			...v.things.map((t) => (t.kind === "system" ? `${t.id}:*` : t.id)),
			...v.patterns.split(/[\s,;]+/).filter(Boolean),
		],
		people:
			v.by === "all"
				? undefined
				: v.by === "filter"
					? { filter: v.filter }
					: v.by === "group"
						? { group: v.peopleIn?.id ?? "" }
						: { area: v.peopleIn?.id ?? "" },
		area: v.area?.id,
		strict: v.strict ? undefined : false,
	});
	const form = useDraftForm({
		start,
		write: (v: Said) => putGuarantee(edited ? { before: edited, after: meant(v) } : { after: meant(v) }),
		makes: edited ? undefined : "guarantee",
		onClose,
	});
	const { control, register, setValue, watch } = form;
	const said = watch();
	const { kind, by, filter, peopleIn, things, patterns, area } = said;
	const counts = kind === "at-most" || kind === "at-least";
	const about = things.length > 0 || patterns.trim() !== "";
	const whom = by === "all" || (by === "filter" ? filter.trim() !== "" : !!peopleIn);
	const tried = useDeferredValue(meant(said));
	const kept = useAsk({
		queryKey: [...design, "try-guarantee", tried],
		queryFn: (ask: Ask) => data(ask.POST("/api/guarantees/try", { body: { ...tried, name: tried.name || "new" } })),
		enabled: about && whom,
		placeholderData: keepPreviousData,
	});
	return (
		<DraftBoard
			form={form}
			title={edited ? `Edit ${of?.ref.name}` : "New guarantee"}
			about="A promise about who may hold what, which every later change has to keep."
			ready={!!said.name.trim() && about && whom}
			onClose={onClose}
		>
			<FormText control={control} name="name" label="Name" required autoFocus />
			<p className="text-[17px] leading-[38px]">
				<select
					aria-label="What is promised"
					className="board px-2 py-1 leading-normal font-semibold text-slate"
					{...register("kind")}
				>
					{Object.entries(kinds).map(([id, words]) => (
						<option key={id} value={id}>
							{words}
						</option>
					))}
				</select>{" "}
				{counts && (
					<>
						<input
							type="number"
							aria-label="How many"
							min={0}
							className="board w-[64px] px-2 py-1 leading-normal font-semibold text-slate"
							{...register("count")}
						/>{" "}
						of{" "}
					</>
				)}
				<PeopleBracket
					label="Which people"
					ways={["all", "group", "area", "filter"]}
					by={by}
					filter={filter}
					peopleIn={peopleIn}
					onBy={(way) => {
						setValue("by", way);
						setValue("peopleIn", undefined);
					}}
					onFilter={(text) => setValue("filter", text)}
					onPick={(r) => setValue("peopleIn", r)}
				/>{" "}
				{counts ? "hold each of" : "holds any of"}{" "}
				<Bracket
					label="Which permissions"
					text={[...things.map((t) => (t.kind === "system" ? `all of ${t.name}` : t.name)), patterns.trim()]
						.filter(Boolean)
						.join(", ")}
					empty="which permissions"
				>
					<Chips
						kinds={["permission", "system"]}
						label="Permissions, or whole systems"
						placeholder="a permission or system …"
						chosen={things}
						onChange={(list) => setValue("things", list)}
					/>
					<label className="mt-3 block">
						<span className="text-[12px] text-quiet">All of an object, as in tallyroom:payment:*</span>
						<input className="field font-mono" spellCheck={false} {...register("patterns")} />
					</label>
				</Bracket>{" "}
				at{" "}
				<Bracket label="Where" text={area?.name ?? "any place of the organisation"} empty="">
					<Picker kinds={["area"]} label="Area" placeholder="an area …" onPick={(r) => setValue("area", r)} />
					{area && (
						<button type="button" className="link mt-2" onClick={() => setValue("area", undefined)}>
							Any place of the organisation
						</button>
					)}
				</Bracket>
				.
			</p>
			<label className="flex items-start gap-2">
				<input type="checkbox" className="mt-1" {...register("strict")} />
				<span>
					Strict: refuse every change that would break it. Otherwise the draft only warns, and can be applied.
				</span>
			</label>
			<FormText control={control} name="reason" label="Why" lines={2} />
			<section aria-label="Is it kept?" aria-live="polite" className="mt-2 border-t-[3px] border-[var(--beam)] pt-2">
				{kept.data && about && whom ? (
					<KeptNow of={kept.data} />
				) : (
					<p className="text-quiet">Choose people and permissions, and it is tested here at once.</p>
				)}
			</section>
		</DraftBoard>
	);
}

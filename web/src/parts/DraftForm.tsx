import { type ReactNode, useState } from "react";
import {
	type Control,
	type DefaultValues,
	type FieldPathByValue,
	type FieldValues,
	useController,
	useForm,
} from "react-hook-form";
import { useNavigate } from "react-router";
import type { Schemas } from "../api/client";
import { useDrafting } from "../api/hooks";
import { useTo } from "../house/lens";
import { Board } from "./dialog";
import { Acts, Field, TextField, type TextProps } from "./fields";
import { useNotice } from "./notice";
import { Chips, type PickerProps, PickOne } from "./Picker";
import { addressOf } from "./words";

type Ref = Schemas["Ref"];

type Drafting<V> = {
	/** What stands in the form when it is opened. */
	start: V;
	/** Puts it into the draft, as one act. */
	write: (values: V) => Promise<Schemas["Draft"]>;
	/** The kind of thing that comes of it, if it is a new one: its sheet is gone to. */
	makes?: string;
	/** Takes what comes of it, in place of going to its sheet. */
	onMade?: (made: Ref) => void;
	onClose: () => void;
};

/** A form whose outcome goes into the draft. What is refused is told, and all that was typed stays. */
export function useDraftForm<V extends FieldValues>({ start, write, makes, onMade, onClose }: Drafting<V>) {
	const form = useForm<V>({ defaultValues: start as DefaultValues<V> });
	const { refuse, tell } = useNotice();
	const navigate = useNavigate();
	const to = useTo();
	const drafting = useDrafting(write);
	const [saved, setSaved] = useState(0);
	/** Puts it into the draft; what comes of it is handed on, and by itself closes the form. */
	const save = async (then?: (values: V) => void) =>
		form.handleSubmit((values) =>
			drafting.mutate(values as unknown as V, {
				onError: refuse,
				onSuccess: (draft) => {
					if (draft.edits.at(-1)?.meanwhile.some((m) => m.clashes.length > 0))
						tell("It is in your draft, but somebody else changed the same meanwhile: open the draft to choose.");
					setSaved((n) => n + 1);
					if (then) return then(values as unknown as V);
					onClose();
					const made = makes && madeBy(draft, makes);
					if (!made) return;
					if (onMade) onMade(made);
					else navigate(to(addressOf(made.kind, made.id) ?? "/"));
				},
			}),
		)();
	return { ...form, save, saved, busy: drafting.isPending };
}

/** What the last act of a draft made, as its sentence names it. */
export function madeBy(draft: Schemas["Draft"], kind: string): Ref | undefined {
	const said = draft.edits
		.at(-1)
		?.sentences.flat()
		.find((p) => p.kind === kind);
	return said?.id ? { kind: kind as Ref["kind"], id: said.id, name: said.text } : undefined;
}

/** A board with a form of the draft in it. */
export function DraftBoard({
	form,
	title,
	about,
	wide,
	ready,
	onClose,
	acts,
	children,
}: {
	form: { save: () => void; saved: number; busy: boolean };
	title: string;
	about?: string;
	wide?: boolean;
	/** Enough is said to put it into the draft. */
	ready: boolean;
	onClose: () => void;
	/** More ways to end it. */
	acts?: ReactNode;
	children: ReactNode;
}) {
	return (
		<Board open wide={wide} onClose={onClose} title={title} about={about} saved={form.saved}>
			<form
				onSubmit={(e) => {
					e.preventDefault();
					form.save();
				}}
			>
				{children}
				<Acts busy={form.busy} disabled={!ready} onClose={onClose}>
					{acts}
				</Acts>
			</form>
		</Board>
	);
}

type At<V extends FieldValues, T> = { control: Control<V>; name: FieldPathByValue<V, T> };

/** The value that stands at a place of a form, and how it is changed. */
function useValue<V extends FieldValues, T>({ control, name }: At<V, T>): [T, (value: T) => void] {
	const { field } = useController({ control, name });
	return [field.value as T, field.onChange];
}

type Without<P, K extends string> = Omit<P, K | "name">;

/** A text of a form. */
export function FormText<V extends FieldValues>({
	control,
	name,
	...rest
}: At<V, string> & Without<TextProps, "value" | "onChange">) {
	const { field } = useController({ control, name });
	return <TextField {...rest} box={field.ref} value={field.value} onChange={field.onChange} />;
}

type Labelled = { label: string; field?: string; hint?: string };

/** One thing of a form, or none. `field` is said above it, where that is more than its label. */
export function FormPick<V extends FieldValues>({
	control,
	name,
	field,
	hint,
	...picker
}: At<V, Ref | undefined> & Labelled & Without<PickerProps, "onPick">) {
	const [value, change] = useValue<V, Ref | undefined>({ control, name });
	return (
		<Field label={field ?? picker.label} hint={hint}>
			{() => <PickOne {...picker} value={value} onChange={change} />}
		</Field>
	);
}

/** Several things of a form. */
export function FormChips<V extends FieldValues>({
	control,
	name,
	field,
	hint,
	...picker
}: At<V, Ref[]> & Labelled & Without<PickerProps, "onPick" | "without">) {
	const [chosen, change] = useValue<V, Ref[]>({ control, name });
	return (
		<Field label={field ?? picker.label} hint={hint}>
			{() => <Chips {...picker} chosen={chosen} onChange={change} />}
		</Field>
	);
}

/** A yes or no of a form. */
export function FormCheck<V extends FieldValues>({
	control,
	name,
	children,
}: At<V, boolean> & { children: ReactNode }) {
	const [on, change] = useValue<V, boolean>({ control, name });
	return (
		<label className="mb-3 flex items-center gap-2">
			<input type="checkbox" checked={on} onChange={(e) => change(e.target.checked)} />
			{children}
		</label>
	);
}

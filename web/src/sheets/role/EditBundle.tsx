import { api, data, type Schemas } from "../../api/client";
import { putRole, putSet } from "../../api/hooks";
import { DraftBoard, FormCheck, FormChips, FormPick, FormText, useDraftForm } from "../../parts/DraftForm";
import { orNone } from "../../parts/fields";

type Ref = Schemas["Ref"];

type Props = {
	kind: "role" | "set";
	/** What is edited; absent for a new one. */
	of?: Schemas["BundleSheet"];
	/** What a new one is begun with. */
	name?: string;
	built?: Ref[];
	/** A role whose stack, permissions and exclusions a new one begins with. */
	like?: Schemas["DesignRole"];
	copied?: Ref;
	/** Takes what is made, in place of going to its sheet. */
	onMade?: (made: Ref) => void;
	onClose: () => void;
};

type Said = { name: string; description?: string; owner?: string; state?: string };

function writeRole({ of, like }: Props, said: Said, built: Ref[], permissions: string[]) {
	if (of?.role) return putRole({ before: of.role, after: { ...of.role, ...said } });
	if (like) return putRole({ after: { ...like, id: "", ...said, protected: undefined } });
	const ids = (kind: string) => built.filter((b) => b.kind === kind).map((b) => b.id);
	return putRole({ after: { id: "", ...said, inherits: ids("role"), sets: ids("set"), permissions } });
}

async function writeSet({ of }: Props, said: Said, permissions: string[], copied?: Ref) {
	if (of?.set) return putSet({ before: of.set, after: { ...of.set, ...said } });
	if (!copied) return putSet({ after: { id: "", ...said, permissions } });
	const original = (await data(api.GET("/api/sets/{id}", { params: { path: { id: copied.id } } }))).set;
	return putSet({
		after: {
			id: "",
			...said,
			permissions: [...new Set([...(original?.permissions ?? []), ...permissions])],
			copyOf: { set: copied.id, version: original?.version },
		},
	});
}

/** Names and describes a role or set, and says what a new one starts from. */
export function EditBundle(p: Props) {
	const { kind, of, like, onClose } = p;
	const object = of?.role ?? of?.set;
	const form = useDraftForm({
		start: {
			name: object?.name ?? p.name ?? "",
			description: object?.description ?? like?.description ?? "",
			owner: of?.owner,
			retired: of?.state === "retired",
			built: p.built ?? [],
			copied: p.copied,
			permissions: [] as Ref[],
		},
		write: (v) => {
			const said = {
				name: v.name.trim(),
				description: orNone(v.description),
				owner: v.owner?.id,
				state: v.retired ? "retired" : undefined,
			};
			const keys = v.permissions.map((r) => r.id);
			return kind === "role" ? writeRole(p, said, v.built, keys) : writeSet(p, said, keys, v.copied);
		},
		makes: of ? undefined : kind,
		onMade: p.onMade,
		onClose,
	});
	const { control } = form;
	return (
		<DraftBoard
			form={form}
			title={of ? `Edit ${of.ref.name}` : `New ${kind === "role" ? "role" : "permission set"}`}
			about={
				of
					? undefined
					: kind === "role"
						? "A role gathers permission sets for a job."
						: "An own set stands beside the supplied ones."
			}
			ready={!!form.watch("name").trim()}
			onClose={onClose}
		>
			<FormText
				control={control}
				name="name"
				label="Name"
				required
				autoFocus
				hint={of ? `id ${of.ref.id}, which stays` : "Say what it is for, in the words people would use to ask for it."}
			/>
			<FormText control={control} name="description" label="Why it exists" lines={2} />
			<FormPick
				control={control}
				name="owner"
				field="Owner, who answers for it"
				kinds={["user"]}
				label="Owner"
				placeholder="a person …"
			/>
			{like && (
				<p className="mb-3 text-quiet">It begins with all that {like.name} has, and goes its own way from there.</p>
			)}
			{!of && kind === "role" && !like && (
				<FormChips
					control={control}
					name="built"
					kinds={["role", "set"]}
					label="Built on"
					placeholder="a role or set …"
					hint="Roles to inherit and sets to include: what changes there flows through."
				/>
			)}
			{!of && kind === "set" && (
				<FormPick
					control={control}
					name="copied"
					kinds={["set"]}
					label="Copied from"
					placeholder="no set: begin empty"
					hint="A copy remembers its original, and its sheet shows how far the two have drifted apart. It is often better to leave this empty and add only what the original lacks."
				/>
			)}
			{!of && !like && (
				<FormChips
					control={control}
					name="permissions"
					kinds={["permission"]}
					label="Gives"
					placeholder="a permission …"
					hint="More can be ticked on its sheet, where what goes with them is shown."
				/>
			)}
			{of && (
				<FormCheck control={control} name="retired">
					Retired: it stays where it is but gives nothing. The draft shows who loses what.
				</FormCheck>
			)}
		</DraftBoard>
	);
}

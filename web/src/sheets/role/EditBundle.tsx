import { useState } from "react";
import { useNavigate } from "react-router";
import { api, data, type Schemas } from "../../api/client";
import { putRole, putSet, useDrafting } from "../../api/hooks";
import { useTo } from "../../house/lens";
import { Board } from "../../parts/dialog";
import { Acts, Field, orNone, TextField } from "../../parts/fields";
import { madeBy } from "../../parts/made";
import { useNotice } from "../../parts/notice";
import { Chips, PickOne } from "../../parts/Picker";
import { addressOf } from "../../parts/words";

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
	onClose: () => void;
};

/** Names and describes a role or set, and says what a new one starts from. */
export function EditBundle({ kind, of, onClose, ...start }: Props) {
	const { refuse } = useNotice();
	const navigate = useNavigate();
	const to = useTo();
	const object = of?.role ?? of?.set;
	const [name, setName] = useState(object?.name ?? start.name ?? "");
	const [description, setDescription] = useState(object?.description ?? start.like?.description ?? "");
	const [owner, setOwner] = useState<Ref | undefined>(of?.owner);
	const [retired, setRetired] = useState(of?.state === "retired");
	const [built, setBuilt] = useState<Ref[]>(start.built ?? []);
	const [copied, setCopied] = useState<Ref | undefined>(start.copied);
	const save = useDrafting(async () => {
		const said = { name: name.trim(), description: orNone(description), owner: owner?.id, state: retired ? "retired" : undefined };
		if (kind === "role") {
			if (of?.role) return putRole({ before: of.role, after: { ...of.role, ...said } });
			const of_ = (k: string) => built.filter((b) => b.kind === k).map((b) => b.id);
			if (start.like) return putRole({ after: { ...start.like, id: "", ...said, protected: undefined } });
			return putRole({ after: { id: "", ...said, inherits: of_("role"), sets: of_("set") } });
		}
		if (of?.set) return putSet({ before: of.set, after: { ...of.set, ...said } });
		if (!copied) return putSet({ after: { id: "", ...said, permissions: [] } });
		const original = (await data(api.GET("/api/sets/{id}", { params: { path: { id: copied.id } } }))).set;
		return putSet({
			after: { id: "", ...said, permissions: original?.permissions ?? [], copyOf: { set: copied.id, version: original?.version } },
		});
	});
	const word = kind === "role" ? "role" : "permission set";
	return (
		<Board
			open
			onClose={onClose}
			title={of ? `Edit ${of.ref.name}` : `New ${word}`}
			about={
				of
					? undefined
					: kind === "role"
						? "A role gathers permission sets for a job. Its permissions are ticked on its sheet."
						: "An own set stands beside the supplied ones. Its permissions are ticked on its sheet."
			}
		>
			<form
				onSubmit={(e) => {
					e.preventDefault();
					save.mutate(undefined, {
						onError: refuse,
						onSuccess: (draft) => {
							onClose();
							const id = of ? undefined : madeBy(draft, kind);
							if (id) navigate(to(addressOf(kind, id) ?? "/"));
						},
					});
				}}
			>
				<TextField
					label="Name"
					required
					autoFocus
					value={name}
					onChange={setName}
					hint={of ? `id ${of.ref.id}, which stays` : "Say what it is for, as people would ask for it."}
				/>
				<TextField label="Why it exists" lines={2} value={description} onChange={setDescription} />
				<Field label="Owner, who answers for it">
					{() => <PickOne kinds={["user"]} label="Owner" placeholder="a person …" value={owner} onChange={setOwner} />}
				</Field>
				{start.like && <p className="mb-3 text-quiet">It begins with all that {start.like.name} has, and goes its own way from there.</p>}
				{!of && kind === "role" && !start.like && (
					<Field label="Built on" hint="Roles to inherit and sets to include: what changes there flows through.">
						{() => <Chips kinds={["role", "set"]} label="Built on" placeholder="a role or set …" chosen={built} onChange={setBuilt} />}
					</Field>
				)}
				{!of && kind === "set" && (
					<Field
						label="Begun as a copy of"
						hint="A copy remembers its original, and its sheet shows how far the two have drifted. Better: leave this empty and only add what the other lacks."
					>
						{() => <PickOne kinds={["set"]} label="Begun as a copy of" placeholder="no set: begin empty" value={copied} onChange={setCopied} />}
					</Field>
				)}
				{of && (
					<label className="flex items-center gap-2">
						<input type="checkbox" checked={retired} onChange={(e) => setRetired(e.target.checked)} />
						Retired: it stays in its places but gives nothing. The sill shows who loses what.
					</label>
				)}
				<Acts busy={save.isPending} disabled={!name.trim()} onClose={onClose} />
			</form>
		</Board>
	);
}

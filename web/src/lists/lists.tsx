import { useState } from "react";
import { useHouse } from "../house/context";
import { acting, may, mayEither } from "../house/rights";
import { EditArea } from "../sheets/area/EditArea";
import { EditConflict } from "../sheets/conflict/EditConflict";
import { EditGroup } from "../sheets/group/EditGroup";
import { EditGuarantee } from "../sheets/guarantee/EditGuarantee";
import { EditPerson } from "../sheets/person/EditPerson";
import { EditBundle } from "../sheets/role/EditBundle";
import { EditLicence } from "../sheets/system/EditLicence";
import { EditSystem } from "../sheets/system/EditSystem";
import type { Source } from "../worklists/hooks";
import { ToWorklist } from "../worklists/ToWorklist";
import { type Chosen, List } from "./List";

/** A button that opens a board to make something new. */
function New({
	name,
	allowed,
	board,
}: {
	name: string;
	allowed: boolean;
	board: (close: () => void) => React.ReactNode;
}) {
	const [open, setOpen] = useState(false);
	if (!allowed) return null;
	return (
		<>
			<button type="button" className="action main" onClick={() => setOpen(true)}>
				{name}
			</button>
			{open && board(() => setOpen(false))}
		</>
	);
}

/** Whom a list asks for; where that is everybody, a filter that everybody fits. */
const askedFor = ({ ids, query: { q, where } }: Chosen): Source =>
	ids.length > 0 ? { people: ids } : { query: q || (where ? undefined : "state pr"), where };

export function PeopleList() {
	const { me } = useHouse();
	return (
		<List
			kind="user"
			one="person"
			many="people"
			empty="There are no people yet. Invite the first, or import many from a file."
			widths={{
				name: "minmax(150px,3fr)",
				state: "80px",
				title: "minmax(110px,2.4fr)",
				department: "minmax(90px,1.6fr)",
				area: "minmax(100px,1.8fr)",
				manager: "minmax(110px,2fr)",
				groups: "56px",
				hand: "62px",
				until: "108px",
			}}
			withChosen={(c) => (
				<>
					{c.ids.length > 0 && (
						<button type="button" className="link whitespace-nowrap" onClick={c.clear}>
							{c.ids.length.toLocaleString("en-GB")} chosen ✕
						</button>
					)}
					{c.all > 0 && (
						<ToWorklist
							from={askedFor(c)}
							name={c.ids.length > 0 ? "Gather these" : "Gather all of these"}
							onDone={c.clear}
						/>
					)}
				</>
			)}
		>
			<New
				name="Invite …"
				allowed={mayEither(me, "people:edit", "invite")}
				board={(close) => <EditPerson onClose={close} />}
			/>
		</List>
	);
}

export function GroupsList() {
	const { me } = useHouse();
	return (
		<List
			kind="group"
			one="group"
			many="groups"
			empty="There are no groups yet. Assign to groups rather than to people: one removal from a group then removes everything."
			widths={{
				name: "minmax(170px,3fr)",
				kind: "minmax(110px,2fr)",
				members: "74px",
				grants: "66px",
				area: "minmax(90px,1.6fr)",
				owner: "minmax(110px,1.8fr)",
				description: "minmax(120px,4fr)",
			}}
		>
			<New
				name="New group …"
				allowed={acting(me) && may(me, "design:edit")}
				board={(close) => <EditGroup onClose={close} />}
			/>
		</List>
	);
}

export function RolesList() {
	const { me } = useHouse();
	return (
		<List
			kind="role"
			one="role"
			many="roles"
			empty="There are no roles yet. A role gathers permission sets for a job; make one, then assign it to a group."
			widths={{
				name: "minmax(160px,2.4fr)",
				state: "66px",
				permissions: "90px",
				risk: "76px",
				holders: "70px",
				excludes: "74px",
				owner: "minmax(110px,1.6fr)",
				description: "minmax(120px,4fr)",
			}}
		>
			<New
				name="New role …"
				allowed={acting(me) && may(me, "design:edit")}
				board={(close) => <EditBundle kind="role" onClose={close} />}
			/>
		</List>
	);
}

export function SetsList() {
	const { me } = useHouse();
	return (
		<List
			kind="set"
			one="permission set"
			many="permission sets"
			empty="There are no permission sets yet. They come with each system’s catalogue, or are made here."
			widths={{
				name: "minmax(180px,2.6fr)",
				state: "66px",
				origin: "minmax(100px,1.4fr)",
				system: "minmax(80px,1fr)",
				permissions: "90px",
				risk: "76px",
				holders: "70px",
				description: "minmax(120px,4fr)",
			}}
		>
			<New
				name="New set …"
				allowed={acting(me) && may(me, "design:edit")}
				board={(close) => <EditBundle kind="set" onClose={close} />}
			/>
		</List>
	);
}

export function PermissionsList() {
	return (
		<List
			kind="permission"
			one="permission"
			many="permissions"
			empty="No system has been imported yet."
			widths={{
				name: "minmax(220px,2.6fr)",
				label: "minmax(120px,1.6fr)",
				module: "minmax(90px,1.2fr)",
				class: "56px",
				risk: "70px",
				span: "86px",
				holders: "70px",
				description: "minmax(120px,4fr)",
			}}
		/>
	);
}

export function SystemsList() {
	const { me } = useHouse();
	return (
		<List
			kind="system"
			one="system"
			many="systems"
			empty="No system has been imported yet."
			widths={{
				name: "minmax(140px,2fr)",
				version: "76px",
				supplier: "minmax(110px,1.6fr)",
				permissions: "90px",
				sets: "100px",
				licence: "minmax(120px,1.6fr)",
				description: "minmax(160px,5fr)",
			}}
		>
			<New
				name="New system …"
				allowed={acting(me) && may(me, "catalogue:edit")}
				board={(close) => <EditSystem onClose={close} />}
			/>
		</List>
	);
}

export function LicencesList() {
	const { me } = useHouse();
	return (
		<List
			kind="licence"
			one="licence"
			many="licences"
			empty="No system here needs a licence."
			widths={{ name: "minmax(180px,3fr)", seats: "100px", used: "80px", covers: "80px" }}
		>
			<New
				name="New licence …"
				allowed={acting(me) && may(me, "catalogue:edit")}
				board={(close) => <EditLicence onClose={close} />}
			/>
		</List>
	);
}

export function AreasList() {
	const { me } = useHouse();
	return (
		<List
			kind="area"
			one="area"
			many="areas"
			empty="The whole organisation is the only area."
			widths={{
				name: "minmax(180px,3fr)",
				kind: "minmax(100px,1.4fr)",
				parent: "minmax(140px,2fr)",
				people: "84px",
				grants: "96px",
			}}
		>
			<New
				name="New area …"
				allowed={acting(me) && may(me, "design:edit")}
				board={(close) => <EditArea onClose={close} />}
			/>
		</List>
	);
}

export function ConflictsList() {
	const { me } = useHouse();
	return (
		<List
			kind="conflict"
			one="conflict"
			many="conflicts"
			empty="No separation of duties is defined. A conflict names what nobody may hold together."
			widths={{
				name: "minmax(200px,2.4fr)",
				items: "minmax(200px,4fr)",
				limit: "66px",
				where: "84px",
				broken: "80px",
				exceptions: "84px",
			}}
		>
			<New
				name="New conflict …"
				allowed={acting(me) && may(me, "design:edit")}
				board={(close) => <EditConflict onClose={close} />}
			/>
		</List>
	);
}

export function GuaranteesList() {
	const { me } = useHouse();
	return (
		<List
			kind="guarantee"
			one="guarantee"
			many="guarantees"
			empty="There are no guarantees yet. A guarantee says who may hold what, and every later change has to keep it."
			widths={{
				name: "minmax(180px,2fr)",
				promise: "minmax(260px,5fr)",
				strict: "84px",
				broken: "80px",
			}}
		>
			<New
				name="New guarantee …"
				allowed={acting(me) && may(me, "design:edit")}
				board={(close) => <EditGuarantee onClose={close} />}
			/>
		</List>
	);
}

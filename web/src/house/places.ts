import type { Schemas } from "../api/client";
import { acting, may, mayEither, sees } from "./rights";

/** A room of a place of work. */
export type Room = { to: string; name: string };

/** A place of work, with the rooms that belong to it; the first is where its name leads. */
export type Place = { name: string; rooms: Room[]; shown: boolean; waiting?: number };

/** The places of work, in the order of the job. */
export function placesOf(me: Schemas["Me"]): Place[] {
	const design = sees(me);
	return [
		{ name: "Today", rooms: [{ to: "/", name: "Today" }], shown: design || me.waiting + me.tasks + me.asked > 0 },
		{ name: "Frame", rooms: [{ to: "/frame", name: "Frame" }], shown: design },
		{
			name: "Catalogue",
			rooms: [
				{ to: "/systems", name: "Systems" },
				{ to: "/permissions", name: "Permissions" },
				{ to: "/licences", name: "Licences" },
				{ to: "/seats", name: "Seats" },
				{ to: "/capabilities", name: "Capabilities" },
				...(may(me, "catalogue:edit") && acting(me) ? [{ to: "/upgrade", name: "New version" }] : []),
			],
			shown: design,
		},
		{
			name: "Roles",
			rooms: [
				{ to: "/roles", name: "Roles" },
				{ to: "/sets", name: "Permission sets" },
				{ to: "/conflicts", name: "Conflicts" },
				{ to: "/guarantees", name: "Guarantees" },
				...(may(me, "design:view") ? [{ to: "/fewer", name: "Fewer roles" }] : []),
			],
			shown: design,
		},
		{ name: "Groups", rooms: [{ to: "/groups", name: "Groups" }], shown: design },
		{
			name: "People",
			rooms: [
				{ to: "/people", name: "People" },
				{ to: "/areas", name: "Areas" },
				...(mayEither(me, "people:edit", "invite") ? [{ to: "/invitations", name: "Invitations" }] : []),
				...(mayEither(me, "people:edit", "deactivate") ? [{ to: "/going", name: "Leaving" }] : []),
				...(acting(me) ? [{ to: "/worklists", name: "Worklists" }] : []),
				...(may(me, "design:view") && acting(me) ? [{ to: "/import", name: "Bring in" }] : []),
				...(may(me, "design:view") && !me.day ? [{ to: "/directories", name: "Directories" }] : []),
			],
			shown: design,
		},
		{ name: "Delegation", rooms: [{ to: "/delegations", name: "Delegations" }], shown: design },
		{ name: "Reviews", rooms: [{ to: "/reviews", name: "Reviews" }], shown: true, waiting: me.waiting + me.tasks },
		{
			name: "Findings",
			rooms: [{ to: "/findings", name: "Findings" }],
			shown: design && !me.day,
		},
		{
			name: "Questions",
			rooms: [
				{ to: "/who", name: "Who can …?" },
				{ to: "/compare", name: "Compare" },
				{ to: "/fit", name: "Closest fit" },
			],
			shown: design,
		},
		{
			name: "History",
			rooms: [
				{ to: "/history", name: "History" },
				{ to: "/security-log", name: "Security log" },
				...(may(me, "token:manage") ? [{ to: "/tokens", name: "Tokens" }] : []),
			],
			shown: may(me, "history:view"),
		},
		{
			name: "You",
			rooms: [
				{ to: "/own", name: "Your page" },
				...(acting(me) ? [{ to: "/requests", name: "Requests" }] : []),
				...(acting(me) ? [{ to: "/letters", name: "Letters" }] : []),
				...(acting(me) ? [{ to: "/account", name: "Signing in" }] : []),
			],
			shown: true,
			waiting: me.asked,
		},
	].filter((p) => p.shown);
}

/** Whether an address lies in a room. */
export const within = (path: string, room: Room) =>
	room.to === "/"
		? path === "/"
		: path === room.to ||
			path.startsWith(`${room.to}/`) ||
			(room.to === "/reviews" && path.startsWith("/review-tasks/"));

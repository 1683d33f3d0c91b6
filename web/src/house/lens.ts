import { useEffect, useRef, useState } from "react";
import { useSearchParams } from "react-router";

/** What stays in the address from view to view: where, when, and through whose eyes. */
const kept = ["where", "when", "as"];

/** The area that is looked at; none for the whole organisation. */
export function useWhere(): string | undefined {
	const [params] = useSearchParams();
	return params.get("where") ?? undefined;
}

/** Gives addresses that keep how the design is looked at. */
export function useTo(): (path: string) => string {
	const [params] = useSearchParams();
	return (path) => {
		const [bare, query] = path.split("?");
		const next = new URLSearchParams(query);
		for (const name of kept) {
			const value = params.get(name);
			if (value && !next.has(name)) next.set(name, value);
		}
		const tail = next.toString();
		return tail ? `${bare}?${tail}` : bare;
	};
}

/** Sets parameters of the address; an empty one goes. */
export function useSet(replace = true): (values: Record<string, string | null | undefined>) => void {
	const [, setParams] = useSearchParams();
	return (values) =>
		setParams(
			(before) => {
				const next = new URLSearchParams(before);
				for (const [name, value] of Object.entries(values)) {
					if (value) next.set(name, value);
					else next.delete(name);
				}
				return next;
			},
			{ replace },
		);
}

/** A text that is typed into a parameter of the address. The address follows a little behind the keys, so what is typed is kept here. */
export function useTyped(name: string): [text: string, type: (text: string) => void] {
	const [params] = useSearchParams();
	const set = useSet();
	const there = params.get(name) ?? "";
	const [text, setText] = useState(there);
	const sent = useRef<string[]>([]);
	useEffect(() => {
		const at = sent.current.lastIndexOf(there);
		if (at >= 0) sent.current = sent.current.slice(at + 1);
		else setText(there); // not typed here: back, forward, or a link
	}, [there]);
	return [
		text,
		(typed) => {
			sent.current.push(typed);
			setText(typed);
			set({ [name]: typed });
		},
	];
}

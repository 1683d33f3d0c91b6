import { useSearchParams } from "react-router";
import { at } from "../api/at";
import { marked } from "./mark";

/** Links to an answer as a table for other programs, as it is looked at. */
export function Downloads({
	path,
	query,
	children,
}: {
	path: string;
	query: Record<string, string | string[] | undefined>;
	children?: React.ReactNode;
}) {
	const [params] = useSearchParams();
	const all = new URLSearchParams();
	for (const [name, value] of Object.entries(query)) for (const v of [value ?? []].flat()) all.append(name, v);
	for (const name of ["when", "as"]) {
		const value = params.get(name);
		if (value) all.set(name, value);
	}
	const href = (form: string) => at(`${path}/${form}?${all}`);
	return (
		<span className="flex shrink-0 items-baseline gap-3 print:hidden">
			{["csv", "xlsx"].map((form) => (
				<a
					key={form}
					className="link"
					href={href(form)}
					// As it is chosen now, which may be after this was drawn.
					onClick={(e) => {
						e.currentTarget.href = href(form) + (form === "csv" && marked() ? "&mark=true" : "");
					}}
					download
				>
					{form.toUpperCase()}
				</a>
			))}
			{children}
		</span>
	);
}

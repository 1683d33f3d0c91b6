import { Link, useRouteError } from "react-router";
import { at } from "../api/at";

export function Lost() {
	return (
		<div className="m-8 max-w-[520px]">
			<h1 className="text-[22px] font-bold">There is no such page.</h1>
			<p className="mt-2">
				The address leads nowhere in this house. Begin again at the{" "}
				<Link className="link" to="/">
					frame
				</Link>
				.
			</p>
		</div>
	);
}

/** Shown when a page fails in a way that nobody foresaw. What was drafted is safe on the server. */
export function Broken() {
	const error = useRouteError();
	return (
		<div role="alert" className="m-8 max-w-[520px]">
			<h1 className="text-[22px] font-bold">This page has failed.</h1>
			<p className="mt-2">
				It is a fault of Fachwerk, not yours. Your draft is kept. What went wrong:{" "}
				{error instanceof Error ? error.message : String(error)}
			</p>
			<button type="button" className="action main mt-4" onClick={() => window.location.assign(at("/"))}>
				Begin again at the frame
			</button>
		</div>
	);
}

import { Link } from "react-router";

export function Lost() {
	return (
		<div className="m-8 max-w-[520px]">
			<h1 className="text-[22px] font-bold">There is no such room.</h1>
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

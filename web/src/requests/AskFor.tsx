import { useState } from "react";
import { useHouse } from "../house/context";
import { acting, may } from "../house/rights";
import { AskBoard, type Wanted } from "./AskBoard";

/** From the sheet of a thing: asks for it, for those who cannot give it to themselves. */
export function AskFor({ wanted }: { wanted: Wanted }) {
	const { me } = useHouse();
	const [asking, setAsking] = useState(false);
	if (!acting(me) || may(me, wanted.kind === "group" ? "design:edit" : "assignment:edit")) return null;
	return (
		<>
			<button type="button" className="action" onClick={() => setAsking(true)}>
				Ask for it …
			</button>
			{asking && <AskBoard wanted={wanted} onClose={() => setAsking(false)} />}
		</>
	);
}

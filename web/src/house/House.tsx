import { useEffect, useState } from "react";
import { Outlet, useLocation, useNavigate, useOutletContext } from "react-router";
import { Refusal, type Schemas } from "../api/client";
import { useMe } from "../api/hooks";
import { Failed } from "../parts/loading";
import { SignIn } from "../signin/SignIn";
import { ContextLine } from "./ContextLine";
import { Keys } from "./Keys";
import { Lintel } from "./Lintel";
import { may, mayDraft } from "./rights";
import { Sill } from "./Sill";

/** What every page of the house is given. */
export type HouseContext = { me: Schemas["Me"]; setAside: (text: string) => void };

export const useHouse = () => useOutletContext<HouseContext>();

/** The house: lintel, context line, a page, and the sill; or the door, for whoever is not signed in. */
export function House() {
	const me = useMe();
	const [aside, setAside] = useState("");
	const location = useLocation();
	const navigate = useNavigate();
	// biome-ignore lint/correctness/useExhaustiveDependencies: what a page said of itself goes with the page
	useEffect(() => setAside(""), [location.pathname]);
	// Whoever may not see the design has no use for the frame: their place is the reviews.
	const elsewhere = me.data && location.pathname === "/" && !may(me.data, "design:view");
	useEffect(() => {
		if (elsewhere) navigate("/reviews", { replace: true });
	}, [elsewhere, navigate]);

	if (me.data) {
		const context: HouseContext = { me: me.data, setAside };
		return (
			<div className="flex h-full flex-col">
				<Lintel me={me.data} />
				<ContextLine aside={aside} me={me.data} />
				<main className="min-h-0 grow">{!elsewhere && <Outlet context={context} />}</main>
				{may(me.data, "design:view") && <Sill me={me.data} drafting={mayDraft(me.data)} />}
				<Keys />
			</div>
		);
	}
	if (me.error instanceof Refusal && me.error.status === 401) return <SignIn />;
	if (me.error) return <Failed error={me.error} retry={() => me.refetch()} />;
	return <div className="h-full bg-plaster" />;
}

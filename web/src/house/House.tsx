import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { Outlet, useLocation, useNavigate } from "react-router";
import { Refusal } from "../api/client";
import { design, useMe } from "../api/hooks";
import { Finder } from "../finder/Finder";
import { Failed } from "../parts/loading";
import { SignIn } from "../signin/SignIn";
import { ContextLine } from "./ContextLine";
import { House as Context } from "./context";
import { Keys } from "./Keys";
import { Lintel } from "./Lintel";
import { useSet } from "./lens";
import { mayDraft, sees } from "./rights";
import { Sill } from "./Sill";
import { Told } from "./Told";
import { useTitle } from "./title";

/** The house: lintel, context line, a page, and the sill; or the door, for whoever is not signed in. */
export function House() {
	const me = useMe();
	const cache = useQueryClient();
	const set = useSet();
	const [aside, setAside] = useState("");
	const [finding, setFinding] = useState(false);
	const page = useRef<HTMLElement>(null);
	const location = useLocation();
	const navigate = useNavigate();
	// biome-ignore lint/correctness/useExhaustiveDependencies: what a page said of itself goes with the page
	useEffect(() => setAside(""), [location.pathname]);
	// Whoever may not see the design and for whom nothing waits comes to their own page. The frame once stood at the door.
	const waits = !!me.data && me.data.waiting + me.data.tasks + me.data.asked > 0;
	const door = location.pathname === "/";
	const framed = door && /[?&](focus|second)=/.test(location.search);
	const elsewhere = me.data && door && (framed || (!sees(me.data) && !waits));
	useEffect(() => {
		if (elsewhere) navigate(`${framed ? "/frame" : "/own"}${location.search}`, { replace: true });
	}, [elsewhere, framed, navigate, location.search]);
	// Who must set up a second factor does that first.
	const lacks = me.data?.lacks && location.pathname !== "/account";
	useEffect(() => {
		if (lacks) navigate("/account", { replace: true });
	}, [lacks, navigate]);
	// When somebody else applies a change, what is on the screen follows.
	const current = me.data?.current;
	useEffect(() => {
		if (current !== undefined) cache.invalidateQueries({ queryKey: design });
	}, [current, cache]);
	useTitle(page, !!me.data);
	const context = useMemo(() => me.data && { me: me.data, setAside }, [me.data]);

	if (me.data && context) {
		const shown = sees(me.data);
		return (
			<Context value={context}>
				<div className="house flex h-full flex-col">
					<button
						type="button"
						className="action sr-only focus:not-sr-only focus:absolute focus:top-1 focus:left-2 focus:z-50"
						onClick={() => page.current?.focus()}
					>
						Skip to the page
					</button>
					<Lintel me={me.data} onFind={shown ? () => setFinding(true) : undefined} />
					{!me.data.lacks && <ContextLine aside={aside} me={me.data} />}
					<main ref={page} tabIndex={-1} className="min-h-0 grow outline-none">
						{!elsewhere && !lacks && <Outlet />}
					</main>
					{shown && !me.data.lacks && (
						<footer className="contents">
							<Sill me={me.data} drafting={mayDraft(me.data) || me.data.delegated.length > 0} />
							<Told />
						</footer>
					)}
					<Keys />
					{shown && <Finder open={finding} onOpen={setFinding} />}
				</div>
			</Context>
		);
	}
	if (me.error instanceof Refusal && me.error.status === 401) return <SignIn />;
	if (me.error) {
		return (
			<>
				<Failed error={me.error} retry={() => me.refetch()} />
				<p className="mx-6">
					<button type="button" className="action" onClick={() => set({ when: null, as: null, where: null })}>
						Return to the present and your own view
					</button>
				</p>
			</>
		);
	}
	return <div data-waiting className="h-full bg-plaster" />;
}

import { useQueryClient } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { NavLink, useNavigate, useSearchParams } from "react-router";
import { api, data, type Schemas } from "../api/client";
import { design } from "../api/hooks";
import { useNotice } from "../parts/notice";
import { may } from "./rights";
import { turnTheme } from "./theme";

/** The beam on top: the name, the places of work in the order of the job, and who is signed in. */
export function Lintel({ me }: { me: Schemas["Me"] }) {
	const [params] = useSearchParams();
	const cache = useQueryClient();
	const navigate = useNavigate();
	const { refuse } = useNotice();
	const where = params.get("where");
	const tail = where ? `?where=${encodeURIComponent(where)}` : "";
	const sees = may(me, "design:view");
	const places = [
		{ to: "/", name: "Frame", shown: sees },
		{ to: "/people", name: "People", shown: sees },
		{ to: "/reviews", name: "Reviews", shown: true, waiting: me.waiting },
		{ to: "/history", name: "History", shown: may(me, "history:view") },
	].filter((p) => p.shown);
	const signOut = async () => {
		try {
			await data(api.DELETE("/api/session"));
			navigate("/");
			await cache.resetQueries({ queryKey: ["me"] }); // first: the pages go, and ask for nothing more
			cache.removeQueries({ queryKey: design });
		} catch (error) {
			refuse(error);
		}
	};
	return (
		<header className="on-timber flex h-[44px] shrink-0 items-stretch bg-timber px-[18px] text-on-timber">
			<NavLink to="/" className="wide mr-8 self-center text-[16px] font-extrabold tracking-[0.14em]">
				FACHWERK
			</NavLink>
			<nav aria-label="Places of work" className="flex items-stretch gap-1">
				{places.map((p) => (
					<NavLink
						key={p.to}
						to={p.to + tail}
						end={p.to === "/"}
						className={({ isActive }) =>
							`flex items-center border-b-[5px] px-3 pt-[5px] ${isActive ? "border-on-timber font-bold text-on-timber" : "border-transparent text-on-timber-quiet hover:text-on-timber"}`
						}
					>
						{p.name}
						{p.waiting ? <span className="ml-2 bg-ochre-line px-1.5 text-[11px] font-bold text-[#1f1813]">{p.waiting} waiting</span> : null}
					</NavLink>
				))}
			</nav>
			<span className="grow" />
			<DropdownMenu.Root>
				<DropdownMenu.Trigger className="px-2 font-semibold">{me.user.name} ▾</DropdownMenu.Trigger>
				<DropdownMenu.Portal>
					<DropdownMenu.Content align="end" className="z-50 w-[220px] border-[3px] border-[var(--beam)] bg-raised text-ink">
						{[
							{ name: "What I can do", run: () => navigate(`/people/${encodeURIComponent(me.user.id)}`) },
							{ name: "Day or night", run: turnTheme },
							{ name: "Sign out", run: signOut },
						].map((item) => (
							<DropdownMenu.Item
								key={item.name}
								onSelect={item.run}
								className="cursor-pointer px-3 py-2 outline-none data-[highlighted]:bg-slate data-[highlighted]:text-on-slate"
							>
								{item.name}
							</DropdownMenu.Item>
						))}
					</DropdownMenu.Content>
				</DropdownMenu.Portal>
			</DropdownMenu.Root>
		</header>
	);
}

import { useQueryClient } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { Link, useLocation, useNavigate } from "react-router";
import { api, data, type Schemas } from "../api/client";
import { design } from "../api/hooks";
import { Menu, MenuItem } from "../parts/Menu";
import { marked, turnMark } from "../parts/mark";
import { useNotice } from "../parts/notice";
import { useTo } from "./lens";
import { placesOf, within } from "./places";
import { turnTheme } from "./theme";

/** The beam on top: the name, the places of work in the order of the job, the finder, and who is signed in. */
export function Lintel({ me, onFind }: { me: Schemas["Me"]; onFind?: () => void }) {
	const cache = useQueryClient();
	const navigate = useNavigate();
	const { pathname } = useLocation();
	const { refuse, tell } = useNotice();
	const to = useTo();
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
			<Link
				to={to("/")}
				className="wide mr-5 self-center text-[16px] max-[500px]:mr-2 max-[500px]:text-[12px] font-extrabold tracking-[0.14em]"
			>
				F<span className="max-[500px]:sr-only">ACHWERK</span>
			</Link>
			<Places me={me} />
			<nav aria-label="Places of work" className="flex items-stretch max-[900px]:hidden">
				{placesOf(me).map((p) => {
					const here = p.rooms.some((r) => within(pathname, r));
					return (
						<Link
							key={p.name}
							to={to(p.rooms[0].to)}
							aria-current={here ? "page" : undefined}
							className={`flex items-center border-b-[5px] px-[8px] pt-[5px] whitespace-nowrap ${here ? "border-on-timber font-bold text-on-timber" : "border-transparent text-on-timber-quiet hover:text-on-timber"}`}
						>
							{p.name}
							{p.waiting ? (
								<span className="ml-2 bg-[#dda64a] px-1.5 text-[11px] font-bold text-[#1f1813]">
									{p.waiting}
									<span className="sr-only"> waiting</span>
								</span>
							) : null}
						</Link>
					);
				})}
			</nav>
			<span className="grow" />
			{onFind && (
				<button
					type="button"
					onClick={onFind}
					className="mr-3 flex w-[150px] min-w-0 items-center max-[500px]:w-auto self-center bg-timber-raised px-3 py-[5px] text-left text-on-timber-quiet hover:text-on-timber"
				>
					<span className="grow truncate">
						Find<span className="max-[900px]:hidden">, ask …</span>
					</span>
					<kbd className="shrink-0 whitespace-nowrap max-[900px]:hidden">Ctrl K</kbd>
				</button>
			)}
			<Menu
				look="max-w-[240px] shrink-0 truncate px-2 font-semibold whitespace-nowrap"
				width="w-[220px]"
				face={
					<>
						<span className="min-[501px]:hidden">You</span>
						<span className="max-[500px]:sr-only"> {me.signedIn.name}</span>
					</>
				}
			>
				{[
					{ name: "Your page", run: () => navigate("/own") },
					{ name: "Your requests", run: () => navigate("/requests") },
					{ name: "Your letters", run: () => navigate("/letters") },
					{ name: "How you sign in", run: () => navigate("/account") },
					...(me.delegated.length > 0
						? [{ name: "What is delegated to me", run: () => navigate("/delegations") }]
						: []),
					{ name: "Day or night", run: turnTheme },
					{
						name: "CSV with or without a mark",
						run: () => {
							turnMark();
							tell(
								marked()
									? "CSV files begin with a byte order mark now, for spreadsheets that misread accents."
									: "CSV files no longer begin with a byte order mark.",
							);
						},
					},
					{ name: "Sign out", run: signOut },
				].map((item) => (
					<MenuItem key={item.name} onSelect={item.run}>
						{item.name}
					</MenuItem>
				))}
			</Menu>
		</header>
	);
}

/** Where there is no room for the places of work side by side: a menu of them, with their rooms. */
function Places({ me }: { me: Schemas["Me"] }) {
	const navigate = useNavigate();
	const to = useTo();
	const { pathname } = useLocation();
	const places = placesOf(me);
	const here = places.find((p) => p.rooms.some((r) => within(pathname, r)));
	const waiting = places.reduce((n, p) => n + (p.waiting ?? 0), 0);
	return (
		<Menu
			align="start"
			look="hidden items-center px-2 font-bold whitespace-nowrap max-[900px]:flex"
			width="w-[240px]"
			face={
				<>
					{here?.name ?? "Places"}
					<span className="sr-only">, places of work</span>
					{waiting > 0 && (
						<span className="ml-2 bg-[#dda64a] px-1.5 text-[11px] font-bold text-[#1f1813]">
							{waiting}
							<span className="sr-only"> waiting</span>
						</span>
					)}
				</>
			}
		>
			{places.map((p) => (
				<DropdownMenu.Group key={p.name}>
					{p.rooms.map((r, n) => (
						<MenuItem
							key={r.to}
							onSelect={() => navigate(to(r.to))}
							look={n === 0 ? "border-t border-hair font-semibold" : "pl-7"}
						>
							{n === 0 ? p.name : r.name}
							{n === 0 && p.waiting ? ` · ${p.waiting} waiting` : ""}
						</MenuItem>
					))}
				</DropdownMenu.Group>
			))}
		</Menu>
	);
}

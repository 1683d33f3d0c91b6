import { QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { createBrowserRouter, Outlet, RouterProvider } from "react-router";
import { AccountPage } from "./account/AccountPage";
import { SecurityLog } from "./account/SecurityLog";
import { Tokens } from "./account/Tokens";
import { under } from "./api/at";
import { queries } from "./api/client";
import { Capabilities } from "./catalogue/Capabilities";
import { UpgradePage } from "./catalogue/UpgradePage";
import { Delegations } from "./delegations/Delegations";
import { DirectoriesPage } from "./directories/DirectoriesPage";
import { FindingsPage } from "./findings/FindingsPage";
import { Frame } from "./frame/Frame";
import { History } from "./history/History";
import { House } from "./house/House";
import { Broken, Lost } from "./house/Lost";
import { keepTheme } from "./house/theme";
import { ImportPage } from "./imports/ImportPage";
import { Invitations } from "./invitations/Invitations";
import { Going } from "./leaving/Going";
import { LeavingPage } from "./leaving/LeavingPage";
import { LettersPage } from "./letters/LettersPage";
import {
	AreasList,
	ConflictsList,
	GroupsList,
	GuaranteesList,
	LicencesList,
	PeopleList,
	PermissionsList,
	RolesList,
	SetsList,
	SystemsList,
} from "./lists/lists";
import { MovingPage } from "./moving/MovingPage";
import { OwnPage } from "./own/OwnPage";
import { Notices } from "./parts/notice";
import { Compare } from "./questions/Compare";
import { Fewer } from "./questions/Fewer";
import { Fit } from "./questions/Fit";
import { WhoCan } from "./questions/WhoCan";
import { RequestsPage } from "./requests/RequestsPage";
import { ReviewPage } from "./reviews/ReviewPage";
import { Reviews } from "./reviews/Reviews";
import { SeriesPage } from "./reviews/SeriesPage";
import { TaskPage } from "./reviews/TaskPage";
import { SeatsPage } from "./seats/SeatsPage";
import { AreaSheet } from "./sheets/area/AreaSheet";
import { ConflictSheet } from "./sheets/conflict/ConflictSheet";
import { GroupSheet } from "./sheets/group/GroupSheet";
import { GuaranteeSheet } from "./sheets/guarantee/GuaranteeSheet";
import { PermissionSheet } from "./sheets/permission/PermissionSheet";
import { PersonSheet } from "./sheets/person/PersonSheet";
import { BundleSheet } from "./sheets/role/BundleSheet";
import { LicenceSheet } from "./sheets/system/LicenceSheet";
import { SystemSheet } from "./sheets/system/SystemSheet";
import { Welcome } from "./signin/Welcome";
import { Today } from "./today/Today";
import { LogPage } from "./worklists/LogPage";
import { WorklistPage } from "./worklists/WorklistPage";
import { Worklists } from "./worklists/Worklists";
import "./styles.css";

keepTheme();

const rooms = [
	{ path: "/welcome/:link", element: <Welcome />, errorElement: <Broken /> },
	{
		element: <House />,
		errorElement: <Broken />,
		children: [
			{ index: true, element: <Today /> },
			{ path: "frame", element: <Frame /> },
			{ path: "systems", element: <SystemsList /> },
			{ path: "systems/:id", element: <SystemSheet /> },
			{ path: "capabilities", element: <Capabilities /> },
			{ path: "upgrade", element: <UpgradePage /> },
			{ path: "permissions", element: <PermissionsList /> },
			{ path: "permissions/:id", element: <PermissionSheet /> },
			{ path: "seats", element: <SeatsPage /> },
			{ path: "licences", element: <LicencesList /> },
			{ path: "licences/:id", element: <LicenceSheet /> },
			{ path: "roles", element: <RolesList /> },
			{ path: "roles/:id", element: <BundleSheet kind="role" /> },
			{ path: "sets", element: <SetsList /> },
			{ path: "sets/:id", element: <BundleSheet kind="set" /> },
			{ path: "fewer", element: <Fewer /> },
			{ path: "conflicts", element: <ConflictsList /> },
			{ path: "conflicts/:id", element: <ConflictSheet /> },
			{ path: "findings", element: <FindingsPage /> },
			{ path: "guarantees", element: <GuaranteesList /> },
			{ path: "guarantees/:id", element: <GuaranteeSheet /> },
			{ path: "groups", element: <GroupsList /> },
			{ path: "groups/:id", element: <GroupSheet /> },
			{ path: "people", element: <PeopleList /> },
			{ path: "people/:id", element: <PersonSheet /> },
			{ path: "people/:id/leaving", element: <LeavingPage /> },
			{ path: "people/:id/moving", element: <MovingPage /> },
			{ path: "going", element: <Going /> },
			{ path: "invitations", element: <Invitations /> },
			{ path: "worklists", element: <Worklists /> },
			{ path: "worklists/log/:id", element: <LogPage /> },
			{ path: "worklists/:id", element: <WorklistPage /> },
			{ path: "import", element: <ImportPage /> },
			{ path: "directories", element: <DirectoriesPage /> },
			{ path: "areas", element: <AreasList /> },
			{ path: "areas/:id", element: <AreaSheet /> },
			{ path: "delegations", element: <Delegations /> },
			{ path: "delegations/:id", element: <Delegations /> },
			{ path: "reviews", element: <Reviews /> },
			{ path: "reviews/:id", element: <ReviewPage /> },
			{ path: "series/:id", element: <SeriesPage /> },
			{ path: "review-tasks/:id", element: <TaskPage /> },
			{ path: "who", element: <WhoCan /> },
			{ path: "compare", element: <Compare /> },
			{ path: "fit", element: <Fit /> },
			{ path: "history", element: <History /> },
			{ path: "security-log", element: <SecurityLog /> },
			{ path: "tokens", element: <Tokens /> },
			{ path: "letters", element: <LettersPage /> },
			{ path: "letters/:id", element: <LettersPage /> },
			{ path: "own", element: <OwnPage /> },
			{ path: "requests", element: <RequestsPage /> },
			{ path: "requests/:id", element: <RequestsPage /> },
			{ path: "account", element: <AccountPage /> },
			{ path: "*", element: <Lost /> },
		],
	},
];

// Notices can lead somewhere, so they stand within the router.
const routes = [
	{
		element: (
			<Notices>
				<Outlet />
			</Notices>
		),
		children: rooms,
	},
];

const router = createBrowserRouter(routes, { basename: under || "/" });

const root = document.getElementById("root");
if (root) {
	createRoot(root).render(
		<StrictMode>
			<QueryClientProvider client={queries}>
				<RouterProvider router={router} />
			</QueryClientProvider>
		</StrictMode>,
	);
}

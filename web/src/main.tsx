import { QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { createBrowserRouter, RouterProvider } from "react-router";
import { queries } from "./api/client";
import { Frame } from "./frame/Frame";
import { History } from "./history/History";
import { House } from "./house/House";
import { Broken, Lost } from "./house/Lost";
import { keepTheme } from "./house/theme";
import { Notices } from "./parts/notice";
import { ReviewPage } from "./reviews/ReviewPage";
import { Reviews } from "./reviews/Reviews";
import { People } from "./sheets/people/People";
import { PersonSheet } from "./sheets/person/PersonSheet";
import { Welcome } from "./signin/Welcome";
import "./styles.css";

keepTheme();

const router = createBrowserRouter([
	{ path: "/welcome/:link", element: <Welcome />, errorElement: <Broken /> },
	{
		element: <House />,
		errorElement: <Broken />,
		children: [
			{ index: true, element: <Frame /> },
			{ path: "people", element: <People /> },
			{ path: "people/:id", element: <PersonSheet /> },
			{ path: "reviews", element: <Reviews /> },
			{ path: "reviews/:id", element: <ReviewPage /> },
			{ path: "history", element: <History /> },
			{ path: "*", element: <Lost /> },
		],
	},
]);

const root = document.getElementById("root");
if (root) {
	createRoot(root).render(
		<StrictMode>
			<QueryClientProvider client={queries}>
				<Notices>
					<RouterProvider router={router} />
				</Notices>
			</QueryClientProvider>
		</StrictMode>,
	);
}

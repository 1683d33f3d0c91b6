import { type RefObject, useEffect } from "react";

/** Names the window after the page that it shows: after the page's own heading, whatever view that is. */
export function useTitle(page: RefObject<HTMLElement | null>, shown: boolean) {
	useEffect(() => {
		const main = page.current;
		if (!shown || !main) return;
		const name = () => {
			const heading = main.querySelector("h1")?.textContent?.trim();
			const title = heading ? `${heading} · Fachwerk` : "Fachwerk";
			if (document.title !== title) document.title = title;
		};
		name();
		const watch = new MutationObserver(name);
		watch.observe(main, { childList: true, subtree: true, characterData: true });
		return () => watch.disconnect();
	}, [page, shown]);
}

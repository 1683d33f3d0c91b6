const key = "fachwerk-theme";

const dark = () => window.matchMedia("(prefers-color-scheme: dark)").matches;

/** Sets the theme that the person chose, or else the one that their system asks for. */
export function keepTheme() {
	const chosen = localStorage.getItem(key);
	document.documentElement.dataset.theme = chosen ?? (dark() ? "night" : "day");
}

/** Turns day into night and back, and remembers it. */
export function turnTheme() {
	const next = document.documentElement.dataset.theme === "night" ? "day" : "night";
	localStorage.setItem(key, next);
	keepTheme();
}

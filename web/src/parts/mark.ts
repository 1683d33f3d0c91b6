const key = "fachwerk-csv-mark";

/** Whether the person’s CSV files begin with a byte order mark, by which spreadsheets take them for UTF-8. */
export const marked = () => localStorage.getItem(key) !== null;

/** Has them begin with one, or no longer, and remembers it. */
export function turnMark() {
	if (marked()) localStorage.removeItem(key);
	else localStorage.setItem(key, "yes");
}

const told = document.querySelector<HTMLMetaElement>('meta[name="fachwerk-path"]')?.content ?? "";

/** The path of its host under which Fachwerk is served, without a slash at the end; empty at the root. */
export const under = told.replace(/\/$/, "");

/** Gives the address of something that the server has at a path of its own. */
export const at = (path: string) => under + path;

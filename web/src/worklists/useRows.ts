import { useDeferredValue, useState } from "react";
import type { Ask } from "../api/ask";
import { design } from "../api/hooks";
import { usePages } from "../parts/pages";
import type { Result } from "./hooks";

const size = 100;

/** Which rows are asked for. */
type Query = { result?: Result; q?: string; offset: number; limit: number };

/** The rows of a worklist or of its log, in pages, with the result and the words that they are narrowed by. */
export function useRows<P extends { rows: unknown[]; match: number }>(
	key: string[],
	get: (ask: Ask, query: Query) => Promise<P>,
) {
	const [result, setResult] = useState<Result>();
	const [words, onWords] = useState("");
	const [at, onAt] = useState(0);
	const q = useDeferredValue(words.trim()) || undefined;
	const { first, error, retry, rowAt, need } = usePages(
		(page) => ({
			queryKey: [...design, ...key, result, q, page],
			queryFn: (ask: Ask) => get(ask, { result, q, offset: page * size, limit: size }),
		}),
		size,
	);
	const match = first?.match ?? 0;
	return {
		/** The first page, with all that is not rows; undefined until it has come. */
		first,
		error,
		retry,
		/** What the view of the rows is given. */
		rows: {
			match,
			rowAt,
			need,
			at: Math.min(at, Math.max(0, match - 1)),
			onAt,
			result,
			onResult: (r: Result | undefined) => {
				setResult(r);
				onAt(0);
			},
			words,
			onWords,
		},
	};
}

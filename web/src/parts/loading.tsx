import type { ReactNode } from "react";
import { Refusal } from "../api/client";

/** Shows what a query gives, or that it is on its way, or why it failed and what to do. */
export function Loaded<T>({
	query,
	children,
}: {
	query: { data: T | undefined; error: Error | null; refetch: () => unknown };
	children: (value: T) => ReactNode;
}) {
	if (query.data !== undefined) return <>{children(query.data)}</>;
	if (query.error) return <Failed error={query.error} retry={() => query.refetch()} />;
	return <Waiting />;
}

/** What stands where something has not come yet. */
export function Waiting() {
	return (
		<p role="status" data-waiting className="p-6 text-quiet">
			One moment …
		</p>
	);
}

export function Failed({ error, retry }: { error: Error; retry: () => void }) {
	const forbidden = error instanceof Refusal && (error.status === 403 || error.status === 404);
	return (
		<div role="alert" className="m-6 max-w-[560px] border-l-8 border-ox bg-raised p-4">
			<p className="text-[15px] font-bold">
				{error instanceof Refusal && error.status === 403 ? "You may not see this." : "This cannot be shown."}
			</p>
			<p className="mt-1">{error.message}</p>
			{!forbidden && (
				<button type="button" className="action mt-3" onClick={retry}>
					Try again
				</button>
			)}
		</div>
	);
}

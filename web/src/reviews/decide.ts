import { useMutation } from "@tanstack/react-query";
import { api, data, type Schemas } from "../api/client";
import { useRefresh } from "../api/hooks";
import { useNotice } from "../parts/notice";

export type Decision = Schemas["DecideInputBody"]["decision"];

/** The words and colours of decisions. */
export const marks: Record<string, { text: string; look: string }> = {
	keep: { text: "✓ kept", look: "text-moss" },
	revoke: { text: "✕ revoked", look: "text-ox" },
	"": { text: "undecided", look: "text-quiet" },
};

/** Decides items, and shows what came of it. */
export function useDecide() {
	const refresh = useRefresh();
	const { refuse } = useNotice();
	return useMutation({
		mutationFn: (body: Schemas["DecideInputBody"]) => data(api.POST("/api/review-items/decisions", { body })),
		onSuccess: refresh,
		onError: refuse,
	});
}

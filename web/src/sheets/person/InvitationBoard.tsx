import { useMutation } from "@tanstack/react-query";
import { api, data, type Schemas } from "../../api/client";
import { Board } from "../../parts/dialog";
import { useNotice } from "../../parts/notice";
import { day } from "../../parts/words";

/** Makes the link by which somebody who is invited comes in. */
export function InvitationBoard({ user, onClose }: { user: Schemas["Ref"]; onClose: () => void }) {
	const { refuse } = useNotice();
	const make = useMutation({
		mutationFn: () => data(api.POST("/api/people/{id}/invitation", { params: { path: { id: user.id } } })),
		onError: refuse,
	});
	const made = make.data;
	const link = made?.link && new URL(made.link, window.location.origin).href;
	return (
		<Board
			open
			onClose={onClose}
			title={`Invitation of ${user.name}`}
			about="The link works once, and cancels earlier ones. Whoever follows it sets a password, and is then active. If mail is set up, it is sent by letter; otherwise you hand it over, and the security log records that you saw it."
		>
			{made && link ? (
				<>
					<label className="block">
						<span className="text-[12px] text-quiet">Link, until {day(made.until)}</span>
						<input
							className="field font-mono text-[12px]"
							readOnly
							value={link}
							onFocus={(e) => e.currentTarget.select()}
						/>
					</label>
					<p className="mt-2 text-quiet">
						{made.to
							? `No letters are sent here: hand the link over, to ${made.to} for instance.`
							: `${user.name} has no address: hand the link over yourself.`}
					</p>
				</>
			) : made ? (
				<p role="status" className="font-semibold text-moss">
					✓ A letter to {made.to} is on its way, with a link that is good until {day(made.until)}.
				</p>
			) : (
				<button type="button" className="action main" disabled={make.isPending} onClick={() => make.mutate()}>
					Invite once more
				</button>
			)}
			<div className="mt-4 flex justify-end">
				<button type="button" className="action" onClick={onClose}>
					Close
				</button>
			</div>
		</Board>
	);
}

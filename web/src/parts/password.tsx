import { useId } from "react";

/** A password, shown as dots. `new` ones are offered to the browser's keeper of passwords, present ones are asked of it. */
export function PasswordField({
	label,
	value,
	onChange,
	fresh,
	shortest,
	autoFocus,
}: {
	label: string;
	value: string;
	onChange: (value: string) => void;
	fresh?: boolean;
	shortest?: number;
	autoFocus?: boolean;
}) {
	const id = useId();
	return (
		<div className="mb-3">
			<label htmlFor={id} className="text-[12px] text-quiet">
				{label}
			</label>
			<input
				id={id}
				type="password"
				className="field text-[15px]"
				autoComplete={fresh ? "new-password" : "current-password"}
				minLength={shortest}
				required
				value={value}
				// biome-ignore lint/a11y/noAutofocus: where it is the one thing asked
				autoFocus={autoFocus}
				onChange={(e) => onChange(e.target.value)}
			/>
		</div>
	);
}

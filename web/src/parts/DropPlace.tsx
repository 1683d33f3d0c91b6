import { type ReactNode, useRef, useState } from "react";

/** A place that takes a file: dropped onto it, or chosen by what is in it. */
export function DropPlace({
	label,
	accept,
	onFile,
	className,
	children,
}: {
	/** What the file is called by who cannot see the place. */
	label: string;
	/** The endings of files, as HTML has them. */
	accept: string;
	onFile: (file: File) => void;
	/** How the place looks, while something is held over it too. */
	className: (over: boolean) => string;
	/** What stands in it; it is given what opens the browser's own choice of files. */
	children: (choose: () => void) => ReactNode;
}) {
	const input = useRef<HTMLInputElement>(null);
	const [over, setOver] = useState(false);
	return (
		// biome-ignore lint/a11y/noStaticElementInteractions: what is dropped here can be chosen by the button too
		<div
			className={className(over)}
			onDragOver={(e) => {
				e.preventDefault();
				setOver(true);
			}}
			onDragLeave={() => setOver(false)}
			onDrop={(e) => {
				e.preventDefault();
				setOver(false);
				if (e.dataTransfer.files[0]) onFile(e.dataTransfer.files[0]);
			}}
		>
			{children(() => input.current?.click())}
			<input
				ref={input}
				type="file"
				aria-label={label}
				accept={accept}
				tabIndex={-1}
				className="sr-only"
				onChange={(e) => {
					if (e.target.files?.[0]) onFile(e.target.files[0]);
					e.target.value = ""; // the same file can be chosen again
				}}
			/>
		</div>
	);
}

import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { useSearchParams } from "react-router";
import { type Ask, useAsk } from "../api/ask";
import { api, data, type Schemas } from "../api/client";
import { design, listQuery, useDrafting } from "../api/hooks";
import { useHouse } from "../house/context";
import { useSet } from "../house/lens";
import { acting } from "../house/rights";
import { Downloads } from "../parts/Downloads";
import { DropPlace } from "../parts/DropPlace";
import { useNotice } from "../parts/notice";
import { PickOne } from "../parts/Picker";
import { Scroll } from "../parts/Scroll";
import { Rooms } from "../parts/tabs";
import { count, day, Named, Risk } from "../parts/words";

type File = Schemas["UpgradeFile"];
type Upgrade = Schemas["Upgrade"];

/** A new version of a system's catalogue: what it changes in permissions, supplied sets and what rests on them, before it is taken over. */
export function UpgradePage() {
	const [params] = useSearchParams();
	const { refuse, tell } = useNotice();
	const { setAside } = useHouse();
	const [system, setSystem] = useState<Schemas["Ref"]>();
	const [version, setVersion] = useState("");
	const [file, setFile] = useState<{ name: string; data: string }>();
	const set = useSet();
	const kept = file ? undefined : (params.get("kept") ?? undefined);
	const asked = system?.id ?? params.get("system") ?? undefined;
	const sent = useMemo<File | undefined>(
		() => (kept ? { kept } : file && { ...file, system: asked, version: version.trim() || undefined }),
		[file, kept, asked, version],
	);
	const away = () => {
		setFile(undefined);
		set({ kept: null });
	};
	const look = useMutation({ mutationFn: (f: File) => data(api.POST("/api/upgrades", { body: f })) });
	const draft = useDrafting((f: File) => data(api.POST("/api/draft/upgrade", { body: f })));
	const later = useLater();
	const { mutate } = look;
	useEffect(() => {
		if (sent) mutate(sent);
	}, [sent, mutate]);
	const u = sent && !look.error ? look.data : undefined;
	useEffect(() => {
		if (u) setAside(u.new ? `${u.system.name} is new here` : `${u.system.name}: ${u.from || "…"} → ${u.to || "…"}`);
		return () => setAside("");
	}, [setAside, u]);
	const take = async (chosen: globalThis.File) => {
		try {
			setFile({ name: chosen.name, data: await inBase64(chosen) });
		} catch (error) {
			refuse(error);
		}
	};
	return (
		<div className="flex h-full flex-col px-[18px] pt-3">
			<div className="flex items-baseline gap-4">
				<Rooms />
			</div>
			<div className={sent ? "" : "grid min-h-0 grow grid-cols-[minmax(0,1fr)_380px] gap-[18px] pt-3 pb-[18px]"}>
				<DropPlace
					label="Catalogue to import"
					accept=".json,.csv,.tsv,.txt,.xlsx"
					onFile={take}
					className={(over) =>
						sent
							? `mt-2 mb-3 flex flex-wrap items-end gap-4 ${over ? "bg-sunk" : ""}`
							: `flex flex-col items-center justify-center border-[3px] ${over ? "border-slate bg-raised" : "border-dashed border-[var(--beam)]"}`
					}
				>
					{(choose) =>
						sent ? (
							<>
								<button type="button" className="action" onClick={choose}>
									Another file …
								</button>
								{kept && <span className="pb-[5px] font-semibold">The version that is kept</span>}
								{file && <span className="pb-[5px] font-semibold">{file.name}</span>}
								{file && (
									<span className="flex items-center gap-2 text-[12px] text-quiet">
										of
										<span className="w-[200px]">
											<PickOne
												kinds={["system"]}
												label="System"
												placeholder="the system in the file"
												value={system}
												onChange={setSystem}
											/>
										</span>
									</span>
								)}
								{file && (
									<label className="flex items-center gap-2 text-[12px] text-quiet">
										version
										<input
											className="field max-w-[90px]"
											value={version}
											placeholder={u?.to}
											onChange={(e) => setVersion(e.target.value)}
										/>
									</label>
								)}
								<span className="grow" />
								<button type="button" className="link pb-[5px]" onClick={away}>
									Put it away
								</button>
								{file && u && (
									<button
										type="button"
										className="action"
										disabled={!u.changes || later.keep.isPending || look.isPending}
										onClick={() =>
											later.keep.mutate(sent, {
												onError: refuse,
												onSuccess: () => {
													tell(`${u.system.name} ${u.to} waits here until it is adopted or discarded.`);
													away();
												},
											})
										}
									>
										Keep for later
									</button>
								)}
								{sent && u && (
									<button
										type="button"
										className="action main"
										disabled={!u.changes || u.faults.length > 0 || draft.isPending || look.isPending}
										onClick={() =>
											draft.mutate(sent, {
												onError: refuse,
												onSuccess: () => {
													tell(
														`${u.system.name} ${u.to} is in your draft. Open it below to see who gains and loses what, then apply.`,
													);
													away();
												},
											})
										}
									>
										Put into the draft
									</button>
								)}
							</>
						) : (
							<>
								<p className="text-[18px] font-bold">Drop a catalogue here</p>
								<p className="mt-1 mb-4 text-quiet">
									A new system, or the next version of one, as its supplier gives it out
								</p>
								<button type="button" className="action main" onClick={choose}>
									Choose a catalogue …
								</button>
								<p className="mt-5 max-w-[460px] text-center text-quiet">
									First you see what it changes in permissions, sets, roles and people. It is then adopted as a whole,
									as one change in your draft.
								</p>
							</>
						)
					}
				</DropPlace>
				{!sent && <Opening />}
			</div>
			{sent && look.error && (
				<div role="alert" className="max-w-[760px] border-l-8 border-ox bg-raised px-4 py-3">
					<p className="font-bold">{look.error.message}</p>
					<p className="mt-1">
						Nothing was changed.{" "}
						{file && "Correct it in the file and choose it again, or say above which system and version it is for."}
					</p>
				</div>
			)}
			{sent && !u && !look.error && (
				<p role="status" data-waiting className="py-4 text-quiet">
					Comparing it with what is here …
				</p>
			)}
			{u && <Shown upgrade={u} />}
		</div>
	);
}

/** A file's bytes as the API takes them. */
const inBase64 = (file: globalThis.File) =>
	new Promise<string>((done, failed) => {
		const reader = new FileReader();
		reader.onload = () => done(String(reader.result).replace(/^[^,]*,/, ""));
		reader.onerror = () => failed(new Error(`${file.name} cannot be read: choose it again.`));
		reader.readAsDataURL(file);
	});

/** Keeps versions for later, and discards them; what is found is found anew. */
function useLater() {
	const cache = useQueryClient();
	const onSuccess = () => cache.invalidateQueries({ queryKey: design });
	return {
		keep: useMutation({ mutationFn: (f: File) => data(api.POST("/api/upgrades/keep", { body: f })), onSuccess }),
		drop: useMutation({
			mutationFn: (id: string) => data(api.DELETE("/api/upgrades/{id}", { params: { path: { id } } })),
			onSuccess,
		}),
	};
}

/** The versions that were brought in and wait to be adopted. */
function Waiting() {
	const set = useSet(false);
	const { me } = useHouse();
	const { refuse, tell } = useNotice();
	const { drop } = useLater();
	const kept = useAsk({
		queryKey: [...design, "kept-upgrades"],
		queryFn: (ask: Ask) => data(ask.GET("/api/upgrades")),
	});
	if (!kept.data?.length) return null;
	return (
		<section aria-label="Waiting to be adopted">
			<h2 className="border-b-2 border-[var(--beam)] pb-1 text-[14px] font-bold">Waiting to be adopted</h2>
			<ul className="mb-3">
				{kept.data.map((k) => (
					<li key={k.system.id} className="border-b border-hair py-[6px]">
						<p className="flex items-baseline gap-3">
							<button
								type="button"
								className="link min-w-0 grow truncate text-left"
								onClick={() => set({ kept: k.system.id })}
							>
								{k.system.name} {k.to}
							</button>
							{acting(me) && (
								<button
									type="button"
									className="link shrink-0"
									aria-label={`Discard ${k.system.name} ${k.to}`}
									disabled={drop.isPending}
									onClick={() =>
										drop.mutate(k.system.id, {
											onError: refuse,
											onSuccess: () => tell(`${k.system.name} ${k.to} is discarded. Nothing else changed.`),
										})
									}
								>
									Discard
								</button>
							)}
						</p>
						<p className="text-[12px] text-quiet">
							{k.from ? `${k.from} is here; ` : "the system is new; "}
							brought in by {k.by?.name ?? "an operator"} on {day(k.at)}
						</p>
					</li>
				))}
			</ul>
		</section>
	);
}

/** What a catalogue looks like, and which are here. */
function Opening() {
	const systems = useAsk(listQuery("system", { columns: ["version", "permissions", "sets"], limit: 100 }));
	return (
		<div className="min-h-0 overflow-auto">
			<Waiting />
			<section aria-label="What it looks like">
				<h2 className="border-b-2 border-[var(--beam)] pb-1 text-[14px] font-bold">What it looks like</h2>
				<p className="border-b border-hair py-[10px]">
					<b>JSON</b>, with the <span className="font-mono text-[12px]">system</span> and its{" "}
					<span className="font-mono text-[12px]">sets</span> as the model file has them, and renamed permissions as{" "}
					<span className="font-mono text-[12px]">renames</span>.
				</p>
				<p className="pt-[10px]">
					<b>A table</b> (CSV or a workbook) with a row for each permission:{" "}
					<span className="font-mono text-[12px]">
						key, label, description, module, class, risk, span, implies, licence, sets, was
					</span>
					. <span className="text-quiet">Whatever it has no column for stays as it is.</span>
				</p>
				<p className="mt-1 flex gap-3 pb-[10px] text-[12px]">
					<span className="text-quiet">A file to fill in:</span>
					<Downloads path="/api/import-templates/catalogue" query={{}} />
				</p>
			</section>
			<section aria-label="Here already">
				<h2 className="mt-3 border-b-2 border-[var(--beam)] pb-1 text-[14px] font-bold">Here already</h2>
				{systems.data?.total === 0 && <p className="py-2 text-quiet">No system has been imported yet.</p>}
				<ul>
					{systems.data?.rows.map((r) => (
						<li key={r.id} className="flex items-baseline gap-3 border-b border-hair py-[5px]">
							<span className="min-w-0 grow truncate">
								<Named of={{ kind: "system", id: r.id, name: r.name }} /> {r.cells[0].text}
							</span>
							<span className="shrink-0 text-[12px] text-quiet">
								{r.cells[1].text} permissions · {r.cells[2].text} supplied sets
							</span>
						</li>
					))}
				</ul>
			</section>
		</div>
	);
}

const arrow = <span aria-hidden="true"> → </span>;

function Shown({ upgrade: u }: { upgrade: Upgrade }) {
	const nothing = !u.changes;
	return (
		<div className="flex min-h-0 grow flex-col" data-upgrade={u.system.id}>
			<h2 className="border-b-[3px] border-[var(--beam)] pb-1 text-[18px] font-bold">
				{u.system.name}{" "}
				<span className="font-normal text-quiet">
					{u.new ? `${u.to}, new here` : `${u.from || "no version"} → ${u.to || "no version"}`}
				</span>
			</h2>
			{[...u.faults, ...u.doubts, ...u.misled.map((m) => `A renamed key is not there: ${m}.`)].map((text) => (
				<p key={text} role="alert" className="mt-1 border-l-8 border-ox bg-raised px-3 py-1">
					{text}
				</p>
			))}
			{nothing ? (
				<p className="py-4 text-quiet">Everything in the file is here already.</p>
			) : (
				<div className="grid min-h-0 grow grid-cols-4">
					<Column title="Permissions">
						<Permissions mark="✕" tone="text-ox" one="goes away" many="go away" list={u.goes} />
						<Permissions mark="↷" tone="text-ochre" one="is renamed" many="are renamed" list={u.renamed} />
						<Permissions mark="≠" tone="text-ochre" one="changes" many="change" list={u.alters} />
						<Permissions mark="+" tone="text-moss" one="is new" many="are new" list={u.comes} />
					</Column>
					<Column title="Supplied sets">
						{u.sets.length === 0 && <p className="py-2 text-quiet">No supplied set changes.</p>}
						{u.sets.map((s) => (
							<div key={s.ref.id} className="border-b border-hair py-[6px]" data-set={s.ref.id}>
								<p className="flex items-baseline gap-2">
									<span className="min-w-0 grow truncate">
										{s.what === "added" ? <b>{s.ref.name}</b> : <Named of={s.ref} />}
									</span>
									<span className={s.what === "added" ? "text-moss" : s.what === "deleted" ? "text-ox" : "text-ochre"}>
										{s.what === "added" ? "+ new" : s.what === "deleted" ? "✕ goes away" : "≠ changes"}
									</span>
								</p>
								{s.holders > 0 && (
									<p className="text-[12px] text-quiet">{count(s.holders, "person has", "people have")} it</p>
								)}
								<Keys mark="+" tone="text-moss" keys={s.added} />
								<Keys mark="−" tone="text-ox" keys={s.removed} />
							</div>
						))}
					</Column>
					<Column title="Resting on it">
						{u.resting.length === 0 && (
							<p className="py-2 text-quiet">No set, role or conflict of your own is affected.</p>
						)}
						{u.resting.map((r) => (
							<div key={`${r.ref.kind} ${r.ref.id}`} className="border-b border-hair py-[6px]" data-resting={r.ref.id}>
								<p className="flex items-baseline gap-2">
									<span className="min-w-0 grow truncate">
										<Named of={r.ref} />
									</span>
									<span className="narrow text-[12px] text-quiet">{r.ref.kind === "set" ? "own set" : r.ref.kind}</span>
								</p>
								{r.dangling.length > 0 && <p className="text-[12px] text-ox">names what goes away:</p>}
								<Keys mark="✕" tone="text-ox" keys={r.dangling} />
								{r.renamed.length > 0 && <p className="text-[12px] text-ochre">follows the new names of:</p>}
								<Keys mark="↷" tone="text-ochre" keys={r.renamed} />
								{r.original && (
									<p className="text-[12px] text-quiet">
										a copy of <Named of={r.original} />, which drifts from it:
									</p>
								)}
								<Keys mark="lacks" tone="text-ox" keys={r.lacks} />
								<Keys mark="keeps" tone="text-moss" keys={r.keeps} />
							</div>
						))}
					</Column>
					<Column title="Effect">
						<p className="py-[6px]" data-effect>
							<b className="text-[18px]">{u.gaining.toLocaleString("en-GB")}</b>{" "}
							{u.gaining === 1 ? "person gains" : "people gain"},{" "}
							<b className="text-[18px]">{u.losing.toLocaleString("en-GB")}</b> {u.losing === 1 ? "loses" : "lose"}{" "}
							something.
						</p>
						{u.renamed.length > 0 && (
							<p className="text-[12px] text-quiet">
								People who hold a renamed permission lose the old key and gain the new one.
							</p>
						)}
						{u.touches.map((d) => (
							<p key={d.id} className="text-[12px]">
								The delegation <Named of={d} /> is over something that changes.
							</p>
						))}
						<h4 className="mt-2 border-b border-[var(--beam)] text-[12px] text-quiet">
							{count(u.roles.length, "role gives", "roles give")} something else
						</h4>
						{u.roles.map((r) => (
							<div key={r.ref.id} className="border-b border-hair py-[6px]" data-role={r.ref.id}>
								<p className="truncate">
									<Named of={r.ref} />
								</p>
								<Keys mark="+" tone="text-moss" keys={r.gains} />
								<Keys mark="−" tone="text-ox" keys={r.losses} />
							</div>
						))}
					</Column>
				</div>
			)}
		</div>
	);
}

function Column({ title, children }: { title: string; children: React.ReactNode }) {
	return (
		<section
			aria-label={title}
			className="flex min-h-0 flex-col border-r-[3px] border-[var(--beam)] px-[14px] first:pl-0 last:border-r-0 last:pr-0"
		>
			<h3 className="py-1 text-[14px] font-bold">{title}</h3>
			<Scroll className="min-h-0 grow">{children}</Scroll>
		</section>
	);
}

function Permissions({
	mark,
	tone,
	one,
	many,
	list,
}: {
	mark: string;
	tone: string;
	one: string;
	many: string;
	list: Schemas["UpgradePermission"][];
}) {
	if (list.length === 0) return null;
	return (
		<section aria-label={`Permissions that ${many}`} className="mb-2">
			<h4 className={`border-b border-[var(--beam)] text-[12px] ${tone}`}>
				{mark} {list.length} {list.length === 1 ? one : many}
			</h4>
			<ul>
				{list.map((p) => (
					<li key={p.key} className="border-b border-hair py-1">
						<p className="flex items-baseline gap-2">
							<span className="min-w-0 grow truncate font-mono text-[12px]" title={p.label}>
								{p.was && (
									<>
										<s>{p.was.slice(p.was.indexOf(":") + 1)}</s>
										{arrow}
									</>
								)}
								{p.key.slice(p.key.indexOf(":") + 1)}
							</span>
							<Risk level={p.risk} />
							{p.holders > 0 && (
								<span className="narrow shrink-0 text-[12px] text-quiet">{count(p.holders, "person", "people")}</span>
							)}
						</p>
						{p.fields.map((f) => (
							<p key={f.field} className="text-[12px] text-quiet">
								{f.field}: {f.before || "—"}
								{arrow}
								<b className="text-ink">{f.after || "—"}</b>
							</p>
						))}
					</li>
				))}
			</ul>
		</section>
	);
}

function Keys({ mark, tone, keys }: { mark: string; tone: string; keys: string[] }) {
	return keys.map((k) => (
		<p key={k} className="truncate font-mono text-[12px]">
			<span className={tone}>{mark}</span> {k.slice(k.indexOf(":") + 1)}
		</p>
	));
}

// Files to import: what each is taken for is shown, and can be changed, before anything is kept.
import { FileUp, X } from "lucide-react";
import { useRef } from "react";
import { useProgress } from "../../api/progress";
import { useChoices, useRecipe } from "../../api/queries";
import type { Role } from "../../api/types";
import { Button, bytes, IconButton, Section, Segment } from "../../ui/parts";
import { Bar } from "../../ui/progress";
import { Select } from "../../ui/select";
import { type Beside, type Pending, useTray } from "./tray";

export const ROLES: readonly (readonly [Role, string])[] = [
  ["low", "Low"],
  ["high", "Sculpt"],
  ["cage", "Cage"],
];

export function BringIn() {
  const picker = useRef<HTMLInputElement>(null);
  const [recipe] = useRecipe();
  const choices = useChoices().data;
  const { pending, beside, told, offer, sendAll, read } = useTray();
  const waiting = pending.filter((p) => p.share === null);
  const known = waiting.filter((p) => p.role !== null).length;
  const words = (side: string[] | undefined) => side?.[0] ?? "";
  return (
    <Section>
      <Button
        look={waiting.length > 0 ? "plain" : "strong"}
        className="w-full"
        onClick={() => picker.current?.click()}
      >
        <FileUp className="size-3.5" /> Choose files
      </Button>
      <input
        ref={picker}
        type="file"
        multiple
        accept={[...(choices?.meshes ?? []), ...(choices?.beside ?? [])].map((e) => `.${e}`).join(",")}
        className="sr-only"
        aria-label="Mesh files"
        tabIndex={-1}
        onChange={(e) => {
          offer([...(e.target.files ?? [])]);
          e.target.value = "";
        }}
      />
      {pending.length === 0 && beside.length === 0 && (
        <p className="mt-1.5 text-xs text-ink-3">
          OBJ, PLY, GLB, glTF, FBX, STL, up to 4 GiB each, with the .mtl, .bin and textures they name. Names
          ending in {words(recipe?.endings.low)}, {words(recipe?.endings.high)} or{" "}
          {words(recipe?.endings.cage)} say what they are; other suffixes are set at Pairs.
        </p>
      )}
      {pending.length > 0 && (
        <ul className="mt-2 flex flex-col gap-2" aria-label="Files to import">
          {pending.map((p) => (
            <PendingRow key={p.key} pending={p} />
          ))}
        </ul>
      )}
      {beside.length > 0 && (
        <div className="mt-2 rounded border border-line p-2">
          <p className="mb-1 text-ink-3">Imported with the OBJ or glTF that refers to them.</p>
          <ul className="flex flex-col gap-1" aria-label="Files beside the meshes">
            {beside.map((b) => (
              <BesideRow key={b.key} beside={b} />
            ))}
          </ul>
        </div>
      )}
      {waiting.length > 0 && (
        <Button look="strong" className="mt-2 w-full" disabled={known === 0} onClick={sendAll}>
          {known === 0 ? "Choose what each file is" : `Import ${known} ${known === 1 ? "file" : "files"}`}
        </Button>
      )}
      {told.length > 0 && (
        <div role="status" className="mt-2 rounded border border-ochre p-2">
          <div className="flex items-center justify-between gap-2">
            <b>Import notes</b>
            <IconButton aria-label="Dismiss" onClick={read}>
              <X className="size-3.5" />
            </IconButton>
          </div>
          <ul className="mt-1 list-disc pl-4 text-ink-2">
            {told.map((line) => (
              <li key={line}>{line}</li>
            ))}
          </ul>
        </div>
      )}
    </Section>
  );
}

/** A file's name and size, and the way to be rid of it. */
function FileHead({ file, drop, onDrop }: { file: File; drop: string; onDrop: () => void }) {
  return (
    <span className="flex items-center gap-2">
      <span className="min-w-0 grow truncate" title={file.name}>
        {file.name}
      </span>
      <span className="num shrink-0 font-normal text-ink-3">{bytes(file.size)}</span>
      <IconButton aria-label={`${drop} ${file.name}`} onClick={onDrop}>
        <X className="size-3.5" />
      </IconButton>
    </span>
  );
}

/** A file that comes in with the mesh that names it. */
function BesideRow({ beside }: { beside: Beside }) {
  const { dropBeside } = useTray();
  const { file, unnamed } = beside;
  return (
    <li>
      <FileHead file={file} drop="Leave out" onDrop={() => dropBeside(beside.key)} />
      {unnamed && <p className="text-ink-2">No imported mesh refers to it. It stays here until one does.</p>}
    </li>
  );
}

function PendingRow({ pending }: { pending: Pending }) {
  const { amend, drop } = useTray();
  const { key, file, share, failed, role } = pending;
  return (
    <li className="rounded border border-line p-2">
      <b>
        <FileHead file={file} drop="Stop" onDrop={() => drop(key)} />
      </b>
      {failed && (
        <p role="alert" className="mt-1 text-madder">
          {failed}
        </p>
      )}
      {share === null ? (
        <div className="mt-1.5">
          {role === null && <p className="mb-1 text-ink-2">What is it?</p>}
          <Segment
            label={`Use ${file.name} as`}
            wide
            options={ROLES}
            value={role ?? ("" as Role)}
            onChange={(r) => amend(key, { role: r, replaces: null })}
          />
          <PlaceRow pending={pending} />
        </div>
      ) : (
        <Going pending={pending} share={share} />
      )}
    </li>
  );
}

/** Stands for no file: no file has such a name. */
const ADDS = "/";

/** Whether it is added to the files there are, or replaces one. */
function PlaceRow({ pending }: { pending: Pending }) {
  const [recipe] = useRecipe();
  const { amend } = useTray();
  const { key, file, role, replaces } = pending;
  const there = role === "low" || role === "high" ? (recipe?.[role] ?? []).filter((s) => !s.plane) : [];
  if (there.length === 0) return null;
  return (
    <Select
      label={`Place of ${file.name}`}
      value={replaces ?? ADDS}
      options={[
        ...(there.some((s) => s.file === file.name) ? [] : [[ADDS, "Add to the others"] as const]),
        ...there.map((s) => [s.file, `Replace ${s.file}`] as const),
      ]}
      onChange={(v) => amend(key, { replaces: v === ADDS ? null : v })}
      className="mt-1.5 w-full bg-sunk"
    />
  );
}

function Going({ pending, share }: { pending: Pending; share: number }) {
  const stage = useProgress((s) => s.intake[pending.file.name]);
  return (
    <div className="mt-1.5">
      <Bar label={`Import of ${pending.file.name}`} share={share < 1 ? share : null} />
      <p className="mt-1 text-ink-3">
        {share < 1 ? `sending, ${Math.round(share * 100)} %` : (stage ?? "reading")}
      </p>
    </div>
  );
}

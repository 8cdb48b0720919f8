// Meshes: bring in low-poly, sculpt and cage; see what came in and what is wrong with it.
import { Eye, EyeOff, FileUp, X } from "lucide-react";
import { useRef } from "react";
import { useAsset, useRecipe } from "../api/queries";
import type { MeshView, Plane, Role } from "../api/types";
import { meshFindings } from "../shell/trail";
import { useStore } from "../state";
import { Badge, Button, bytes, count, FindingCard, Row, Section, Segment, StopHead } from "../ui/parts";
import { Choice } from "./map-settings";
import { type Pending, useTray } from "./tray";

const ROLES: readonly (readonly [Role, string])[] = [
  ["low", "Low"],
  ["high", "Sculpt"],
  ["cage", "Cage"],
];
const ROLE_TITLES: Record<Role, string> = { low: "Low-poly", high: "Sculpt (high-poly)", cage: "Cage" };
const ROLE_HINTS: Record<Role, string> = {
  low: "The mesh that gets the maps. It needs UVs.",
  high: "What the maps are taken from. Any number of files.",
  cage: "Optional: a copy of the low-poly with its points moved outward.",
};

export function MeshesStop() {
  const asset = useAsset().data;
  const [recipe, edit] = useRecipe();
  const picker = useRef<HTMLInputElement>(null);
  const { pending, offer } = useTray();
  const findings = asset ? meshFindings(asset) : [];
  const rename = (name: string) =>
    name.trim() !== "" && edit((r) => ({ ...r, asset: name.trim().slice(0, 80) }));
  return (
    <>
      <StopHead title="Meshes">
        Bring in the low-poly and the sculpt. Drop files anywhere, or pick them.
      </StopHead>
      <Section>
        <Button look="strong" className="w-full" onClick={() => picker.current?.click()}>
          <FileUp className="size-3.5" /> Bring in files
        </Button>
        <input
          ref={picker}
          type="file"
          multiple
          accept=".obj,.ply,.glb,.gltf,.stl"
          className="sr-only"
          aria-label="Mesh files"
          tabIndex={-1}
          onChange={(e) => {
            offer([...(e.target.files ?? [])]);
            e.target.value = "";
          }}
        />
        <p className="mt-1.5 text-xs text-ink-3">
          OBJ, PLY, GLB, glTF, STL, up to 4 GiB each. Names ending in _low, _high or _cage are sorted by
          themselves.
        </p>
        {pending.length > 0 && (
          <ul className="mt-2 flex flex-col gap-2" aria-label="Files on their way in">
            {pending.map((p) => (
              <PendingRow key={p.key} pending={p} />
            ))}
          </ul>
        )}
      </Section>
      {recipe && (
        <Section>
          <Row label="Asset name">
            <input
              key={recipe.asset}
              aria-label="Asset name"
              defaultValue={recipe.asset}
              onBlur={(e) => e.target.value !== recipe.asset && rename(e.target.value)}
              onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
              className="h-6 w-44 rounded bg-sunk px-1.5 outline-none focus:ring-1 focus:ring-ember"
            />
          </Row>
        </Section>
      )}
      <Section title="Findings" aside={<span className="num text-ink-3">{findings.length}</span>}>
        {findings.length === 0 ? (
          <p className="text-ink-3">
            {asset?.meshes.length ? "Nothing is wrong with these meshes." : "Checked as they come in."}
          </p>
        ) : (
          <ul className="divide-y divide-line">
            {findings.map((f) => (
              <FindingCard key={f.kind + f.place.part + f.reason} finding={f} />
            ))}
          </ul>
        )}
      </Section>
      {ROLES.map(([role]) => (
        <RoleSection key={role} role={role} meshes={asset?.meshes.filter((m) => m.role === role) ?? []} />
      ))}
    </>
  );
}

function PendingRow({ pending }: { pending: Pending }) {
  const { send, drop } = useTray();
  const { file, share, failed, role } = pending;
  return (
    <li className="rounded border border-line p-2">
      <div className="flex items-center gap-2">
        <b className="min-w-0 grow truncate" title={file.name}>
          {file.name}
        </b>
        <span className="num text-ink-3">{bytes(file.size)}</span>
        <button
          type="button"
          aria-label={`Stop ${file.name}`}
          className="text-ink-3 hover:text-ink"
          onClick={() => drop(pending.key)}
        >
          <X className="size-3.5" />
        </button>
      </div>
      {failed ? (
        <p role="alert" className="mt-1 text-madder">
          {failed}
        </p>
      ) : share === null ? (
        <div className="mt-1.5">
          <p className="mb-1 text-ink-2">What is it?</p>
          <Segment
            label={`Use ${file.name} as`}
            wide
            options={ROLES}
            value={role ?? ("" as Role)}
            onChange={(r) => send(pending.key, r)}
          />
        </div>
      ) : (
        <div className="mt-1.5">
          <div className="h-1.5 overflow-hidden rounded bg-sunk">
            <i className="block h-full bg-ember" style={{ width: `${share * 100}%` }} />
          </div>
          <p className="mt-1 text-ink-3">
            {share < 1 ? `sending, ${Math.round(share * 100)} %` : "reading and checking"}
          </p>
        </div>
      )}
    </li>
  );
}

function RoleSection({ role, meshes }: { role: Role; meshes: MeshView[] }) {
  const [recipe, edit] = useRecipe();
  const colored = recipe?.maps.some((m) => m.map === "color") ?? false;
  if (role === "cage" && meshes.length === 0) return null;
  const remove = (mesh: MeshView) =>
    edit((r) => {
      if (role === "cage") return { ...r, cage: null };
      return { ...r, [role]: r[role].filter((s) => s.hash !== mesh.hash || s.file !== mesh.file) };
    });
  return (
    <Section title={ROLE_TITLES[role]}>
      {meshes.length === 0 && <p className="text-ink-3">{ROLE_HINTS[role]}</p>}
      {meshes.map((m) => (
        <div key={m.hash + m.file} className="mb-1">
          <div className="flex items-center gap-2">
            <span className="min-w-0 grow truncate font-[560]" title={m.file}>
              {m.file}
            </span>
            <button
              type="button"
              aria-label={`Take ${m.file} out`}
              className="text-ink-3 hover:text-ink"
              onClick={() => remove(m)}
            >
              <X className="size-3.5" />
            </button>
          </div>
          <p className="text-ink-3">
            <span className="num">{count(m.summary.triangles)}</span> triangles, {bytes(m.summary.bytes)}
            {m.summary.has_uvs ? ", UVs" : role === "low" ? ", no UVs" : ""}
            {m.summary.has_colors ? ", vertex colours" : ""}
            {m.summary.normals_from_file ? "" : ", normals made here"}
          </p>
          {(role === "low" || (role === "high" && (m.summary.has_uvs || colored))) && (
            <UvRow mesh={m} role={role} />
          )}
          <PartList mesh={m} role={role} />
        </div>
      ))}
    </Section>
  );
}

type UvValue = "0" | "1" | "2" | "3" | Plane;

const UV_SETS: readonly (readonly [UvValue, string])[] = [
  ["0", "first set"],
  ["1", "second set"],
  ["2", "third set"],
  ["3", "fourth set"],
];
const UV_PLANES: readonly (readonly [UvValue, string])[] = [
  ["planar-x", "flat along X"],
  ["planar-y", "flat along Y"],
  ["planar-z", "flat along Z"],
];

/** Which UVs of a file are used. Only glTF files hold more than one set. */
function UvRow({ mesh, role }: { mesh: MeshView; role: "low" | "high" }) {
  const [recipe, edit] = useRecipe();
  const is = (s: { file: string; hash?: string | null }) => s.file === mesh.file && s.hash === mesh.hash;
  const uvs = recipe?.[role].find(is)?.uvs ?? 0;
  const sets = /\.(glb|gltf)$/i.test(mesh.file) ? UV_SETS : UV_SETS.slice(0, 1);
  const choose = (value: UvValue) => {
    const chosen = value.startsWith("planar") ? (value as Plane) : Number(value);
    edit((r) => ({ ...r, [role]: r[role].map((s) => (is(s) ? { ...s, uvs: chosen } : s)) }));
  };
  return (
    <Choice
      label="UVs"
      hint={role === "low" ? "Maps are laid out by these." : "A colour picture is read by these."}
      value={String(uvs) as UvValue}
      options={[...sets, ...UV_PLANES]}
      onChange={choose}
    />
  );
}

function PartList({ mesh, role }: { mesh: MeshView; role: Role }) {
  const { hidden, togglePart } = useStore();
  const pairs = useAsset().data?.pairs ?? [];
  if (role === "cage") return null;
  return (
    <ul className="mt-1 -mx-1">
      {mesh.summary.parts.map((part) => {
        const own = pairs.find((p) => (role === "low" ? p.low === part.name : p.high.includes(part.name)));
        const off = hidden.has(part.name);
        return (
          <li key={part.name} className="flex h-6.5 items-center gap-2 rounded px-1 hover:bg-sunk">
            {own ? <Badge number={own.number} /> : <span className="w-5" />}
            <span className={`min-w-0 grow truncate ${off ? "text-ink-3 line-through" : ""}`}>
              {part.name}
            </span>
            <span className="num text-ink-3">{count(part.triangles)}</span>
            <button
              type="button"
              aria-pressed={!off}
              aria-label={`${off ? "Show" : "Hide"} ${part.name}`}
              className="text-ink-3 hover:text-ink"
              onClick={() => togglePart(part.name)}
            >
              {off ? <EyeOff className="size-3.5" /> : <Eye className="size-3.5" />}
            </button>
          </li>
        );
      })}
    </ul>
  );
}

// Meshes: import low-poly, sculpt and cage; see what came in and what is wrong with it.
import { Eye, EyeOff, X } from "lucide-react";
import { useAsset, useRecipe } from "../../api/queries";
import type { MeshSource, MeshView, Plane, Role } from "../../api/types";
import { togglePart, useView } from "../../stages/view";
import { Choice } from "../../ui/choice";
import { LongList } from "../../ui/long-list";
import { Badge, bytes, count, IconButton, Row, Section, StopHead } from "../../ui/parts";
import { BringIn, ROLES } from "./bring-in";
import { LayoutSection } from "./layout/section";
import { LowPolySection } from "./low-poly";
import { MeshFindings } from "./mesh-findings";
import { PlaneSection } from "./plane";
import { UvSection } from "./uvs/section";

const ROLE_TITLES: Record<Role, string> = { low: "Low-poly", high: "Sculpt (high-poly)", cage: "Cage" };
const ROLE_HINTS: Record<Role, string> = {
  low: "The mesh that gets the maps. It needs UVs.",
  high: "What the maps are taken from. Any number of files.",
  cage: "Optional: a copy of the low-poly with its points moved outward.",
};

export function MeshesStop() {
  const asset = useAsset().data;
  const [recipe, edit] = useRecipe();
  const rename = (name: string) =>
    name.trim() !== "" && edit((r) => ({ ...r, asset: name.trim().slice(0, 80) }));
  return (
    <>
      <StopHead title="Meshes">
        Import the low-poly and the sculpt. Drop files anywhere, or pick them.
      </StopHead>
      <BringIn />
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
      <MeshFindings />
      {ROLES.map(([role]) => (
        <RoleSection key={role} role={role} meshes={asset?.meshes.filter((m) => m.role === role) ?? []} />
      ))}
      <UvSection />
      <LayoutSection />
    </>
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
      {role === "low" && meshes.length > 0 && <PlaneSection made />}
      {meshes.map((m) => (
        <div key={m.hash + m.file} className="mt-1 mb-1">
          <div className="flex items-center gap-2">
            <span className="min-w-0 grow truncate font-[560]" title={m.file}>
              {m.file}
            </span>
            <IconButton aria-label={`Remove ${m.file}`} onClick={() => remove(m)}>
              <X className="size-3.5" />
            </IconButton>
          </div>
          <p className="text-ink-3" hidden={m.hash === ""}>
            <span className="num">{count(m.summary.triangles)}</span> triangles, {bytes(m.summary.bytes)}
            {m.summary.has_uvs ? ", UVs" : role === "low" ? ", no UVs" : ""}
            {m.summary.has_colors ? ", vertex colours" : ""}
            {m.summary.normals_from_file ? "" : ", normals made here"}
            <Beside mesh={m} role={role} />
          </p>
          {m.hash !== "" && (role === "low" || (role === "high" && (m.summary.has_uvs || colored))) && (
            <UvRows mesh={m} role={role} />
          )}
          <StepList mesh={m} role={role} />
          <PartList mesh={m} role={role} />
        </div>
      ))}
      {role === "low" && <LowPolySection made={meshes.length > 0} />}
      {role === "low" && meshes.length === 0 && <PlaneSection made={false} />}
    </Section>
  );
}

/** The files that came in with a mesh. */
function Beside({ mesh, role }: { mesh: MeshView; role: Role }) {
  const [recipe] = useRecipe();
  const sources = role === "cage" ? (recipe?.cage ? [recipe.cage] : []) : (recipe?.[role] ?? []);
  const names = sources.find((s) => s.file === mesh.file && s.hash === mesh.hash)?.beside ?? [];
  return names.length === 0 ? null : <>, with {names.map((b) => b.file).join(", ")}</>;
}

type Option = readonly [string, string];

const UV_PLANES: readonly Option[] = [
  ["planar-x", "flat along X"],
  ["planar-y", "flat along Y"],
  ["planar-z", "flat along Z"],
];

/** Textures lie where the materials of the file say. */
const AS_SAID = "as-said";

/** The UV sets of a file, under their names; files but glTF and FBX hold one, without a name. */
function uvSets(mesh: MeshView): Option[] {
  const ending = /\.(glb|gltf|fbx)$/i.exec(mesh.file)?.[1]?.toLowerCase();
  if (!ending) return [["0", "the file's"]];
  const name = (n: number) => (ending === "fbx" ? `set ${n}` : `TEXCOORD_${n}`);
  return Array.from({ length: Math.max(1, mesh.summary.uv_sets) }, (_, n) => [String(n), name(n)]);
}

/** Which UVs of a file are used: for the maps, and for the textures that lie on the low-poly. */
function UvRows({ mesh, role }: { mesh: MeshView; role: "low" | "high" }) {
  const [recipe, edit] = useRecipe();
  const is = (s: { file: string; hash?: string | null }) => s.file === mesh.file && s.hash === mesh.hash;
  const source = recipe?.[role].find(is);
  const change = (to: Partial<MeshSource>) =>
    edit((r) => ({ ...r, [role]: r[role].map((s) => (is(s) ? { ...s, ...to } : s)) }));
  const uvs = String(source?.uvs ?? 0);
  const sets = uvSets(mesh);
  const others = sets.filter(([set]) => set !== uvs && mesh.summary.uv_sets > 0);
  return (
    <>
      <Choice
        label="UVs"
        hint={role === "low" ? "The maps use these UVs." : "The colour picture uses these UVs."}
        value={uvs}
        options={[...sets, ...UV_PLANES]}
        onChange={(value) => change({ uvs: value.startsWith("planar") ? (value as Plane) : Number(value) })}
      />
      {role === "low" && (others.length > 0 || typeof source?.texture_uvs === "number") && (
        <Choice
          label="Texture UVs"
          hint="Patterns and pictures over texture UVs, and MaterialX documents, lie on these. They may tile and overlap."
          value={String(source?.texture_uvs ?? AS_SAID)}
          options={[[AS_SAID, "as the file says"], ...sets]}
          onChange={(value) => change({ texture_uvs: value === AS_SAID ? null : Number(value) })}
        />
      )}
    </>
  );
}

/** What is done to a file each time it is read; any step can be removed, not only the last. */
function StepList({ mesh, role }: { mesh: MeshView; role: Role }) {
  const [, edit] = useRecipe();
  if (mesh.steps.length === 0 || role === "cage") return null;
  const takeOut = (number: number) =>
    edit((r) => ({
      ...r,
      [role]: r[role].map((s) =>
        s.file === mesh.file && s.hash === mesh.hash
          ? { ...s, steps: s.steps?.filter((_, i) => i !== number) ?? [] }
          : s,
      ),
    }));
  return (
    <ol aria-label={`Steps of ${mesh.file}`} className="mt-1 border-l-2 border-moss pl-2 text-ink-2">
      {mesh.steps.map((words, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a step is its place in the list
        <li key={i} className="flex items-center gap-2">
          <span className="min-w-0 grow truncate" title={words}>
            {words}
          </span>
          <IconButton aria-label={`Remove step: ${words}`} onClick={() => takeOut(i)}>
            <X className="size-3.5" />
          </IconButton>
        </li>
      ))}
    </ol>
  );
}

function PartList({ mesh, role }: { mesh: MeshView; role: Role }) {
  const hidden = useView((s) => s.hidden);
  const pairs = useAsset().data?.pairs ?? [];
  if (role === "cage") return null;
  return (
    <LongList items={mesh.summary.parts} keyOf={(p) => p.name} height={26} className="mt-1 -mx-1">
      {(part, place) => {
        // A low part that nothing fits sees everything; that makes no pair.
        const own = pairs.find((p) =>
          role === "low" ? p.low === part.name : p.high.some((h) => h.name === part.name && !h.by_default),
        );
        const off = hidden.has(part.name);
        return (
          <li key={part.name} {...place} className="flex h-6.5 items-center gap-2 rounded px-1 hover:bg-sunk">
            {own ? <Badge number={own.number} /> : <span className="w-5" />}
            <span className={`min-w-0 grow truncate ${off ? "text-ink-3 line-through" : ""}`}>
              {part.name}
            </span>
            <span className="num text-ink-3">{count(part.triangles)}</span>
            <IconButton
              aria-pressed={!off}
              aria-label={`${off ? "Show" : "Hide"} ${part.name}`}
              onClick={() => togglePart(part.name)}
            >
              {off ? <EyeOff className="size-3.5" /> : <Eye className="size-3.5" />}
            </IconButton>
          </li>
        );
      }}
    </LongList>
  );
}

// The profile: chosen, changed as a copy, kept, imported and exported as JSON.
import { Trash2 } from "lucide-react";
import { toast } from "sonner";
import { type ShownRun, say } from "../../api/queries";
import type { Profile } from "../../api/types";
import { Fold } from "../../ui/fold";
import { JsonButton } from "../../ui/json-button";
import { Button, IconButton, Row, Section, Segment } from "../../ui/parts";
import { saveJson } from "../../ui/save-file";
import { Select } from "../../ui/select";
import { Tick } from "../../ui/tick";
import { PictureList } from "./picture-list";
import { setDeliver, useKeeping, usePlan, useProfile, useProfiles } from "./state";
import { TextField } from "./text-field";

const SIZES: readonly (readonly [string, string])[] = [
  ["none", "As baked"],
  ...[8192, 4096, 2048, 1024, 512, 256].map((size) => [String(size), `${size} at most`] as const),
];

export function ProfileSection({ run }: { run: ShownRun }) {
  const lines = useProfiles().data ?? [];
  const { line, profile, draft, edit } = useProfile();
  const { keep, drop } = useKeeping();
  if (!line || !profile) return null;
  const names = lines.map((l) => [l.profile.name, l.profile.name] as const);
  const shown =
    draft && draft.name !== line.profile.name
      ? [...names, [draft.name, `${draft.name} (not kept)`] as const]
      : names;
  const read = async (text: string, file: string) => {
    try {
      await keep(JSON.parse(text) as Profile);
    } catch (fault) {
      const why = fault instanceof SyntaxError ? "it is not valid JSON" : (fault as Error).message;
      toast.error(`${file}: ${why}. Export a profile to see the form`);
    }
  };
  return (
    <Section
      title="Profile"
      aside={
        !line.shipped && !draft ? (
          <IconButton
            aria-label={`Remove profile ${line.profile.name}`}
            onClick={() => drop(line.profile.name).catch(say)}
          >
            <Trash2 className="size-3.5" />
          </IconButton>
        ) : undefined
      }
    >
      <Select
        label="Profile"
        className="w-full bg-sunk font-semibold hover:ring-1 hover:ring-line"
        options={shown}
        value={profile.name}
        onChange={(name) => name !== draft?.name && setDeliver({ chosen: name, draft: null })}
      />
      {profile.about && <p className="mt-1 text-ink-2">{profile.about}</p>}
      {draft && (
        <div className="mt-1.5 flex flex-wrap items-center gap-1.5 rounded bg-sunk px-2 py-1.5">
          <TextField
            label="Name of the changed profile"
            value={draft.name}
            onChange={(name) => edit({ name })}
            className="grow bg-sheet"
          />
          <Button look="strong" onClick={() => keep(draft).catch(say)}>
            Keep
          </Button>
          <Button onClick={() => setDeliver({ draft: null })}>Discard</Button>
        </div>
      )}
      <Fold title="Names, orientation, size">
        <Names run={run} profile={profile} edit={edit} />
        <Row
          label="Green of normals"
          hint={
            profile.y === "-" ? "Grows towards the bottom of the sheet" : "Grows towards the top of the sheet"
          }
        >
          <Segment
            label="Green of normals"
            options={[
              ["+", "Y+"],
              ["-", "Y-"],
            ]}
            value={profile.y === "-" ? "-" : "+"}
            onChange={(y) => edit({ y })}
          />
        </Row>
        <Row label="Texels per side">
          <Select
            label="Texels per side"
            options={SIZES}
            value={profile.most_size ? String(profile.most_size) : "none"}
            onChange={(size) => edit({ most_size: size === "none" ? undefined : Number(size) })}
          />
        </Row>
        <Tick checked={profile.flip_v ?? false} onChange={(flip_v) => edit({ flip_v })}>
          Rows from the bottom up, for programs whose V runs down
        </Tick>
      </Fold>
      <Fold
        title={`${profile.pictures.length} ${profile.pictures.length === 1 ? "picture" : "pictures"} per sheet`}
      >
        <PictureList run={run} pictures={profile.pictures} onChange={(pictures) => edit({ pictures })} />
      </Fold>
      <Fold title="Meshes">
        <Meshes profile={profile} edit={edit} />
      </Fold>
      <div className="mt-1 flex gap-1.5">
        <JsonButton label="Import" what="File of a profile" onRead={read} />
        <Button onClick={() => saveJson(profile, `${profile.name}.json`)}>Export</Button>
      </div>
    </Section>
  );
}

interface Editing {
  profile: Profile;
  edit: (change: Partial<Profile>) => void;
}

function Names({ run, profile, edit }: Editing & { run: ShownRun }) {
  const plan = usePlan(run.id).data;
  const example = plan?.pictures[0]?.file;
  return (
    <div className="py-0.5">
      <span className="text-ink-2">File names</span>
      <TextField
        label="File names"
        value={profile.pattern ?? ""}
        onChange={(pattern) => edit({ pattern })}
        className="num w-full bg-sunk"
      />
      {example && (
        <p className="num mt-0.5 truncate text-xs text-ink-2" title={example}>
          {example}
        </p>
      )}
      <p className="pb-1 text-xs text-ink-3">
        {"{asset} {sheet} {part} {map} {size} {tile} {version}"}; a slash makes a folder. What is empty takes
        the _ before it away.
      </p>
    </div>
  );
}

function Meshes({ profile, edit }: Editing) {
  const meshes = profile.meshes ?? {};
  const tick = (of: "glb" | "obj" | "cage", words: string) => (
    <Tick
      checked={meshes[of] ?? true}
      onChange={(on) => edit({ meshes: { ...meshes, [of]: on } as Profile["meshes"] })}
    >
      {words}
    </Tick>
  );
  return (
    <>
      {tick("glb", "GLB: the low-poly with the tangents of the bake, textures inside")}
      {tick("obj", "OBJ with MTL: the low-poly, triangulated")}
      {tick("cage", "The cage as OBJ")}
    </>
  );
}

// A cage made elsewhere: imported, or exported from the envelope as it is, edited and imported again.
import { useRef, useState } from "react";
import { cageUrl, sendMesh } from "../../api/client";
import { say, settled, useActions, useAsset, useRecipe } from "../../api/queries";
import { Button, FileLink, Section } from "../../ui/parts";

export function CageSection() {
  const asset = useAsset().data;
  const [recipe, edit] = useRecipe();
  const { put } = useActions();
  const picker = useRef<HTMLInputElement>(null);
  const [busy, setBusy] = useState(false);
  if (!asset || !recipe || recipe.low.length === 0) return null;
  const bring = async (file: File | undefined) => {
    if (!file) return;
    setBusy(true);
    try {
      await settled();
      put(await sendMesh(asset.id, "cage", file, null, [], () => {}).done);
    } catch (error) {
      say(error);
    }
    setBusy(false);
    if (picker.current) picker.current.value = "";
  };
  return (
    <Section title="Cage mesh">
      {recipe.cage ? (
        <div className="flex items-center gap-2">
          <span className="min-w-0 grow truncate font-[560]">{recipe.cage.file}</span>
          <Button look="quiet" onClick={() => edit((r) => ({ ...r, cage: null }))}>
            Use the envelope
          </Button>
        </div>
      ) : (
        <p className="text-ink-2">
          None: the envelope above is used. Export it, move its points elsewhere, and import it again.
        </p>
      )}
      <input
        ref={picker}
        type="file"
        aria-label="Cage file"
        accept=".obj,.ply,.glb,.gltf,.fbx,.stl"
        className="sr-only"
        onChange={(e) => bring(e.target.files?.[0])}
      />
      <div className="mt-1.5 flex gap-1.5">
        <Button disabled={busy} onClick={() => picker.current?.click()}>
          {busy ? "Reading…" : "Import"}
        </Button>
        <FileLink href={cageUrl(asset.id, "glb")}>Export GLB</FileLink>
        <FileLink href={cageUrl(asset.id, "obj")}>OBJ</FileLink>
      </div>
    </Section>
  );
}

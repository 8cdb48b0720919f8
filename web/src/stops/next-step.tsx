// What to do first, where a stop has nothing to show yet.
import { open } from "../api/open";
import { Button, Section } from "../ui/parts";

export function NextStep(props: { words: string; label: string; act: () => void }) {
  return (
    <Section>
      <p className="text-ink-2">{props.words}</p>
      <Button look="strong" className="mt-2 w-full" onClick={props.act}>
        {props.label}
      </Button>
    </Section>
  );
}

/** Before anything can be baked. */
export function ImportFirst({ missing }: { missing: "low-poly" | "sculpt" }) {
  const other = missing === "sculpt" ? " There is a low-poly already." : "";
  return (
    <NextStep
      words={`A ${missing} is missing.${other}`}
      label={`Import a ${missing}`}
      act={() => open({ stop: "meshes" })}
    />
  );
}

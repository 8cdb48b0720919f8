import { Section, StopHead } from "../../ui/parts";

export function MasksStop() {
  return (
    <>
      <StopHead title="Masks">Wear, dirt and region masks made from the baked maps.</StopHead>
      <Section>
        <p className="text-ink-3">
          Not built yet. It will combine curvature, occlusion and ID into masks, here, while you look.
        </p>
      </Section>
    </>
  );
}

// Finishes: the one in hand as a core sample, and its open coat in the order of thought: what it sets, where it lies, how it breaks up.
import { useRecipe } from "../../../api/queries";
import { Section } from "../../../ui/parts";
import { Select } from "../../../ui/select";
import { AfterSection } from "../after-section";
import { useOpenMask } from "../edit";
import { ExamplesSection } from "../examples-section";
import { openCoat } from "../state";
import { WhereSection } from "../where-section";
import { AddFinish } from "./add-finish";
import { CoatHead } from "./coat-head";
import { CoreSample } from "./core-sample";
import { useOpenFinish } from "./edit";
import { FinishHead } from "./finish-head";
import { WhatSection } from "./what-section";

export function FinishesPanel() {
  const [recipe] = useRecipe();
  const { finish, coat } = useOpenFinish();
  const place = useOpenMask();
  const finishes = recipe?.finishes ?? [];
  return (
    <>
      {finishes.length === 0 && (
        <Section>
          <p className="text-ink-2">
            No finishes yet: the model bakes without a surface of its own. Start from a ready-made one below,
            or from nothing.
          </p>
        </Section>
      )}
      {finish && (
        <Section
          title="Finish"
          aside={
            finishes.length > 1 ? (
              <Select
                label="Finish in hand"
                options={finishes.map((f) => [f.name, f.name] as const)}
                value={finish.name}
                onChange={(name) => openCoat(name)}
              />
            ) : undefined
          }
        >
          <FinishHead key={finish.name} finish={finish} />
          <CoreSample finish={finish} open={coat} />
        </Section>
      )}
      <AddFinish />
      {finish && coat && place && (
        <div key={`${finish.name} ${coat.name}`}>
          <CoatHead finish={finish} coat={coat} />
          <WhatSection finish={finish.name} coat={coat} />
          <WhereSection mask={place} />
          <ExamplesSection mask={place} />
          <AfterSection mask={place} />
        </div>
      )}
    </>
  );
}

// What the fit did: how much of the sculpt the envelope holds, what limited it, and what one number for all would do.
import { useRecipe } from "../../api/queries";
import type { FitReport, Reach } from "../../api/types";
import { Button, LinkButton, Section } from "../../ui/parts";
import { Tick } from "../../ui/tick";
import { useEnvelope, useLive } from "./live";
import { setReach, useReach } from "./state";

const percent = (share: number) => {
  const p = share * 100;
  if (p > 0 && p < 0.01) return "< 0.01 %";
  // What is not all never reads as 100.
  if (p >= 99.95 && share < 1) return `${(Math.floor(p * 100) / 100).toFixed(2)} %`;
  return `${p.toFixed(p < 1 && p > 0 ? 2 : 1)} %`;
};

export function FitSection() {
  const [recipe, edit] = useRecipe();
  const header = useEnvelope()?.header;
  const { busy, failed } = useLive();
  const { limits } = useReach();
  if (!recipe) return null;
  const { fit, suggested } = header?.reach ?? {};
  const fitted = recipe.reach.out === "auto" && recipe.reach.in === "auto";
  const put = (change: Partial<Reach>) => edit((r) => ({ ...r, reach: { ...r.reach, ...change } }));
  return (
    <Section
      title="Fitted envelope"
      aside={
        <Button look="strong" disabled={fitted} onClick={() => put({ out: "auto", in: "auto" })}>
          {fitted ? "Fitted" : "Fit"}
        </Button>
      }
    >
      {!header && !failed && (
        <p className={busy ? "animate-pulse text-ink-3" : "text-ink-3"}>
          {busy ? "Fitting to the sculpt…" : "It is fitted once there is a low-poly and a sculpt."}
        </p>
      )}
      {failed && <p className="text-ink-2">{failed}</p>}
      {header && fit && <Account fit={fit} probed={header.probed} />}
      {header && !fit && (
        <p className="text-ink-2">The numbers are set manually; Fit measures them at each vertex instead.</p>
      )}
      {fit && (
        <Tick checked={limits} onChange={(on) => setReach({ limits: on, envelope: true })}>
          Mark what limits it
        </Tick>
      )}
      {suggested && (
        <p className="mt-2 border-t border-line pt-1.5 text-ink-2">
          One number for all would be <b className="num">{suggested.out.toPrecision(3)}</b> out and{" "}
          <b className="num">{suggested.in.toPrecision(3)}</b> in.{" "}
          <LinkButton
            onClick={() =>
              put({ out: Number(suggested.out.toPrecision(4)), in: Number(suggested.in.toPrecision(4)) })
            }
          >
            Use one number
          </LinkButton>
        </p>
      )}
    </Section>
  );
}

function Account({ fit, probed }: { fit: FitReport; probed: number }) {
  const facts = [
    ["limited by its own surface", fit.limited_by_own],
    ["limited by a neighbour part", fit.limited_by_neighbour],
    ["could not be enclosed", fit.left],
    ["has no sculpt near it", fit.bare],
  ] as const;
  return (
    <>
      <div className="h-1.5 rounded-[2px] bg-sunk" aria-hidden>
        <div
          className={`h-full rounded-[2px] ${fit.left > 0.001 ? "bg-ochre" : "bg-moss"}`}
          style={{ width: `${fit.enclosed * 100}%` }}
        />
      </div>
      <div className="mt-1 flex justify-between" title={`Measured with ${probed} rays`}>
        <span>Sculpt enclosed</span>
        <b className="num">{percent(fit.enclosed)}</b>
      </div>
      {facts
        .filter(([, share]) => share > 0)
        .map(([words, share]) => (
          <div key={words} className="flex justify-between text-ink-2">
            <span>{words}</span>
            <span className="num">{percent(share)}</span>
          </div>
        ))}
    </>
  );
}

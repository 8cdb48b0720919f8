// What stands on the neutral stages: tool rows, segments, toggles and messages, legible on any picture.
import { ToggleGroup } from "radix-ui";
import type { ReactNode } from "react";
import { StageSelect } from "./select";

export function StageTools({ children }: { children: ReactNode }) {
  return (
    <div className="@container absolute inset-x-2.5 top-2 z-20">
      <div className="flex flex-wrap items-center gap-x-2 gap-y-1 @max-md:gap-x-1">{children}</div>
    </div>
  );
}

/** What a stage is called; `yields` when the stage is narrow, where its tools need the room. */
export function Tag({ children, yields = false }: { children: ReactNode; yields?: boolean }) {
  return (
    <span
      className={`font-mono text-[10px] font-semibold tracking-widest text-on-stage ${yields ? "@max-lg:hidden" : ""}`}
    >
      {children}
    </span>
  );
}

const CHIP =
  "h-6 rounded-[3px] px-1.5 text-[#efefef] hover:bg-white/15 data-[state=on]:bg-[#f4f4f4] data-[state=on]:text-[#1c1c1c]";

/** `folds`: on a narrow stage a list takes its place. */
export function ToolSegment<T extends string>(props: {
  label: string;
  options: readonly (readonly [T, string])[];
  value: T;
  folds?: boolean;
  onChange: (value: T) => void;
}) {
  return (
    <>
      <ToggleGroup.Root
        type="single"
        aria-label={props.label}
        value={props.value}
        onValueChange={(v) => v && props.onChange(v as T)}
        className={`flex rounded bg-(--stage-tool) p-0.5 ${props.folds ? "@max-md:hidden" : ""}`}
      >
        {props.options.map(([value, label]) => (
          <ToggleGroup.Item key={value} value={value} className={CHIP}>
            {label}
          </ToggleGroup.Item>
        ))}
      </ToggleGroup.Root>
      {props.folds && (
        <span className="hidden @max-md:block">
          <StageSelect {...props} />
        </span>
      )}
    </>
  );
}

/** A slider on a stage, with its value beside it. */
export function StageRange(props: {
  label: string;
  value: number;
  min: number;
  max: number;
  step: number;
  shown: string;
  onChange: (value: number) => void;
}) {
  const { label, shown, onChange, ...range } = props;
  return (
    <label className="flex h-7 items-center gap-1.5 rounded bg-(--stage-tool) px-2 text-[#efefef]">
      <span className="@max-lg:hidden">{label}</span>
      <input
        type="range"
        aria-label={label}
        aria-valuetext={shown}
        {...range}
        onChange={(e) => onChange(Number(e.target.value))}
        onDoubleClick={() => onChange(0)}
        className="w-16 accent-[#f4f4f4]"
      />
      <span className="num w-14 text-right text-xs">{shown}</span>
    </label>
  );
}

interface Toggle {
  label: string;
  on: boolean;
  onChange: (on: boolean) => void;
}

export function ToolToggle(props: Toggle) {
  return <ToolToggles toggles={[props]} />;
}

/** Toggles that stand side by side as one. */
export function ToolToggles({ toggles }: { toggles: readonly Toggle[] }) {
  return (
    <span className="flex gap-0.5 rounded bg-(--stage-tool) p-0.5">
      {toggles.map((t) => (
        <button
          key={t.label}
          type="button"
          aria-pressed={t.on}
          data-state={t.on ? "on" : "off"}
          className={CHIP}
          onClick={() => t.onChange(!t.on)}
        >
          {t.label}
        </button>
      ))}
    </span>
  );
}

/** A quiet notice in the middle of a stage, over contour lines: empty, busy or failing. */
export function StageMessage(props: { title: string; busy?: boolean; children?: ReactNode }) {
  return (
    <div className="pointer-events-none absolute inset-0 grid place-items-center" role="status">
      <svg viewBox="0 0 400 300" className="absolute h-3/4 w-3/4 fill-none stroke-white/12" aria-hidden>
        {[0, 1, 2, 3, 4, 5].map((i) => (
          <path
            key={i}
            d={`M${40 + i * 22} ${230 - i * 6} C ${70 + i * 20} ${60 + i * 24}, ${190 - i * 4} ${110 + i * 12}, ${220 - i * 3} ${60 + i * 22} S ${340 - i * 18} ${90 + i * 16}, ${360 - i * 22} ${220 - i * 4} S ${120 + i * 12} ${290 - i * 16}, ${40 + i * 22} ${230 - i * 6}Z`}
          />
        ))}
      </svg>
      <div className="relative max-w-72 rounded bg-stage/85 px-3 py-2 text-center text-on-stage">
        <b className={`text-base ${props.busy ? "animate-pulse" : ""}`}>{props.title}</b>
        <p className="mt-1 text-balance">{props.children}</p>
      </div>
    </div>
  );
}

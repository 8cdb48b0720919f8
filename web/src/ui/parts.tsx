// Small pieces every stop is made of: heads, sections, rows, buttons, segments, badges, findings.
import { ToggleGroup } from "radix-ui";
import type { ButtonHTMLAttributes, ReactNode } from "react";

export function StopHead({ title, children }: { title: string; children: ReactNode }) {
  return (
    <header className="px-3 pt-3 pb-2.5">
      <h1 className="text-lg">{title}</h1>
      <p className="mt-0.5 text-ink-2">{children}</p>
    </header>
  );
}

/** A piece of a panel. It is a layer of its own: what changes in one draws no other. */
export function Section(props: { title?: string; aside?: ReactNode; children: ReactNode }) {
  return (
    <section
      className="border-t border-line bg-sheet px-3 py-2.5 will-change-transform"
      aria-label={props.title}
    >
      {props.title && (
        <div className="mb-1 flex min-h-6 items-center justify-between gap-2">
          <h2>{props.title}</h2>
          {props.aside}
        </div>
      )}
      {props.children}
    </section>
  );
}

export function Row(props: { label: string; hint?: string; children: ReactNode }) {
  return (
    <div className="py-0.5">
      <div className="flex min-h-7 items-center justify-between gap-2">
        <span className="text-ink-2">{props.label}</span>
        <span className="flex items-center gap-1.5">{props.children}</span>
      </div>
      {props.hint && <p className="pb-1 text-xs text-ink-3">{props.hint}</p>}
    </div>
  );
}

export function Button(
  props: ButtonHTMLAttributes<HTMLButtonElement> & { look?: "plain" | "strong" | "quiet" },
) {
  const { look = "plain", className = "", ...rest } = props;
  const looks = {
    plain: "border border-line bg-sheet hover:bg-sunk",
    strong: "bg-ink text-sheet hover:opacity-90",
    quiet: "text-ink-2 hover:bg-sunk hover:text-ink",
  };
  return (
    <button
      type="button"
      {...rest}
      className={`inline-flex h-7 items-center justify-center gap-1.5 rounded px-2.5 font-[560] disabled:cursor-not-allowed disabled:border-transparent disabled:bg-sunk disabled:text-ink-3 ${looks[look]} ${className}`}
    />
  );
}

/** A small button that is an icon; its name says what it does and to what. */
export function IconButton(props: ButtonHTMLAttributes<HTMLButtonElement> & { "aria-label": string }) {
  const { className = "", ...rest } = props;
  return (
    <button
      type="button"
      {...rest}
      className={`grid size-6 shrink-0 place-items-center rounded text-ink-3 hover:bg-sunk hover:text-ink ${className}`}
    />
  );
}

/** A file to save, looking like a button. */
export function FileLink({ href, children }: { href: string; children: ReactNode }) {
  return (
    <a
      className="inline-flex h-7 items-center rounded border border-line bg-sheet px-2.5 font-[560] hover:bg-sunk"
      href={href}
      download
    >
      {children}
    </a>
  );
}

/** A button in the flow of text. */
export function LinkButton(props: ButtonHTMLAttributes<HTMLButtonElement>) {
  const { className = "", ...rest } = props;
  return (
    <button
      type="button"
      {...rest}
      className={`min-h-6 text-ember-strong underline underline-offset-2 hover:no-underline ${className}`}
    />
  );
}

export function Segment<T extends string>(props: {
  label: string;
  options: readonly (readonly [T, string])[];
  value: T;
  wide?: boolean;
  onChange: (value: T) => void;
}) {
  return (
    <ToggleGroup.Root
      type="single"
      aria-label={props.label}
      value={props.value}
      onValueChange={(v) => v && props.onChange(v as T)}
      className={`flex rounded bg-sunk p-0.5 ${props.wide ? "w-full" : ""}`}
    >
      {props.options.map(([value, label]) => (
        <ToggleGroup.Item
          key={value}
          value={value}
          className="h-6 grow rounded-[3px] px-2 text-ink-2 hover:text-ink data-[state=on]:bg-sheet data-[state=on]:font-semibold data-[state=on]:text-ink data-[state=on]:shadow-[0_0_0_1px_var(--line)]"
        >
          {label}
        </ToggleGroup.Item>
      ))}
    </ToggleGroup.Root>
  );
}

/** A pair's number, in a pattern of its own. */
export function Badge({ number }: { number: number }) {
  return (
    <span
      className={`num grid h-[18px] min-w-5 shrink-0 place-items-center rounded-[3px] border border-ink font-semibold badge-${(number - 1) % 5}`}
    >
      <span className="rounded-[2px] bg-sheet px-0.5 leading-none">{number}</span>
    </span>
  );
}

export const count = (n: number) => n.toLocaleString("en");

export function bytes(n: number): string {
  if (n < 1e6) return `${Math.max(1, Math.round(n / 1e3))} kB`;
  return n < 1e9 ? `${(n / 1e6).toFixed(1)} MB` : `${(n / 1e9).toFixed(2)} GB`;
}

export function seconds(s: number): string {
  if (s < 10) return `${s.toFixed(1)} s`;
  if (s < 60) return `${Math.round(s)} s`;
  return `${Math.floor(s / 60)}:${String(Math.round(s % 60)).padStart(2, "0")} min`;
}

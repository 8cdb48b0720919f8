// What the maps hold under the pointer, in the file's own values.
import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { api } from "../../api/client";
import { useMapLabels } from "../../api/queries";
import type { RunView } from "../../api/types";
import { useHover } from "../hover";

/** A line at the foot of the sheet stage that tells of the place pointed at; not while something beside the sheet tells of texels. */
export function Probe(props: { label: string; children: ReactNode }) {
  return (
    <div
      role="status"
      aria-label={props.label}
      className="num pointer-events-none absolute bottom-3 group-has-data-tells-texels/sheet:hidden left-3 flex max-w-[calc(100%-150px)] flex-wrap gap-x-4 rounded bg-black/70 px-2 py-1 text-[#f4f4f4]"
    >
      {props.children}
    </div>
  );
}

export function TexelProbe(props: { run: RunView; sheet: number; map: string | undefined }) {
  const { run, sheet, map } = props;
  const label = useMapLabels();
  const inside = (uv: readonly number[]) => uv.every((c) => c >= 0 && c < 1);
  const x = useHover((h) => (h && h.sheet === sheet && inside(h.uv) ? Math.floor(h.uv[0] * run.size) : null));
  const y = useHover((h) => (h ? Math.min(run.size - 1, Math.floor((1 - h.uv[1]) * run.size)) : 0));
  const part = useHover((h) => h?.part ?? null);
  const texel = useQuery({
    queryKey: ["texel", run.id, sheet, x, y],
    queryFn: () => api.texel(run.id, sheet, x ?? 0, y),
    enabled: x !== null,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 5000,
    retry: false,
    placeholderData: (old) => old,
  });
  if (x === null) return null;
  return (
    <Probe label="Texel under the pointer">
      <b>
        {x}, {y}
      </b>
      <span>{part ?? "outside every island"}</span>
      {texel.isError && <span>{texel.error.message}</span>}
      {texel.data?.maps.map((m) => (
        <span key={m.map} className={m.map === map ? "font-semibold text-white" : ""}>
          {label(m.map)} {m.words}
        </span>
      ))}
    </Probe>
  );
}

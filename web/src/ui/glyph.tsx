// A shape of the marks over the model, small, so that it can stand beside words.
import type { ReactNode } from "react";

export function Glyph({ shape, colour }: { shape: number; colour: string }) {
  const shapes: ReactNode[] = [
    <circle key="disc" cx="6" cy="6" r="3.6" fill={colour} />,
    <circle key="ring" cx="6" cy="6" r="3.6" fill="none" stroke={colour} strokeWidth="2" />,
    <rect key="square" x="2.5" y="2.5" width="7" height="7" fill={colour} />,
    <path key="diamond" d="M6 1 11 6 6 11 1 6Z" fill={colour} />,
    <path key="up" d="M6 1 11 10H1Z" fill={colour} />,
    <path key="down" d="M6 11 1 2H11Z" fill={colour} />,
    <path key="cross" d="M2 2 10 10M10 2 2 10" stroke={colour} strokeWidth="2.4" />,
    <path key="plus" d="M6 1V11M1 6H11" stroke={colour} strokeWidth="2.4" />,
  ];
  return (
    <svg viewBox="0 0 12 12" className="size-3 shrink-0" aria-hidden>
      {shapes[shape]}
    </svg>
  );
}

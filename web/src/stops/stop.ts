// What a stop is to the page: one row. The trail lists it, the panel shows it, the stages draw its layers, and its keys work.
import type { ComponentType, ReactNode } from "react";

/** How a stop stands on the trail: so many open findings, ready, or nothing yet. */
export type StopState = { open: number } | "ready" | "nothing";

export interface KeyRow {
  /** Keys as `KeyboardEvent.key` names them, and what they are called in the list of keys. */
  keys: readonly string[];
  shown: string;
  words: string;
  act: (key: string) => void;
}

/** What a stop shows on both stages in place of maps, or over them. */
export interface Painting {
  /** Its name, in the place of the sheet's maps and channels; null leaves them there. */
  name: string | null;
  /** Tools in the place of the model stage's looks; null leaves them there. */
  tools: ReactNode | null;
  /** Clicks on the sheet do what a stop lends them to do. */
  clicks?: boolean;
  /** What the two sides of its wipe are, if it has one. */
  sides: readonly [string, string] | null;
  /** What it tells of the place pointed at. */
  probe: ReactNode;
}

export interface Stop {
  id: string;
  label: string;
  Panel: ComponentType;
  useState: () => StopState;
  /** Layers over the model and over the sheet. They stand there at every stop, and decide themselves when they show. */
  ModelLayers?: ComponentType;
  SheetLayers?: ComponentType;
  /** Tools on the model stage, and what colours and shapes over the model mean. */
  ModelTools?: ComponentType;
  Legend?: ComponentType;
  /** Beside the sheet. */
  Aside?: ComponentType;
  usePainting?: () => Painting | null;
  keys?: readonly KeyRow[];
  /** Closes what of the stop is open, as Escape asks; false when nothing is. */
  close?: () => boolean;
  entered?: () => void;
  left?: () => void;
}

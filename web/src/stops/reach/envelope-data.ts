// The envelope of a recipe as it comes over the wire: a header and arrays of floats, read without copying.
import type { EnvelopeHeader, FitLimit, MarkKind, NeedleFate } from "../../api/types";

/** In the order of the numbers that stand in the arrays. */
export const MARK_KINDS: readonly MarkKind[] = ["pokes-out", "too-deep", "crosses-itself", "crosses-another"];
export const FIT_LIMITS: readonly FitLimit[] = ["own", "neighbour", "left"];
export const NEEDLE_FATES: readonly NeedleFate[] = ["hit", "miss", "back-face", "wrong-part"];

export interface EnvelopeData {
  header: EnvelopeHeader;
  /** One per corner of the low-poly. */
  out: Float32Array;
  inward: Float32Array;
  /** Three per corner: where rays start under a cage. */
  cage: Float32Array | null;
  /** Five each: place, kind, by. */
  marks: Float32Array;
  /** Four each: place, why. */
  spots: Float32Array;
  /** Ten each: start, place on the low-poly, end, fate. */
  needles: Float32Array;
}

export function readEnvelope(buffer: ArrayBuffer): EnvelopeData {
  const length = new DataView(buffer).getUint32(0, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, length))) as EnvelopeHeader;
  const find = (name: string) => {
    const array = header.arrays.find((a) => a.name === name);
    return array ? new Float32Array(buffer, 4 + length + array.offset, array.length / 4) : null;
  };
  const floats = (name: string) => find(name) ?? new Float32Array();
  return {
    header,
    out: floats("out"),
    inward: floats("in"),
    cage: find("cage"),
    marks: floats("marks"),
    spots: floats("spots"),
    needles: floats("needles"),
  };
}

// A large sculpt while it turns: where drawing cannot keep up, fewer of its faces are drawn until the hand rests.
import type * as THREE from "three";

/** Milliseconds between two turns beyond which drawing does not keep up; beyond which the hand had rested between them; and after
 *  which it has come to rest now. */
const TOO_SLOW = 45;
const APART = 1500;
const RESTED = 260;

export class Turning {
  private last = 0;
  private timer: ReturnType<typeof setTimeout> | undefined;
  private geometry: THREE.BufferGeometry | null = null;
  private rough: THREE.BufferAttribute | null = null;
  /** What is drawn at rest, while something rougher is drawn. */
  private fine: THREE.BufferAttribute | null = null;

  constructor(private readonly draw: () => void) {}

  /** What is drawn at rest and, if there is anything rougher, while it turns. */
  set(geometry: THREE.BufferGeometry | null, rough: THREE.BufferAttribute | null) {
    clearTimeout(this.timer);
    this.geometry = geometry;
    this.rough = rough;
    this.fine = null;
  }

  /** The model was turned a little. */
  turned() {
    const now = performance.now();
    const since = now - this.last;
    this.last = now;
    if (!this.geometry || !this.rough) return;
    if (since < APART && since > TOO_SLOW && !this.fine) {
      this.fine = this.geometry.getIndex();
      this.geometry.setIndex(this.rough);
    }
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.rest(), RESTED);
  }

  private rest() {
    if (!this.fine || !this.geometry) return;
    this.geometry.setIndex(this.fine);
    this.fine = null;
    this.draw();
  }

  dispose() {
    this.set(null, null);
  }
}

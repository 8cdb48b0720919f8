// When and where the stage is drawn: rough while something changes, sharp once the hand rests. By a graphics card straight to the canvas;
// by the processor to a picture beside it, of as many pixels as there is time for, that is spread over the canvas. A canvas that changes
// its size waits for all that was drawn before, so it keeps its own.
import * as THREE from "three";
import { drawsInSoftware, overAll } from "./drawing";

/** Pixels of the canvas to one of the page while nothing moves, and milliseconds until nothing does. */
const [FINE, RESTED] = [2, 160];
/** The same while something changes and there is no graphics card: a picture at once goes before a sharp one. */
const COARSE = 0.36;
const plainRatio = () => Math.min(2, window.devicePixelRatio);

const FRAGMENT = /* glsl */ `
  uniform sampler2D from; varying vec2 vUv;
  void main() { gl_FragColor = texture2D(from, vUv); }
`;

/** A part of the stage in pixels of the page, from its bottom left. */
export interface Place {
  left: number;
  width: number;
  height: number;
}

export class Frame {
  readonly renderer: THREE.WebGLRenderer;
  /** Pixels of what is drawn to one of the page, as a uniform: it changes between moving and resting. */
  readonly ratio = { value: 1 };
  /** Drawn without a graphics card: by the processor, which has other things to do. */
  readonly software = drawsInSoftware();
  private readonly rough = new THREE.WebGLRenderTarget(1, 1, { generateMipmaps: false });
  private readonly sharp = new THREE.WebGLRenderTarget(1, 1, { generateMipmaps: false, samples: 4 });
  private readonly spread = overAll(
    new THREE.ShaderMaterial({
      fragmentShader: FRAGMENT,
      uniforms: { from: { value: null } },
      blending: THREE.NoBlending,
    }),
  );
  private readonly eye = new THREE.Camera();
  /** What is drawn into now; null for the canvas. */
  private target: THREE.WebGLRenderTarget | null = null;
  private asked = 0;
  private resting: ReturnType<typeof setTimeout> | undefined;

  /** `paint` draws the whole stage, into views that it asks for by `look`; `shown` is the scene that it draws, and from where. */
  constructor(
    canvas: HTMLCanvasElement,
    private readonly paint: () => void,
    private readonly shown: () => readonly [THREE.Scene, THREE.Camera],
  ) {
    this.renderer = new THREE.WebGLRenderer({
      canvas,
      antialias: !this.software,
      alpha: true,
      preserveDrawingBuffer: true,
    });
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
    this.renderer.autoClear = false;
    // Asking for errors waits until a shader is translated, a second of the page without a graphics card.
    this.renderer.debug.checkShaderErrors = import.meta.env.DEV;
  }

  /** Width and height in pixels of the page. */
  get size() {
    return this.renderer.getSize(new THREE.Vector2());
  }

  resize(width: number, height: number) {
    this.renderer.setSize(width, height, false);
    this.renderer.setPixelRatio(plainRatio());
    this.ask();
  }

  /** Something changed: it is drawn with the next frame, and sharp once nothing changes. */
  ask() {
    cancelAnimationFrame(this.asked);
    clearTimeout(this.resting);
    this.renderer.domElement.dataset.sharp = "false";
    this.asked = requestAnimationFrame(() => {
      if (!this.translated()) return this.ask();
      this.draw(this.software ? COARSE : plainRatio(), this.rough);
      // By a graphics card with more pixels than the screen has: edges are smooth, and no hand waits for it. Counted from here: a frame may
      // have come late.
      this.resting = setTimeout(() => this.draw(this.software ? plainRatio() : FINE, this.sharp), RESTED);
    });
  }

  /** Begins to translate shaders that are new; whether all can be drawn with. Until then the page goes on, and what was drawn stays. */
  private translated(): boolean {
    const { renderer } = this;
    const programs = [...renderer.compile(...this.shown())].map(
      (material) => renderer.properties.get(material) as { currentProgram?: { isReady(): boolean } },
    );
    return programs.every(({ currentProgram }) => currentProgram?.isReady() !== false);
  }

  /** The stage as a picture of so many pixels across, or as many as can be drawn; clear around the model. */
  capture(width: number): HTMLCanvasElement {
    const { renderer, size } = this;
    const most = renderer.capabilities.maxTextureSize / Math.max(size.x, size.y);
    const before = renderer.getPixelRatio();
    const ratio = Math.min(width / size.x, most);
    renderer.setPixelRatio(ratio);
    this.draw(ratio, this.sharp);
    const copy = document.createElement("canvas");
    copy.width = renderer.domElement.width;
    copy.height = renderer.domElement.height;
    copy.getContext("2d")?.drawImage(renderer.domElement, 0, 0);
    renderer.setPixelRatio(before);
    this.draw(before, this.sharp);
    return copy;
  }

  /** Draws so many pixels to one of the page; without a graphics card into `beside` first. */
  private draw(ratio: number, beside: THREE.WebGLRenderTarget) {
    const { renderer, size } = this;
    this.ratio.value = ratio;
    if (this.software) {
      this.target = beside;
      beside.setSize(Math.max(1, Math.round(size.x * ratio)), Math.max(1, Math.round(size.y * ratio)));
      beside.scissorTest = false;
    } else if (renderer.getPixelRatio() !== ratio) renderer.setPixelRatio(ratio);
    renderer.setRenderTarget(this.target);
    renderer.setScissorTest(false);
    renderer.clear();
    this.paint();
    if (this.target) this.spreadOut(this.target);
    this.target = null;
    renderer.domElement.dataset.sharp = String(beside === this.sharp);
  }

  private spreadOut(target: THREE.WebGLRenderTarget) {
    const { renderer, size } = this;
    renderer.setRenderTarget(null);
    renderer.setScissorTest(false);
    renderer.setViewport(0, 0, size.x, size.y);
    const { from } = this.spread.material.uniforms;
    if (from) from.value = target.texture;
    renderer.render(this.spread, this.eye);
  }

  /** Draws into a view of the stage from here on; what lies outside of `seen` stays. */
  look(view: Place, seen: Place) {
    const { renderer, target } = this;
    const ratio = this.ratio.value;
    if (!target) {
      renderer.setViewport(view.left, 0, view.width, view.height);
      renderer.setScissor(seen.left, 0, seen.width, seen.height);
      renderer.setScissorTest(true);
      return;
    }
    target.viewport.set(view.left * ratio, 0, view.width * ratio, view.height * ratio).round();
    target.scissor.set(seen.left * ratio, 0, seen.width * ratio, seen.height * ratio).round();
    target.scissorTest = true;
    renderer.setRenderTarget(target);
  }

  dispose() {
    cancelAnimationFrame(this.asked);
    clearTimeout(this.resting);
    for (const held of [this.rough, this.sharp, this.spread.geometry, this.spread.material]) held.dispose();
    this.renderer.dispose();
  }
}

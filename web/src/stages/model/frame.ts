// Where the stage is drawn: straight to the canvas by a graphics card; by the processor to a picture beside it, of as many pixels as there
// is time for, that is spread over the canvas. A canvas that changes its size waits for all that was drawn before, so it keeps its own.
import * as THREE from "three";

const VERTEX = /* glsl */ `
  varying vec2 vUv;
  void main() { vUv = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }
`;
const FRAGMENT = /* glsl */ `
  uniform sampler2D picture; varying vec2 vUv;
  void main() { gl_FragColor = texture2D(picture, vUv); }
`;

/** A part of the stage in pixels of the page, from its bottom left. */
export interface Place {
  left: number;
  width: number;
  height: number;
}

export class Frame {
  private readonly rough = new THREE.WebGLRenderTarget(1, 1, { generateMipmaps: false });
  private readonly sharp = new THREE.WebGLRenderTarget(1, 1, { generateMipmaps: false, samples: 4 });
  private readonly spread = new THREE.Mesh(
    new THREE.PlaneGeometry(2, 2),
    new THREE.ShaderMaterial({
      vertexShader: VERTEX,
      fragmentShader: FRAGMENT,
      uniforms: { picture: { value: null } },
      blending: THREE.NoBlending,
      depthTest: false,
      depthWrite: false,
    }),
  );
  private readonly eye = new THREE.Camera();
  /** What is drawn into now, and its pixels to one of the page; null for the canvas. */
  private target: THREE.WebGLRenderTarget | null = null;
  private ratio = 1;

  /** `beside`: drawn to a picture beside the canvas. */
  constructor(
    private readonly renderer: THREE.WebGLRenderer,
    private readonly beside: boolean,
  ) {
    this.spread.frustumCulled = false;
  }

  /** Begins a drawing of so many pixels to one of the page. */
  begin(ratio: number, rough: boolean) {
    const { renderer } = this;
    if (this.beside) {
      const size = renderer.getSize(new THREE.Vector2());
      this.target = rough ? this.rough : this.sharp;
      this.ratio = ratio;
      this.target.setSize(Math.max(1, Math.round(size.x * ratio)), Math.max(1, Math.round(size.y * ratio)));
      this.target.scissorTest = false;
      renderer.setRenderTarget(this.target);
    } else {
      if (renderer.getPixelRatio() !== ratio) renderer.setPixelRatio(ratio);
      renderer.setScissorTest(false);
    }
    renderer.clear();
  }

  /** Draws into a view of the stage from here on; what lies outside of `seen` stays. */
  look(view: Place, seen: Place) {
    const { renderer, target, ratio } = this;
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

  /** The drawing is whole. */
  end() {
    const { renderer, target } = this;
    if (!target) return;
    this.target = null;
    renderer.setRenderTarget(null);
    const { x, y } = renderer.getSize(new THREE.Vector2());
    renderer.setScissorTest(false);
    renderer.setViewport(0, 0, x, y);
    const picture = this.spread.material.uniforms.picture;
    if (picture) picture.value = target.texture;
    renderer.render(this.spread, this.eye);
  }

  dispose() {
    for (const held of [this.rough, this.sharp, this.spread.geometry, this.spread.material]) held.dispose();
  }
}

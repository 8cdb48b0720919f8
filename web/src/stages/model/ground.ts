// The ground under the model: a grid that tells sizes, and the soft shadow where the model comes near it. The shadow is drawn by a
// camera that looks up from the ground: what is near it is dark, and a blur that widens with height does the rest.
import * as THREE from "three";
import { overAll } from "./drawing";

/** Texels per side of the shadow. */
const SIDE = 256;
/** The shadow reaches so much further than the model's footprint, and so high into it. */
const [REACH, HEIGHT] = [1.7, 0.5];
/** The ground reaches so many times the model's size. */
const WIDE = 5;

const CAST_VERTEX = /* glsl */ `
  void main() { gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); }
`;
const CAST_FRAGMENT = /* glsl */ `
  void main() { float near = 1.0 - gl_FragCoord.z; gl_FragColor = vec4(vec3(near * near), 1.0); }
`;
/** A bell over texels `at` from its middle. */
const bell = (at: number) => Math.exp(-(at * at) / 24);
/** Readings of a blur on one side of its middle: two texels at a time, read between them by what each weighs. */
const TAPS = Array.from({ length: 4 }, (_, i) => {
  const [near, far] = [2 * i + 1, 2 * i + 2];
  const weight = bell(near) + bell(far);
  return { at: (near * bell(near) + far * bell(far)) / weight, weight };
});
const WHOLE = bell(0) + 2 * TAPS.reduce((sum, tap) => sum + tap.weight, 0);
const BLUR_FRAGMENT = /* glsl */ `
  uniform sampler2D from; uniform vec2 step; varying vec2 vUv;
  float pair(float at) { return texture2D(from, vUv + at * step).r + texture2D(from, vUv - at * step).r; }
  void main() {
    float sum = ${(bell(0) / WHOLE).toFixed(6)} * texture2D(from, vUv).r;
${TAPS.map(({ at, weight }) => `    sum += ${(weight / WHOLE).toFixed(6)} * pair(${at.toFixed(6)});`).join("\n")}
    gl_FragColor = vec4(vec3(sum), 1.0);
  }
`;
const GROUND_VERTEX = /* glsl */ `
  varying vec3 vWorld;
  void main() {
    vec4 world = modelMatrix * vec4(position, 1.0);
    vWorld = world.xyz;
    gl_Position = projectionMatrix * viewMatrix * world;
  }
`;
const GROUND_FRAGMENT = /* glsl */ `
  uniform sampler2D shadow; uniform mat4 caster; uniform vec3 middle; uniform float cell; uniform float far;
  varying vec3 vWorld;
  // One line per cell, a pixel wide at any distance, and none where cells are finer than pixels.
  float lines(vec2 at) {
    vec2 width = fwidth(at);
    vec2 off = abs(fract(at - 0.5) - 0.5) / max(width, 1e-6);
    float seen = 1.0 - smoothstep(0.25, 0.6, max(width.x, width.y));
    return (1.0 - min(min(off.x, off.y), 1.0)) * seen;
  }
  void main() {
    float away = length(vWorld.xz - middle.xz) / far;
    float fade = 1.0 - smoothstep(0.25, 1.0, away);
    vec2 at = (vWorld.xz - middle.xz) / cell;
    float grid = max(0.55 * lines(at), lines(at / 5.0)) * fade * 0.2;
    vec4 seen = caster * vec4(vWorld, 1.0);
    vec2 uv = seen.xy * 0.5 + 0.5;
    vec2 inside = step(vec2(0.0), uv) * step(uv, vec2(1.0));
    float dark = texture2D(shadow, uv).r * inside.x * inside.y * 0.62;
    float alpha = 1.0 - (1.0 - dark) * (1.0 - grid);
    // Lines are lighter than the stage, the shadow darker.
    gl_FragColor = vec4(vec3(grid * (1.0 - dark) / max(alpha, 1e-4)), alpha);
  }
`;

/** A length of 1, 2 or 5 times a power of ten: about an eighth of a size. */
export function cellOf(size: number): number {
  const wanted = Math.max(1e-9, size) / 8;
  const power = 10 ** Math.floor(Math.log10(wanted));
  return power * ([1, 2, 5].find((n) => n * power >= wanted * 0.75) ?? 10);
}

const target = () => new THREE.WebGLRenderTarget(SIDE, SIDE, { depthBuffer: true, generateMipmaps: false });

export class Ground {
  readonly mesh: THREE.Mesh<THREE.BufferGeometry, THREE.ShaderMaterial>;
  private readonly one = target();
  private readonly two = target();
  private readonly camera = new THREE.OrthographicCamera();
  private readonly cast = new THREE.ShaderMaterial({
    vertexShader: CAST_VERTEX,
    fragmentShader: CAST_FRAGMENT,
    side: THREE.DoubleSide,
  });
  private readonly blur = overAll(
    new THREE.ShaderMaterial({
      fragmentShader: BLUR_FRAGMENT,
      uniforms: { from: { value: null }, step: { value: new THREE.Vector2() } },
    }),
  );

  constructor() {
    const material = new THREE.ShaderMaterial({
      vertexShader: GROUND_VERTEX,
      fragmentShader: GROUND_FRAGMENT,
      transparent: true,
      depthWrite: false,
      side: THREE.DoubleSide,
      uniforms: {
        shadow: { value: this.one.texture },
        caster: { value: new THREE.Matrix4() },
        middle: { value: new THREE.Vector3() },
        cell: { value: 1 },
        far: { value: 1 },
      },
    });
    const plane = new THREE.PlaneGeometry(2, 2);
    plane.rotateX(-Math.PI / 2);
    this.mesh = new THREE.Mesh(plane, material);
    this.mesh.frustumCulled = false;
    this.mesh.renderOrder = -1;
    this.mesh.visible = false;
  }

  /** Lies under a box, with the shadow of a mesh. */
  lay(renderer: THREE.WebGLRenderer, box: THREE.Box3, body: THREE.Mesh) {
    const size = box.getSize(new THREE.Vector3());
    const middle = box.getCenter(new THREE.Vector3()).setY(box.min.y - size.length() * 0.002);
    const far = size.length() * WIDE;
    this.mesh.position.copy(middle);
    this.mesh.scale.set(far, 1, far);
    const u = this.mesh.material.uniforms as Record<string, THREE.IUniform>;
    const set = (name: string, value: unknown) => {
      const slot = u[name];
      if (slot) slot.value = value;
    };
    set("middle", middle);
    set("cell", cellOf(size.length()));
    set("far", far);
    const half = (Math.max(size.x, size.z, size.length() * 0.2) / 2) * REACH;
    const { camera } = this;
    [camera.left, camera.right, camera.top, camera.bottom] = [-half, half, half, -half];
    [camera.near, camera.far] = [0, Math.max(size.y * HEIGHT, size.length() * 0.08)];
    camera.position.copy(middle);
    camera.up.set(0, 0, 1);
    camera.lookAt(middle.x, middle.y + 1, middle.z);
    camera.updateProjectionMatrix();
    camera.updateMatrixWorld();
    set("caster", camera.projectionMatrix.clone().multiply(camera.matrixWorldInverse));
    this.draw(renderer, body);
  }

  private draw(renderer: THREE.WebGLRenderer, body: THREE.Mesh) {
    const scene = new THREE.Scene();
    const cast = new THREE.Mesh(body.geometry, this.cast);
    cast.frustumCulled = false;
    scene.add(cast);
    const into = renderer.getRenderTarget();
    const clear = renderer.getClearColor(new THREE.Color());
    const alpha = renderer.getClearAlpha();
    renderer.setClearColor(0, 1);
    renderer.setScissorTest(false);
    renderer.setRenderTarget(this.one);
    renderer.clear();
    renderer.render(scene, this.camera);
    for (const width of [1.4, 0.7]) {
      for (const [from, to, step] of [
        [this.one, this.two, [width / SIDE, 0]],
        [this.two, this.one, [0, width / SIDE]],
      ] as const) {
        const { from: source, step: by } = this.blur.material.uniforms;
        if (source) source.value = from.texture;
        (by?.value as THREE.Vector2 | undefined)?.set(step[0], step[1]);
        renderer.setRenderTarget(to);
        renderer.clear();
        renderer.render(this.blur, this.camera);
      }
    }
    renderer.setRenderTarget(into);
    renderer.setClearColor(clear, alpha);
  }

  dispose() {
    for (const held of [this.one, this.two, this.cast, this.blur.material, this.blur.geometry])
      held.dispose();
    this.mesh.geometry.dispose();
    this.mesh.material.dispose();
  }
}

// The model stage's drawing: low-poly and sculpt under one light, envelope shells, wires, and what the pointer is over. It
// draws only when something changed. React tells it what to show; it tells React what is pointed at. Plain three.js rather
// than a React renderer for it: two viewports, scissors and drawing on demand are its whole business.
import * as THREE from "three";
import type { TracedRay } from "../api/types";
import type { EnvelopeData } from "../reach/envelope-data";
import type { Look } from "../state";
import { pullCorners, setAway, type Ways } from "./apart";
import { Eye } from "./camera";
import { drawChecker } from "./checker";
import { seamLines } from "./layout-looks";
import { allEdges, flat, type Lines, linesOf, litSkin } from "./lines";
import { indexOf, type MeshData, roughOf } from "./mesh-data";
import { highOf, lowOf } from "./meshes";
import { Overlays, setShells } from "./overlays";
import { FURTHEST } from "./pairs-view";
import type { Sheets } from "./sheets";
import { Turning } from "./turning";

export interface View {
  look: Look;
  /** 0..1 of the stage's width. */
  wipe: number;
  /** Unit vector in view space, towards the light. */
  light: [number, number, number];
  /** What the map on the low-poly is read as. */
  mapMode: "normal" | "colour" | "none";
  green: 1 | -1;
  /** The outer envelope is drawn, and the inner one. */
  outer: boolean;
  inner: boolean;
  /** Where rays are plumb is hatched. */
  painted: boolean;
  wires: boolean;
  /** Parts by name that are left out, of each mesh. */
  hidden: { low: ReadonlySet<string>; high: ReadonlySet<string> };
  /** A look at the layout in place of the map: colours by triangle, the checker, or detail as texels hold it. */
  layout: "tints" | "checker" | "blur" | null;
  /** Texels a side of the sheet, and the width of the scratches that blur is shown on. */
  texels: number;
  detail: number;
  /** How far parts are pulled along their way, 0 to 1. */
  apart: number;
}

export interface Pointed {
  uv: [number, number];
  point: [number, number, number];
  index: number;
}

type ShaderMesh = THREE.Mesh<THREE.BufferGeometry, THREE.ShaderMaterial>;

interface Side {
  mesh: ShaderMesh;
  data: MeshData;
}

export class Viewer {
  private readonly renderer: THREE.WebGLRenderer;
  private readonly scene = new THREE.Scene();
  private readonly eye: Eye;
  private readonly light = { value: new THREE.Vector3(0.4, 0.6, 0.7) };
  private readonly caster = new THREE.Raycaster();
  private readonly blank = new THREE.DataTexture(new Uint8Array([128, 128, 255, 255]), 1, 1);
  private low: Side | null = null;
  private high: Side | null = null;
  /** Outer and inner envelope: a see-through skin and its edges for each. */
  private shells: { skin: ShaderMesh; edges: Lines }[] = [];
  private wire: Lines | null = null;
  private seams: Lines | null = null;
  private lit: { skin: ShaderMesh; edges: Lines } | null = null;
  /** Positions of the low-poly before anything is pulled apart, and where each corner goes. */
  private resting: Float32Array = new Float32Array();
  private ways: { low: Ways; high: Ways } = { low: new Map(), high: new Map() };
  private pulled = 0;
  /** Averaged direction of each corner, and the envelope along it. */
  private outward: Float32Array = new Float32Array();
  private envelope: EnvelopeData | null = null;
  private readonly overlays = new Overlays(this.scene);
  private checker: THREE.Texture | null = null;
  private view: View | null = null;
  private asked = 0;
  private readonly turning = new Turning(() => this.draw());
  /** Told after every drawing: where markers in the page have to follow. */
  onDraw: () => void = () => {};

  constructor(private readonly canvas: HTMLCanvasElement) {
    this.renderer = new THREE.WebGLRenderer({
      canvas,
      antialias: true,
      alpha: true,
      preserveDrawingBuffer: true,
    });
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
    this.renderer.autoClear = false;
    this.blank.needsUpdate = true;
    this.eye = new Eye(canvas, () => {
      this.turning.turned();
      this.draw();
    });
  }

  dispose() {
    cancelAnimationFrame(this.asked);
    this.turning.dispose();
    this.overlays.dispose();
    this.eye.controls.dispose();
    this.setLow(null);
    this.setHigh(null);
    this.renderer.dispose();
  }

  resize(width: number, height: number) {
    this.renderer.setPixelRatio(Math.min(2, window.devicePixelRatio));
    this.renderer.setSize(width, height, false);
    this.draw();
  }

  setLow(data: MeshData | null) {
    this.remove(this.low?.mesh);
    for (const { skin, edges } of this.shells) {
      this.remove(skin);
      this.remove(edges);
    }
    this.remove(this.wire);
    this.remove(this.seams);
    this.setLit(null);
    this.low = null;
    this.wire = null;
    this.seams = null;
    this.shells = [];
    if (!data) return;
    this.resting = data.floats("position") ?? new Float32Array();
    const count = data.header.vertices;
    this.outward = data.floats("outward") ?? new Float32Array(count * 3);
    const { geometry, material } = lowOf(data, this.resting, this.light, this.blank);
    this.low = { mesh: this.add(geometry, material), data };
    // The outer envelope in ember; the inner one in ink, drawn through the surface it lies under.
    this.shells = [
      this.shell(
        geometry,
        new THREE.Vector4(0.9, 0.42, 0.18, 0.1),
        new THREE.Vector4(1, 0.62, 0.42, 0.6),
        true,
      ),
      this.shell(geometry, new THREE.Vector4(0, 0, 0, 0), new THREE.Vector4(0.1, 0.08, 0.06, 0.22), false),
    ];
    this.wire = this.lines(geometry, allEdges(count), new THREE.Vector4(0.09, 0.07, 0.06, 0.34), true);
    this.pulled = 0;
    setShells(geometry, this.outward, this.resting, this.envelope);
    this.apply();
  }

  /** The envelope as it stands, with its needles and marks. */
  setEnvelope(data: EnvelopeData | null, show: { needles: boolean; marks: boolean; limits: boolean }) {
    this.envelope = data;
    if (this.low) setShells(this.low.mesh.geometry, this.outward, this.resting, data);
    this.overlays.setEnvelope(data, show, this.renderer.getPixelRatio());
    this.draw();
  }

  /** The ray of a traced texel. */
  setRay(ray: TracedRay | null) {
    this.overlays.setRay(ray, this.renderer.getPixelRatio());
    this.draw();
  }

  /** Where rays are plumb, as a picture over the UVs. */
  setPlumb(texture: THREE.Texture | null) {
    const slot = this.low?.mesh.material.uniforms.plumb;
    if (!slot) return;
    if (slot.value !== this.blank) (slot.value as THREE.Texture).dispose();
    slot.value = texture ?? this.blank;
    this.draw();
  }

  /** Whether a drag turns the model, or is left to a brush. */
  setTurnable(turns: boolean) {
    this.eye.controls.enableRotate = turns;
  }

  /** Pixels of the page that a length takes at a point of the model. */
  pixelsAt(point: [number, number, number], length: number): number {
    return this.eye.pixelsAt(point, length);
  }

  setHigh(data: MeshData | null) {
    this.remove(this.high?.mesh);
    this.high = null;
    this.turning.set(null, null);
    if (!data) return;
    const { geometry, material } = highOf(data, this.light);
    this.high = { mesh: this.add(geometry, material), data };
    this.setWays(this.ways);
    this.apply();
  }

  private shell(
    geometry: THREE.BufferGeometry,
    skin: THREE.Vector4,
    edge: THREE.Vector4,
    depthTest: boolean,
  ) {
    const edges = this.lines(geometry, allEdges(geometry.getAttribute("position").count), edge, depthTest);
    return { skin: this.add(geometry, flat(skin, depthTest)), edges };
  }

  /** Lines between corners of the low-poly, which move with it. */
  private lines(geometry: THREE.BufferGeometry, ends: Uint32Array, color: THREE.Vector4, depthTest: boolean) {
    const made = linesOf(geometry, ends, color, depthTest);
    this.scene.add(made);
    return made;
  }

  /** Lights triangles of the low-poly, their edges through whatever lies in front. */
  setLit(triangles: readonly number[] | null) {
    if (this.lit) {
      this.remove(this.lit.skin);
      this.remove(this.lit.edges);
      this.lit = null;
    }
    if (this.low && triangles && triangles.length > 0) {
      const from = this.low.mesh.geometry;
      const skin = this.add(...litSkin(from, triangles));
      const ends = new Uint32Array(
        triangles.flatMap((t) => [t * 3, t * 3 + 1, t * 3 + 1, t * 3 + 2, t * 3 + 2, t * 3]),
      );
      this.lit = { skin, edges: this.lines(from, ends, new THREE.Vector4(1, 0.55, 0.25, 0.9), false) };
    }
    this.draw();
  }

  /** Colours by triangle, four bytes each; the fourth hatches. */
  setTints(tints: Uint8Array | null) {
    if (!this.low || !tints) return;
    const slot = this.low.mesh.geometry.getAttribute("tint") as THREE.BufferAttribute;
    const corners = slot.array as Uint8Array;
    for (let corner = 0; corner < slot.count; corner++) {
      const from = Math.floor(corner / 3) * 4;
      corners.set(tints.subarray(from, from + 4), corner * 4);
    }
    slot.needsUpdate = true;
    this.draw();
  }

  /** Where parts go when pairs are pulled apart. */
  setWays(ways: { low: Ways; high: Ways }) {
    this.ways = ways;
    if (this.high) setAway(this.high.mesh.geometry, this.high.data, ways.high);
    this.pulled = -1;
    this.apply();
  }

  /** Moves the low-poly's corners along their ways. */
  private pull(apart: number) {
    if (!this.low || this.pulled === apart) return;
    this.pulled = apart;
    pullCorners(this.low.mesh.geometry, this.low.data, this.resting, this.ways.low, apart);
  }

  private add(geometry: THREE.BufferGeometry, material: THREE.ShaderMaterial) {
    const mesh = new THREE.Mesh(geometry, material);
    mesh.frustumCulled = false;
    this.scene.add(mesh);
    return mesh;
  }

  private remove(mesh: ShaderMesh | Lines | null | undefined) {
    if (!mesh) return;
    this.scene.remove(mesh);
    mesh.geometry.dispose();
    mesh.material.dispose();
  }

  /** Puts a map on the low-poly, one texture a sheet; none takes it off. Old textures are let go. */
  setMaps(textures: THREE.Texture[], sheets: Sheets | null) {
    if (!this.low) return;
    const { material } = this.low.mesh;
    const slot = material.uniforms.maps;
    if (!slot) return;
    for (const old of slot.value as THREE.Texture[]) if (old !== this.blank) old.dispose();
    slot.value = textures.length > 0 ? textures : [this.blank];
    if (material.defines.SHEETS !== slot.value.length) {
      material.defines.SHEETS = slot.value.length;
      material.needsUpdate = true;
    }
    const numbers = this.low.mesh.geometry.getAttribute("sheet") as THREE.BufferAttribute;
    for (let corner = 0; corner < numbers.count; corner++)
      numbers.setX(corner, sheets?.of[Math.floor(corner / 3)] ?? 0);
    numbers.needsUpdate = true;
    this.draw();
  }

  get anisotropy() {
    return this.renderer.capabilities.getMaxAnisotropy();
  }

  show(view: View) {
    const pulled = this.view && this.view.apart !== view.apart;
    this.view = view;
    this.apply();
    if (pulled) this.frame();
  }

  private apply() {
    const view = this.view;
    if (!view) return;
    this.light.value.set(...view.light).normalize();
    const [outer, inner] = this.shells;
    if (this.low) {
      const u = this.low.mesh.material.uniforms;
      const mapped = view.look !== "low" && view.mapMode !== "none";
      const plain = mapped ? (view.mapMode === "normal" ? 1 : 2) : 0;
      if (u.mode) u.mode.value = view.layout ? { tints: 3, checker: 4, blur: 5 }[view.layout] : plain;
      if (u.texels) u.texels.value = view.texels;
      if (u.detail) u.detail.value = view.detail;
      if (view.layout === "checker" && u.checker) u.checker.value = this.checkerTexture();
      this.pull(view.apart);
      if (u.green) u.green.value = view.green;
      if (u.painted) u.painted.value = view.painted ? 1 : 0;
      this.hide(this.low, view.hidden.low);
    }
    if (this.high) {
      const u = this.high.mesh.material.uniforms;
      if (u.mode) u.mode.value = view.mapMode === "colour" && this.high.data.colors ? 2 : 0;
      if (u.apart) u.apart.value = view.apart;
      this.hide(this.high, view.hidden.high);
      const rough = this.high.data.rough ? roughOf(this.high.data, view.hidden.high) : null;
      this.turning.set(this.high.mesh.geometry, rough && new THREE.BufferAttribute(rough, 1));
    }
    for (const [shell, shown, x, y] of [
      [outer, view.outer, 1, 0],
      [inner, view.inner, 0, 1],
    ] as const) {
      if (!shell) continue;
      for (const drawn of [shell.skin, shell.edges]) {
        drawn.visible = shown;
        (drawn.material.uniforms.lifts?.value as THREE.Vector2 | undefined)?.set(x, y);
      }
    }
    if (this.wire) this.wire.visible = view.wires;
    // Found when first asked for: on a dense low-poly it takes a while.
    if (view.layout && this.low && !this.seams) {
      const { mesh, data } = this.low;
      this.seams = this.lines(
        mesh.geometry,
        seamLines(data),
        new THREE.Vector4(0.08, 0.05, 0.04, 0.95),
        true,
      );
    }
    if (this.seams) this.seams.visible = view.layout !== null;
    this.draw();
  }

  private checkerTexture() {
    if (!this.checker) {
      this.checker = new THREE.CanvasTexture(drawChecker());
      this.checker.colorSpace = THREE.NoColorSpace;
      this.checker.anisotropy = this.anisotropy;
      this.checker.wrapS = THREE.RepeatWrapping;
      this.checker.wrapT = THREE.RepeatWrapping;
    }
    return this.checker;
  }

  /** Leaves hidden parts out of what is drawn and pointed at. */
  private hide({ mesh, data }: Side, hidden: ReadonlySet<string>) {
    mesh.geometry.setIndex(new THREE.BufferAttribute(indexOf(data, hidden), 1));
  }

  /** The model's box; null without one. */
  private box(): THREE.Box3 | null {
    const header = (this.low ?? this.high)?.data.header;
    if (!header) return null;
    return new THREE.Box3(new THREE.Vector3(...header.low_corner), new THREE.Vector3(...header.high_corner));
  }

  /** Frames the model where the eye cannot have found it yet. */
  keepInView(asset: number) {
    const box = this.box();
    if (box && this.eye.isLost(asset, box)) this.frame();
  }

  /** Shows all of the model, from where it is looked at now. */
  frame(point?: [number, number, number] | null) {
    const box = this.box();
    if (!box) return;
    // Pulled apart, it takes more room.
    const more = (FURTHEST * (this.view?.apart ?? 0)) / 2;
    box.expandByVector(box.getSize(new THREE.Vector3()).multiplyScalar(more));
    this.eye.frame(box, this.view?.look === "beside" && !this.view.layout ? 0.5 : 1, point);
    this.draw();
  }

  draw() {
    cancelAnimationFrame(this.asked);
    this.asked = requestAnimationFrame(() => this.drawNow());
  }

  private drawNow() {
    const view = this.view;
    if (!view) return;
    const size = this.renderer.getSize(new THREE.Vector2());
    const ratio = this.renderer.getPixelRatio();
    this.renderer.setScissorTest(false);
    this.renderer.clear();
    const look = view.look === "baked" || view.look === "low" || view.layout ? "low" : view.look;
    const split = this.low?.mesh.material.uniforms.split;
    if (split) split.value = view.wipe * size.x * ratio;
    const wipe = look === "wipe" ? view.wipe * size.x * ratio : null;
    if (look === "beside") {
      this.pass("low", 0, size.x / 2, size.y, null);
      this.pass("sculpt", size.x / 2, size.x / 2, size.y, null);
    } else {
      this.pass(look, 0, size.x, size.y, wipe);
    }
    this.onDraw();
  }

  private pass(
    what: "low" | "sculpt" | "wipe",
    x: number,
    width: number,
    height: number,
    wipe: number | null,
  ) {
    this.renderer.setViewport(x, 0, width, height);
    this.renderer.setScissor(x, 0, width, height);
    this.renderer.setScissorTest(true);
    this.eye.camera.aspect = width / Math.max(1, height);
    this.eye.camera.updateProjectionMatrix();
    if (this.low) {
      this.low.mesh.visible = what !== "sculpt" || !this.high;
      const u = this.low.mesh.material.uniforms.wipe;
      if (u) u.value = wipe ?? 1e9;
    }
    if (this.high) {
      this.high.mesh.visible = what !== "low" || !this.low;
      const u = this.high.mesh.material.uniforms.wipe;
      if (u) u.value = wipe ?? -1;
    }
    this.renderer.render(this.scene, this.eye.camera);
  }

  /** What of the low-poly lies under a place of the stage, in pixels from its top left. */
  pick(x: number, y: number): Pointed | null {
    if (!this.low || !this.view || this.view.look === "sculpt") return null;
    let [width, left] = [this.canvas.clientWidth, 0];
    if (this.view.look === "beside") {
      width /= 2;
      left = x > width ? width : 0;
    }
    const pointer = new THREE.Vector2(((x - left) / width) * 2 - 1, 1 - (y / this.canvas.clientHeight) * 2);
    this.caster.setFromCamera(pointer, this.eye.camera);
    const visible = this.low.mesh.visible;
    this.low.mesh.visible = true;
    const hit = this.caster.intersectObject(this.low.mesh, false)[0];
    this.low.mesh.visible = visible;
    if (!hit?.uv || !hit.face) return null;
    const way = this.wayOf(hit.face.a);
    const point = [hit.point.x - way[0], hit.point.y - way[1], hit.point.z - way[2]] as [
      number,
      number,
      number,
    ];
    return { uv: [hit.uv.x, hit.uv.y], point, index: hit.face.a };
  }

  /** How far a corner of the low-poly is pulled now. */
  private wayOf(corner: number): [number, number, number] {
    const part = this.low?.data.header.parts.find((p) => corner >= p.start && corner < p.start + p.count);
    return this.pulledBy(part?.name ?? "");
  }

  private pulledBy(part: string): [number, number, number] {
    const apart = this.view?.apart ?? 0;
    const way = this.ways.low.get(part) ?? [0, 0, 0];
    return [way[0] * apart, way[1] * apart, way[2] * apart];
  }

  /** Turns (arrows) or zooms (plus, minus) by keyboard; false for any other key. */
  key(key: string): boolean {
    const taken = this.eye.key(key);
    if (taken) this.draw();
    return taken;
  }

  /** Where a point of the model stands on the stage, in pixels; null behind the eye. A part's name moves it with the part. */
  project(point: [number, number, number], part = ""): [number, number] | null {
    const by = this.pulledBy(part);
    const p = new THREE.Vector3(point[0] + by[0], point[1] + by[1], point[2] + by[2]).project(
      this.eye.camera,
    );
    if (p.z > 1) return null;
    const width = this.view?.look === "beside" ? this.canvas.clientWidth / 2 : this.canvas.clientWidth;
    return [((p.x + 1) / 2) * width, ((1 - p.y) / 2) * this.canvas.clientHeight];
  }
}

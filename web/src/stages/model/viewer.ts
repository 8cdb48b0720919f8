// The model stage's drawing: low-poly and sculpt under one light, what layers add to the scene, and what lies under the pointer. It
// draws only when something changed. React tells it what to show. Plain three.js rather than a React renderer for it: two viewports,
// scissors and drawing on demand are its whole business.
import * as THREE from "three";
import { MeshBVH } from "three-mesh-bvh";
import { type MeshData, roughOf } from "../mesh-data";
import type { Point } from "../view";
import { FURTHEST, pullCorners, setAway, type Ways } from "./apart";
import { Eye } from "./camera";
import { define, uniforms } from "./drawing";
import { Frame } from "./frame";
import { Ground } from "./ground";
import { dropMaterial, putMaterial } from "./material";
import {
  hideParts,
  highOf,
  type LowSide,
  lowOf,
  type ShaderMesh,
  type SharedUniforms,
  type Side,
  setDensities,
  setSheets,
  setTints,
} from "./meshes";
import { MASK_LOOKS, type MaskLook, MODES, modeOf, type Paint } from "./paint";
import type { Pointed, View } from "./pointed";
import type { Against } from "./scene";
import { Turning } from "./turning";

export class Viewer {
  private readonly frames: Frame;
  private readonly scene = new THREE.Scene();
  private readonly eye: Eye;
  private readonly shared: SharedUniforms;
  private readonly ground = new Ground();
  /** The ground has to be laid anew: the model came, went or moved. */
  private moved = true;
  private readonly blank = new THREE.DataTexture(new Uint8Array([128, 128, 255, 255]), 1, 1);
  private low: LowSide | null = null;
  private high: Side | null = null;
  /** What is drawn where the low-poly would be. */
  private inPlace: ShaderMesh | null = null;
  /** Finds what is under the pointer; made when first asked for, and again when the low-poly's faces move or go. */
  private finder: MeshBVH | null = null;
  private ways: { low: Ways; high: Ways } = { low: new Map(), high: new Map() };
  private pulled = 0;
  /** The maps of a run, and what a layer paints in their place. */
  private maps: Paint | null = null;
  private over: Paint | null = null;
  /** Two paints that are compared, in place of the one above. */
  private against: Against | null = null;
  private view: View | null = null;
  private readonly turning = new Turning(() => this.draw());
  private readonly drawn = new Set<() => void>();
  private readonly end = new AbortController();

  constructor(private readonly canvas: HTMLCanvasElement) {
    this.frames = new Frame(
      canvas,
      () => this.drawAll(),
      () => [this.scene, this.eye.camera],
    );
    this.shared = { light: { value: new THREE.Vector3(0.4, 0.6, 0.7) }, ratio: this.frames.ratio };
    this.blank.needsUpdate = true;
    this.scene.add(this.ground.mesh);
    this.eye = new Eye(canvas, () => {
      this.turning.turned();
      this.draw();
    });
    // A graphics card that was taken away and given back: three.js uploads everything anew, and all is drawn again.
    const restored = () => {
      this.moved = true;
      this.draw();
    };
    canvas.addEventListener("webglcontextrestored", restored, { signal: this.end.signal });
  }

  dispose() {
    this.end.abort();
    this.ground.dispose();
    this.turning.dispose();
    this.eye.controls.dispose();
    this.setLow(null);
    this.setHigh(null);
    this.blank.dispose();
    this.frames.dispose();
  }

  resize(width: number, height: number) {
    this.frames.resize(width, height);
  }

  /** The stage as a picture of so many pixels across, or as many as can be drawn; clear around the model. */
  capture(width: number): HTMLCanvasElement {
    return this.frames.capture(width);
  }

  /** Where it is drawn. */
  get area(): HTMLCanvasElement {
    return this.canvas;
  }

  /** Pixels of the canvas to one of the page, as a uniform: it changes between moving and resting. */
  get ratio() {
    return this.shared.ratio;
  }

  /** What is drawn where the low-poly would be; null for the low-poly itself. */
  get standing(): ShaderMesh | null {
    return this.inPlace;
  }

  /** What every mesh is lit by. */
  get lighting(): SharedUniforms {
    return this.shared;
  }

  /** Readings of a texture at a slant; by the processor each takes as long as a plain one. */
  get anisotropy() {
    return this.frames.software ? 1 : this.frames.renderer.capabilities.getMaxAnisotropy();
  }

  setLow(data: MeshData | null): LowSide | null {
    this.drop(this.low);
    this.finder = null;
    this.low = data && lowOf(data, this.shared, this.blank);
    if (this.low) this.scene.add(this.low.mesh);
    this.pulled = 0;
    this.moved = true;
    this.putPaint();
    this.hide();
    this.apply();
    return this.low;
  }

  setHigh(data: MeshData | null): Side | null {
    this.drop(this.high);
    this.turning.set(null, null);
    this.high = data && highOf(data, this.shared);
    if (this.high) {
      this.scene.add(this.high.mesh);
      this.hide();
      this.setWays(this.ways);
    }
    return this.high;
  }

  /** Draws a mesh where the low-poly would be; null draws the low-poly again. Whoever made it lets go of it. */
  setInPlace(mesh: ShaderMesh | null) {
    if (this.inPlace) this.scene.remove(this.inPlace);
    this.inPlace = mesh;
    if (mesh) this.scene.add(mesh);
    this.draw();
  }

  private drop(side: Side | null) {
    if (!side) return;
    this.scene.remove(side.mesh);
    side.mesh.geometry.dispose();
    side.mesh.material.dispose();
  }

  /** Puts what a layer draws into the scene. */
  add(...objects: THREE.Object3D[]) {
    this.scene.add(...objects);
    this.draw();
  }

  remove(...objects: THREE.Object3D[]) {
    this.scene.remove(...objects);
    this.draw();
  }

  /** The maps that the low-poly wears. */
  setMaps(paint: Paint) {
    this.maps = paint;
    this.putPaint();
    this.draw();
  }

  /** What its surface shows in their place; null shows them again. */
  setOver(paint: Paint | null, against: Against | null = null) {
    const wasBeside = this.beside;
    this.over = paint;
    this.against = paint && against;
    this.putPaint();
    this.keepRoom(wasBeside);
    this.draw();
  }

  private get paint() {
    return this.over ?? this.maps;
  }

  private putPaint(paint = this.paint) {
    if (!this.low) return;
    const { material } = this.low.mesh;
    const u = uniforms(material);
    const maps = paint?.kind === "maps" && paint.textures.length > 0 ? paint.textures : [this.blank];
    u("maps").value = maps;
    define(material, "SHEETS", maps.length);
    if (paint?.kind === "maps") {
      setSheets(this.low, paint.sheets);
      u("green").value = paint.green;
      u("strength").value = paint.strength;
    } else if (paint?.kind === "tints") setTints(this.low, paint.tints);
    else if (paint?.kind === "material") putMaterial(material, paint);
    else if (paint?.kind === "detail") {
      u("texels").value = paint.texels;
      u("detail").value = paint.width;
      setDensities(this.low, paint.densities);
    }
    // Textures that are let go of must not be drawn with, which would take them up again.
    if (paint?.kind !== "material") dropMaterial(material);
    // What is clear is seen through.
    material.transparent = paint?.kind === "material" && paint.textures.opacity !== undefined;
    u("picture").value = paint?.kind === "picture" ? paint.texture : this.blank;
    this.putMode(paint);
  }

  private putMode(paint = this.paint) {
    if (!this.low) return;
    const bare = paint === null || (paint === this.maps && this.view?.look === "low");
    define(this.low.mesh.material, "MODE", bare ? MODES.bare : modeOf(paint));
    if (!this.high) return;
    // The sculpt wears its own colours beside a map of colours.
    const colored = paint?.kind === "maps" && modeOf(paint) === MODES.color;
    uniforms(this.high.mesh.material)("mode").value = colored && this.high.data.colors ? 2 : 0;
  }

  /** A picture over the UVs that shows in ember where it is white, or in its own grey; null takes it off. */
  setMask(texture: THREE.Texture | null, look: MaskLook = "hatched") {
    if (!this.low) return;
    const { material } = this.low.mesh;
    uniforms(material)("mask").value = texture ?? this.blank;
    define(material, "MASKED", texture ? MASK_LOOKS[look] : 0);
    this.draw();
  }

  /** Whether the whole stage shows the low-poly, whatever the look: a paint in place of maps is looked at alone. */
  private get alone() {
    return this.over !== null;
  }

  private get beside() {
    return this.alone ? this.against?.how === "beside" : this.view?.look === "beside";
  }

  /** Whether a drag turns the model, or is left to a tool. */
  setTurnable(turns: boolean) {
    this.eye.controls.enableRotate = turns;
  }

  /** Pixels of the page that a length takes at a point of the model. */
  pixelsAt(point: Point, length: number): number {
    return this.eye.pixelsAt(point, length);
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
    pullCorners(this.low.mesh.geometry, this.low.data, this.low.resting, this.ways.low, apart);
    this.finder?.refit();
    this.moved = true;
  }

  show(view: View) {
    const before = this.view;
    const wasBeside = this.beside;
    this.view = view;
    if (before?.hidden !== view.hidden) this.hide();
    this.apply();
    if (before && before.apart !== view.apart) this.frame();
    else if (before) this.keepRoom(wasBeside);
  }

  /** Half the stage for each mesh, or all of it for one: neither is cut off. */
  private keepRoom(wasBeside: boolean) {
    if (this.beside !== wasBeside) this.eye.giveRoom(this.box(), this.beside ? 0.5 : 1);
  }

  private apply() {
    const view = this.view;
    if (!view) return;
    this.shared.light.value.set(...view.light).normalize();
    this.pull(view.apart);
    if (this.high) uniforms(this.high.mesh.material)("apart").value = view.apart;
    this.putMode();
    this.draw();
  }

  /** Leaves hidden parts out. */
  private hide() {
    const hidden = this.view?.hidden;
    if (!hidden) return;
    if (this.low) hideParts(this.low, hidden.low);
    this.finder = null;
    this.moved = true;
    if (!this.high) return;
    hideParts(this.high, hidden.high);
    const rough = this.high.data.rough ? roughOf(this.high.data, hidden.high) : null;
    this.turning.set(this.high.mesh.geometry, rough && new THREE.BufferAttribute(rough, 1));
  }

  /** The model's box; null without one. */
  private box(): THREE.Box3 | null {
    const header = (this.low ?? this.high)?.data.header;
    if (!header) return null;
    const box = new THREE.Box3(
      new THREE.Vector3(...header.low_corner),
      new THREE.Vector3(...header.high_corner),
    );
    // Pulled apart, it takes more room.
    const more = (FURTHEST * (this.view?.apart ?? 0)) / 2;
    return box.expandByVector(box.getSize(new THREE.Vector3()).multiplyScalar(more));
  }

  /** Frames the model where the eye cannot have found it yet. */
  keepInView(asset: number) {
    const box = this.box();
    if (box && this.eye.meets(asset, box)) this.frame();
  }

  /** Shows all of the model, or a point of it, from where it is looked at now. */
  frame(point?: Point | null) {
    const box = this.box();
    if (!box) return;
    this.eye.frame(box, this.beside ? 0.5 : 1, point);
    this.draw();
  }

  /** Hears after every drawing, where markers in the page have to follow; the answer ends it. */
  onDraw(listener: () => void): () => void {
    this.drawn.add(listener);
    return () => {
      this.drawn.delete(listener);
    };
  }

  draw() {
    this.frames.ask();
  }

  /** Lays the ground under the model; it is seen from above only. */
  private layGround() {
    const box = this.box();
    const body = (this.low ?? this.high)?.mesh;
    this.ground.mesh.visible = Boolean(box && body) && this.eye.camera.position.y > (box?.min.y ?? 0);
    if (!this.moved || !box || !body) return;
    this.moved = false;
    this.ground.lay(this.frames.renderer, box, body);
  }

  /** The middle of the model on the stage and its radius, in pixels; null without one. */
  middle(): { at: [number, number]; radius: number } | null {
    const ball = this.box()?.getBoundingSphere(new THREE.Sphere());
    if (!ball) return null;
    const point = ball.center.toArray() as Point;
    const at = this.project(point);
    return at && { at, radius: this.eye.pixelsAt(point, ball.radius) };
  }

  private drawAll() {
    const view = this.view;
    if (!view) return;
    this.layGround();
    const { size } = this.frames;
    const line = view.wipe * size.x * this.shared.ratio.value;
    if (this.low) uniforms(this.low.mesh.material)("split").value = this.against ? 0 : line;
    if (this.against) this.drawAgainst(this.against, size, line);
    else if (this.beside) {
      this.pass("low", 0, size.x / 2, size.y, null);
      this.pass("sculpt", size.x / 2, size.x / 2, size.y, null);
    } else {
      const what = this.alone || view.look === "baked" || view.look === "low" ? "low" : view.look;
      this.pass(what === "beside" ? "low" : what, 0, size.x, size.y, what === "wipe" ? line : null);
    }
    const { geometries, textures } = this.frames.renderer.info.memory;
    this.canvas.dataset.held = `${geometries} ${textures}`;
    for (const listener of this.drawn) listener();
  }

  /** The low-poly twice, each with a paint of its own: side by side, or on both sides of a line. */
  private drawAgainst({ how, left, right }: Against, size: THREE.Vector2, line: number) {
    const at = how === "beside" ? size.x / 2 : line / this.shared.ratio.value;
    for (const [paint, from, to] of [[left, 0, at] as const, [right, at, size.x] as const]) {
      this.putPaint(paint);
      const place = how === "beside" ? ([from, to - from] as const) : ([0, size.x] as const);
      this.pass("low", ...place, size.y, null, [from, to - from]);
    }
    this.putPaint();
  }

  private pass(
    what: "low" | "sculpt" | "wipe",
    x: number,
    width: number,
    height: number,
    wipe: number | null,
    [left, wide]: readonly [number, number] = [x, width],
  ) {
    this.frames.look({ left: x, width, height }, { left, width: wide, height });
    this.eye.camera.aspect = width / Math.max(1, height);
    this.eye.camera.updateProjectionMatrix();
    for (const mesh of [this.low?.mesh, this.inPlace]) {
      if (!mesh) continue;
      const wanted = mesh === (this.inPlace ?? this.low?.mesh);
      mesh.visible = wanted && (what !== "sculpt" || !this.high);
      uniforms(mesh.material)("wipe").value = wipe ?? 1e9;
    }
    if (this.high) {
      this.high.mesh.visible = what !== "low" || !this.low;
      uniforms(this.high.mesh.material)("wipe").value = wipe ?? -1;
    }
    this.frames.renderer.render(this.scene, this.eye.camera);
  }

  /** What of the low-poly lies under a place of the stage, in pixels from its top left. */
  pick(x: number, y: number): Pointed | null {
    if (!this.low || !this.view || (this.view.look === "sculpt" && !this.alone)) return null;
    let [width, left] = [this.canvas.clientWidth, 0];
    if (this.beside) {
      width /= 2;
      left = x > width ? width : 0;
    }
    const pointer = new THREE.Vector2(((x - left) / width) * 2 - 1, 1 - (y / this.canvas.clientHeight) * 2);
    const caster = new THREE.Raycaster();
    caster.setFromCamera(pointer, this.eye.camera);
    // Indirect: the index keeps its order, which tells parts apart.
    this.finder ??= new MeshBVH(this.low.mesh.geometry, { indirect: true });
    const hit = this.finder.raycastFirst(caster.ray, THREE.DoubleSide);
    if (!hit?.uv || !hit.face) return null;
    const corner = hit.face.a;
    const part = this.low.data.header.parts.find((p) => corner >= p.start && corner < p.start + p.count);
    const [wx, wy, wz] = this.pulledBy(part?.name ?? "");
    const point: Point = [hit.point.x - wx, hit.point.y - wy, hit.point.z - wz];
    return { uv: [hit.uv.x, hit.uv.y], point, triangle: Math.floor(corner / 3) };
  }

  private pulledBy(part: string): Point {
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
  project(point: Point, part = ""): [number, number] | null {
    const by = this.pulledBy(part);
    const p = new THREE.Vector3(point[0] + by[0], point[1] + by[1], point[2] + by[2]).project(
      this.eye.camera,
    );
    if (p.z > 1) return null;
    const width = this.beside ? this.canvas.clientWidth / 2 : this.canvas.clientWidth;
    return [((p.x + 1) / 2) * width, ((1 - p.y) / 2) * this.canvas.clientHeight];
  }
}

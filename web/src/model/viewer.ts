// The model stage's drawing: low-poly and sculpt under one light, envelope shells, wires, and what the pointer is over. It
// draws only when something changed. React tells it what to show; it tells React what is pointed at. Plain three.js rather
// than a React renderer for it: two viewports, scissors and drawing on demand are its whole business.
import * as THREE from "three";
import { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
import type { Look } from "../state";
import type { MeshData } from "./mesh-data";
import { HIGH_FRAGMENT, HIGH_VERTEX, LOW_FRAGMENT, LOW_VERTEX, SHELL_FRAGMENT } from "./shaders";
import type { Sheets } from "./sheets";

export interface View {
  look: Look;
  /** 0..1 of the stage's width. */
  wipe: number;
  /** Unit vector in view space, towards the light. */
  light: [number, number, number];
  /** What the map on the low-poly is read as. */
  mapMode: "normal" | "colour" | "none";
  green: 1 | -1;
  /** Distances of the outer envelope and, while it is asked for, of the inner one. */
  envelope: { out: number; inward: number | null } | null;
  wires: boolean;
  hidden: ReadonlySet<string>;
}

export interface Pointed {
  uv: [number, number];
  point: [number, number, number];
  index: number;
}

const PLAIN = new THREE.Vector3(0.62, 0.61, 0.6);
const stem = (name: string) =>
  name.toLowerCase().replace(/[_.\- ](low|lo|lp|lowpoly|high|hi|hp|highpoly)$/, "");

type ShaderMesh = THREE.Mesh<THREE.BufferGeometry, THREE.ShaderMaterial>;

interface Side {
  mesh: ShaderMesh;
  data: MeshData;
}

export class Viewer {
  private readonly renderer: THREE.WebGLRenderer;
  private readonly scene = new THREE.Scene();
  private readonly camera = new THREE.PerspectiveCamera(32, 1, 0.01, 100);
  private readonly controls: OrbitControls;
  private readonly light = { value: new THREE.Vector3(0.4, 0.6, 0.7) };
  private readonly caster = new THREE.Raycaster();
  private readonly blank = new THREE.DataTexture(new Uint8Array([128, 128, 255, 255]), 1, 1);
  private low: Side | null = null;
  private high: Side | null = null;
  /** Outer and inner envelope: a see-through skin and its edges for each. */
  private shells: {
    skin: ShaderMesh;
    edges: THREE.LineSegments<THREE.BufferGeometry, THREE.ShaderMaterial>;
  }[] = [];
  private wire: THREE.LineSegments | null = null;
  private view: View | null = null;
  private asked = 0;
  private framed = false;
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
    this.camera.position.set(2.1, 1.1, 4.2);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.zoomToCursor = true;
    this.controls.enableDamping = false;
    this.controls.mouseButtons = {
      LEFT: THREE.MOUSE.ROTATE,
      MIDDLE: THREE.MOUSE.PAN,
      RIGHT: THREE.MOUSE.PAN,
    };
    this.controls.addEventListener("change", () => this.draw());
  }

  dispose() {
    cancelAnimationFrame(this.asked);
    this.controls.dispose();
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
      this.scene.remove(edges);
      edges.geometry.dispose();
      edges.material.dispose();
    }
    if (this.wire) {
      this.scene.remove(this.wire);
      this.wire.geometry.dispose();
      this.wire = null;
    }
    this.low = null;
    this.shells = [];
    if (!data) return;
    const geometry = new THREE.BufferGeometry();
    const count = data.header.vertices;
    const attribute = (name: string, from: string, size: number) =>
      geometry.setAttribute(
        name,
        new THREE.BufferAttribute(data.floats(from) ?? new Float32Array(count * size), size),
      );
    attribute("position", "position", 3);
    attribute("normal", "normal", 3);
    attribute("outward", "outward", 3);
    attribute("uv", "uv", 2);
    attribute("frame", "tangent", 4);
    geometry.setAttribute("sheet", new THREE.BufferAttribute(new Float32Array(count), 1));
    const material = new THREE.ShaderMaterial({
      vertexShader: LOW_VERTEX,
      fragmentShader: LOW_FRAGMENT,
      defines: { SHEETS: 1 },
      side: THREE.DoubleSide,
      uniforms: {
        light: this.light,
        maps: { value: [this.blank] },
        mode: { value: 0 },
        green: { value: 1 },
        base: { value: PLAIN },
        wipe: { value: 1e9 },
        lift: { value: 0 },
      },
    });
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
    this.wire = new THREE.LineSegments(
      new THREE.WireframeGeometry(geometry),
      new THREE.LineBasicMaterial({ color: 0x161310, transparent: true, opacity: 0.34 }),
    );
    this.scene.add(this.wire);
    this.apply();
    if (!this.framed) this.frame();
  }

  setHigh(data: MeshData | null) {
    this.remove(this.high?.mesh);
    this.high = null;
    if (!data) return;
    const geometry = new THREE.BufferGeometry();
    for (const name of ["position", "normal"])
      geometry.setAttribute(name, new THREE.BufferAttribute(data.floats(name) ?? new Float32Array(), 3));
    const colors = data.colors ?? new Uint8Array(data.header.vertices * 4).fill(150);
    geometry.setAttribute("tint", new THREE.BufferAttribute(colors, 4, true));
    const material = new THREE.ShaderMaterial({
      vertexShader: HIGH_VERTEX,
      fragmentShader: HIGH_FRAGMENT,
      side: THREE.DoubleSide,
      uniforms: { light: this.light, base: { value: PLAIN }, mode: { value: 0 }, wipe: { value: -1 } },
    });
    this.high = { mesh: this.add(geometry, material), data };
    this.apply();
    if (!this.framed) this.frame();
  }

  private shell(
    geometry: THREE.BufferGeometry,
    skin: THREE.Vector4,
    edge: THREE.Vector4,
    depthTest: boolean,
  ) {
    const material = (color: THREE.Vector4) =>
      new THREE.ShaderMaterial({
        vertexShader: LOW_VERTEX,
        fragmentShader: SHELL_FRAGMENT,
        uniforms: { color: { value: color }, lift: { value: 0 } },
        transparent: true,
        depthWrite: false,
        depthTest,
      });
    const lines = new THREE.BufferGeometry();
    for (const name of ["position", "normal", "outward", "uv", "frame"])
      lines.setAttribute(name, geometry.getAttribute(name));
    const corners = geometry.getAttribute("position").count;
    const ends = new Uint32Array(corners * 2);
    for (let t = 0; t + 2 < corners; t += 3) ends.set([t, t + 1, t + 1, t + 2, t + 2, t], t * 2);
    lines.setIndex(new THREE.BufferAttribute(ends, 1));
    const edges = new THREE.LineSegments(lines, material(edge));
    edges.frustumCulled = false;
    this.scene.add(edges);
    return { skin: this.add(geometry, material(skin)), edges };
  }

  private add(geometry: THREE.BufferGeometry, material: THREE.ShaderMaterial) {
    const mesh = new THREE.Mesh(geometry, material);
    mesh.frustumCulled = false;
    this.scene.add(mesh);
    return mesh;
  }

  private remove(mesh: ShaderMesh | undefined) {
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
    this.view = view;
    this.apply();
  }

  private apply() {
    const view = this.view;
    if (!view) return;
    this.light.value.set(...view.light).normalize();
    const [outer, inner] = this.shells;
    if (this.low) {
      const u = this.low.mesh.material.uniforms;
      const mapped = view.look !== "low" && view.mapMode !== "none";
      if (u.mode) u.mode.value = mapped ? (view.mapMode === "normal" ? 1 : 2) : 0;
      if (u.green) u.green.value = view.green;
      this.hide(this.low, view.hidden);
    }
    if (this.high) {
      const u = this.high.mesh.material.uniforms;
      if (u.mode) u.mode.value = view.mapMode === "colour" && this.high.data.colors ? 2 : 0;
      this.hide(this.high, view.hidden);
    }
    for (const [shell, lift] of [
      [outer, view.envelope?.out ?? null],
      [inner, view.envelope?.inward ?? null],
    ] as const) {
      if (!shell) continue;
      for (const drawn of [shell.skin, shell.edges]) {
        drawn.visible = lift !== null;
        if (drawn.material.uniforms.lift)
          drawn.material.uniforms.lift.value = shell === inner ? -(lift ?? 0) : (lift ?? 0);
      }
    }
    if (this.wire) this.wire.visible = view.wires;
    this.draw();
  }

  /** Leaves hidden parts out of what is drawn and pointed at. A sculpt's part goes with the low part of its stem. */
  private hide(side: Side, hidden: ReadonlySet<string>) {
    const stems = new Set([...hidden].map(stem));
    const shown = side.data.header.parts.filter((p) => {
      const own = stem(p.name);
      return ![...stems].some((s) => own === s || own.startsWith(`${s}_`));
    });
    const geometry = side.mesh.geometry;
    if (shown.length === side.data.header.parts.length) {
      geometry.setIndex(new THREE.BufferAttribute(side.data.index, 1));
      return;
    }
    const kept = new Uint32Array(shown.reduce((n, p) => n + p.count, 0));
    let at = 0;
    for (const part of shown) {
      kept.set(side.data.index.subarray(part.start, part.start + part.count), at);
      at += part.count;
    }
    geometry.setIndex(new THREE.BufferAttribute(kept, 1));
  }

  /** Shows all of the model, from where it is looked at now. */
  frame(point?: [number, number, number] | null) {
    const header = (this.low ?? this.high)?.data.header;
    if (!header) return;
    const low = new THREE.Vector3(...header.low_corner);
    const high = new THREE.Vector3(...header.high_corner);
    const radius = Math.max(1e-6, high.distanceTo(low) / 2);
    const centre = point ? new THREE.Vector3(...point) : low.clone().add(high).multiplyScalar(0.5);
    const direction = this.camera.position.clone().sub(this.controls.target).normalize();
    if (point) {
      // A place on the model is looked at from outside.
      direction.copy(centre.clone().sub(low.clone().add(high).multiplyScalar(0.5)));
      direction.y *= 0.6;
      direction.normalize();
    }
    const distance = point ? radius * 1.3 : this.distanceToHold(low, high, centre, direction);
    this.camera.near = radius / 200;
    this.camera.far = radius * 40;
    this.camera.position.copy(centre).addScaledVector(direction, distance);
    this.controls.target.copy(centre);
    this.controls.minDistance = radius * 0.05;
    this.controls.maxDistance = radius * 12;
    this.framed = true;
    this.controls.update();
    this.draw();
  }

  /** How far back the eye must stand to see every corner of a box, with a margin for the tools at the top. */
  private distanceToHold(
    low: THREE.Vector3,
    high: THREE.Vector3,
    centre: THREE.Vector3,
    direction: THREE.Vector3,
  ) {
    const width = this.view?.look === "beside" ? this.canvas.clientWidth / 2 : this.canvas.clientWidth;
    const half = Math.tan(((this.camera.fov / 2) * Math.PI) / 180);
    const [up, side] = [half * 0.86, (half * 0.92 * width) / Math.max(1, this.canvas.clientHeight)];
    const right = new THREE.Vector3(0, 1, 0).cross(direction).normalize();
    const above = direction.clone().cross(right);
    let distance = 0;
    for (let i = 0; i < 8; i++) {
      const corner = new THREE.Vector3(
        i & 1 ? low.x : high.x,
        i & 2 ? low.y : high.y,
        i & 4 ? low.z : high.z,
      );
      corner.sub(centre);
      const towards = corner.dot(direction);
      distance = Math.max(
        distance,
        towards + Math.abs(corner.dot(right)) / side,
        towards + Math.abs(corner.dot(above)) / up,
      );
    }
    return distance;
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
    const look = view.look === "baked" || view.look === "low" ? "low" : view.look;
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
    this.camera.aspect = width / Math.max(1, height);
    this.camera.updateProjectionMatrix();
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
    this.renderer.render(this.scene, this.camera);
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
    this.caster.setFromCamera(pointer, this.camera);
    const visible = this.low.mesh.visible;
    this.low.mesh.visible = true;
    const hit = this.caster.intersectObject(this.low.mesh, false)[0];
    this.low.mesh.visible = visible;
    if (!hit?.uv || !hit.face) return null;
    return { uv: [hit.uv.x, hit.uv.y], point: [hit.point.x, hit.point.y, hit.point.z], index: hit.face.a };
  }

  /** Turns (arrows) or zooms (plus, minus) by keyboard; false for any other key. */
  key(key: string): boolean {
    const turns: Record<string, [number, number]> = {
      ArrowLeft: [-0.15, 0],
      ArrowRight: [0.15, 0],
      ArrowUp: [0, -0.12],
      ArrowDown: [0, 0.12],
    };
    const place = new THREE.Spherical().setFromVector3(
      this.camera.position.clone().sub(this.controls.target),
    );
    const turn = turns[key];
    if (turn) {
      place.theta += turn[0];
      place.phi += turn[1];
    } else if (key === "+" || key === "=") place.radius *= 0.85;
    else if (key === "-") place.radius /= 0.85;
    else return false;
    this.camera.position
      .copy(this.controls.target)
      .add(new THREE.Vector3().setFromSpherical(place.makeSafe()));
    this.controls.update();
    this.draw();
    return true;
  }

  /** Where a point of the model stands on the stage, in pixels; null behind the eye. */
  project(point: [number, number, number]): [number, number] | null {
    const p = new THREE.Vector3(...point).project(this.camera);
    if (p.z > 1) return null;
    const width = this.view?.look === "beside" ? this.canvas.clientWidth / 2 : this.canvas.clientWidth;
    return [((p.x + 1) / 2) * width, ((1 - p.y) / 2) * this.canvas.clientHeight];
  }
}

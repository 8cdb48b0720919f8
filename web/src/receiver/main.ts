// The receiver: a stand-in for the program that a delivery goes to. It reads the GLB by three.js's own loader and knows nothing else of the
// bake; the sculpt stands beside it under the same light, seen by the same eye.
import "@fontsource-variable/archivo/standard.css";
import "@fontsource-variable/spline-sans-mono";
import "./receiver.css";
import * as THREE from "three";
import { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
import { RoomEnvironment } from "three/examples/jsm/environments/RoomEnvironment.js";
import { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";
import { api, deliveredUrl } from "../api/client";
import { readMesh } from "../stages/mesh-data";
import { factsOf } from "./facts";

const asked = new URLSearchParams(location.search);
const number = (name: string) => {
  const value = Number(asked.get(name));
  return Number.isInteger(value) && value > 0 ? value : null;
};
const [asset, delivery, file] = [number("asset"), number("delivery"), asked.get("file")];

/** Turns of the sun about the model that the arrow keys make, and from where it shines first, degrees. */
const TURN = 15;
const FIRST_SUN = 35;
const SUN_HEIGHT = 42;

/** Half of the window with a scene of its own. */
interface Half {
  scene: THREE.Scene;
  sun: THREE.DirectionalLight;
  caption: HTMLElement;
}

const root = document.getElementById("receiver") as HTMLElement;
const element = <K extends keyof HTMLElementTagNameMap>(tag: K, name: string, text = "") => {
  const made = document.createElement(tag);
  made.className = name;
  made.textContent = text;
  return made;
};

const renderer = new THREE.WebGLRenderer({ antialias: true, preserveDrawingBuffer: true });
renderer.setPixelRatio(devicePixelRatio);
renderer.outputColorSpace = THREE.SRGBColorSpace;
renderer.toneMapping = THREE.NeutralToneMapping;
renderer.setScissorTest(true);
renderer.domElement.setAttribute("role", "img");
renderer.domElement.setAttribute("aria-label", "The delivered model on the left, the sculpt on the right");
renderer.domElement.tabIndex = 0;
const room = new THREE.PMREMGenerator(renderer).fromScene(new RoomEnvironment(), 0.04).texture;
const camera = new THREE.PerspectiveCamera(30, 1, 0.01, 100);
const controls = new OrbitControls(camera, renderer.domElement);
controls.enableDamping = false;
controls.zoomToCursor = true;

function half(side: "left" | "right", name: string): Half {
  const scene = new THREE.Scene();
  scene.background = new THREE.Color(0x3d3e3f);
  scene.environment = room;
  scene.environmentIntensity = 0.55;
  const sun = new THREE.DirectionalLight(0xfff4e2, 2.2);
  scene.add(sun, sun.target);
  const caption = element("figcaption", `caption ${side}`);
  caption.append(element("b", "", name), element("span", "about"));
  root.append(caption);
  return { scene, sun, caption };
}

root.append(renderer.domElement);
const delivered = half("left", "Delivered GLB");
const sculpt = half("right", "Sculpt");
const tools = element("div", "tools");
root.append(element("div", "middle"), tools);
let turned = FIRST_SUN;

function say(of: Half, words: string, fault = false) {
  const about = of.caption.querySelector(".about");
  if (!about) return;
  about.textContent = words;
  about.classList.toggle("fault", fault);
  if (fault) about.setAttribute("role", "alert");
}

let waiting = false;
/** Draws both halves before the next frame; never more often. */
function draw() {
  if (waiting) return;
  waiting = true;
  requestAnimationFrame(() => {
    waiting = false;
    const [wide, high] = [root.clientWidth, root.clientHeight];
    const middle = Math.floor(wide / 2);
    renderer.setSize(wide, high);
    camera.aspect = middle / high;
    camera.updateProjectionMatrix();
    const height = (SUN_HEIGHT * Math.PI) / 180;
    const angle = (turned * Math.PI) / 180;
    const from = new THREE.Vector3(
      Math.sin(angle) * Math.cos(height),
      Math.sin(height),
      Math.cos(angle) * Math.cos(height),
    );
    for (const [{ scene, sun }, left, width] of [
      [delivered, 0, middle],
      [sculpt, middle, wide - middle],
    ] as const) {
      sun.position.copy(controls.target).addScaledVector(from, 10);
      sun.target.position.copy(controls.target);
      renderer.setViewport(left, 0, width, high);
      renderer.setScissor(left, 0, width, high);
      renderer.render(scene, camera);
    }
  });
}

/** Puts the eye where all of a model is seen, whichever way the halves are wide. */
function frame(model: THREE.Object3D) {
  const sphere = new THREE.Box3().setFromObject(model).getBoundingSphere(new THREE.Sphere());
  const aspect = root.clientWidth / 2 / root.clientHeight;
  const half = (camera.fov * Math.PI) / 360;
  const narrow = Math.min(half, Math.atan(Math.tan(half) * aspect));
  const away = new THREE.Vector3(0.52, 0.34, 0.8)
    .normalize()
    .multiplyScalar((sphere.radius * 1.08) / Math.sin(narrow));
  controls.target.copy(sphere.center);
  camera.position.copy(sphere.center).add(away);
  camera.near = sphere.radius / 100;
  camera.far = sphere.radius * 100;
  controls.update();
  draw();
}

async function readDelivered(): Promise<void> {
  if (delivery === null || !file)
    throw new Error("The address names no delivery. Open the receiver at Deliver.");
  const { scene } = await new GLTFLoader().loadAsync(deliveredUrl(delivery, file));
  delivered.scene.add(scene);
  say(delivered, factsOf(scene));
  frame(scene);
  tools.append(...toggles(scene));
}

/** Buttons that take a kind of texture off the delivered model, to see what it does. */
function toggles(model: THREE.Object3D): HTMLButtonElement[] {
  const materials = new Set<THREE.MeshStandardMaterial>();
  model.traverse((node) => {
    if (node instanceof THREE.Mesh && node.material instanceof THREE.MeshStandardMaterial)
      materials.add(node.material);
  });
  const kinds = [
    ["Normals", ["normalMap"]],
    ["Occlusion", ["aoMap"]],
    ["Colour", ["map"]],
  ] as const;
  return kinds.flatMap(([label, fields]) => {
    const held = [...materials].flatMap((m) => fields.flatMap((f) => (m[f] ? [[m, f, m[f]] as const] : [])));
    if (held.length === 0) return [];
    const button = element("button", "", label);
    button.type = "button";
    button.setAttribute("aria-pressed", "true");
    button.addEventListener("click", () => {
      const on = button.getAttribute("aria-pressed") !== "true";
      button.setAttribute("aria-pressed", String(on));
      for (const [material, field, texture] of held) {
        material[field] = on ? texture : null;
        material.needsUpdate = true;
      }
      draw();
    });
    return [button];
  });
}

async function readSculpt(): Promise<void> {
  if (asset === null) throw new Error("The address names no asset. Open the receiver at Deliver.");
  const { recipe } = await api.asset(asset);
  if (recipe.high.length === 0) {
    say(sculpt, "None: the surface is made by its finishes alone");
    return;
  }
  const data = readMesh(await api.display(asset, "high", false));
  const geometry = new THREE.BufferGeometry();
  const take = (name: string) => new THREE.BufferAttribute(data.floats(name) ?? new Float32Array(), 3);
  geometry.setAttribute("position", take("position"));
  geometry.setIndex(new THREE.BufferAttribute(data.index, 1));
  if (data.floats("normal")) geometry.setAttribute("normal", take("normal"));
  else geometry.computeVertexNormals();
  const material = new THREE.MeshStandardMaterial({ color: 0x9a9a98, roughness: 0.7, metalness: 0 });
  sculpt.scene.add(new THREE.Mesh(geometry, material));
  say(sculpt, `${(data.index.length / 3).toLocaleString("en")} triangles shown, without colour`);
  draw();
}

const failed = (of: Half) => (fault: unknown) =>
  say(of, fault instanceof Error ? fault.message : String(fault), true);
say(delivered, "Reading it as an engine would…");
say(sculpt, "Reading…");
void Promise.allSettled([readDelivered().catch(failed(delivered)), readSculpt().catch(failed(sculpt))]).then(
  () => {
    root.dataset.ready = "yes";
    draw();
  },
);
const hint = element("p", "hint", "Drag turns, wheel zooms, right drag moves. Arrow keys turn the sun.");
root.append(hint);
controls.addEventListener("change", draw);
addEventListener("resize", draw);
addEventListener("keydown", (e) => {
  const by = { ArrowLeft: -TURN, ArrowRight: TURN }[e.key];
  if (by === undefined) return;
  turned += by;
  e.preventDefault();
  draw();
});
draw();

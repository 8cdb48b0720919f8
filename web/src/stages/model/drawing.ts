// What the viewer asks of WebGL.
import * as THREE from "three";

let software: boolean | null = null;

/** Whether WebGL draws on the processor here. */
export function drawsInSoftware(): boolean {
  if (software !== null) return software;
  const gl = document.createElement("canvas").getContext("webgl2");
  const told = gl?.getExtension("WEBGL_debug_renderer_info");
  const name = gl?.getParameter(told ? told.UNMASKED_RENDERER_WEBGL : gl.RENDERER);
  gl?.getExtension("WEBGL_lose_context")?.loseContext();
  software = /swiftshader|llvmpipe|software/i.test(String(name));
  return software;
}

/** A material's uniforms by name. */
export function uniforms(material: THREE.ShaderMaterial): (name: string) => THREE.IUniform {
  return (name) => {
    const slot = material.uniforms[name];
    if (!slot) throw new Error(`The stage's shader has no ${name}.`);
    return slot;
  };
}

/** Compiles a number into a material's shader; each variant is compiled once. */
export function define(material: THREE.ShaderMaterial, name: string, value: number) {
  if (material.defines[name] === value) return;
  material.defines[name] = value;
  material.needsUpdate = true;
}

const OVER_ALL = /* glsl */ `
  varying vec2 vUv;
  void main() { vUv = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }
`;

/** What draws a material's fragments, with `vUv` across them, over all that is drawn into. */
export function overAll(
  material: THREE.ShaderMaterial,
): THREE.Mesh<THREE.PlaneGeometry, THREE.ShaderMaterial> {
  material.vertexShader = OVER_ALL;
  material.depthTest = false;
  material.depthWrite = false;
  const mesh = new THREE.Mesh(new THREE.PlaneGeometry(2, 2), material);
  mesh.frustumCulled = false;
  return mesh;
}

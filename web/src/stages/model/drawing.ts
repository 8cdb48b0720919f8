// What the viewer asks of WebGL.
import type * as THREE from "three";

/** Whether a context draws on the processor. */
export function isSoftware(gl: WebGLRenderingContext | WebGL2RenderingContext): boolean {
  const told = gl.getExtension("WEBGL_debug_renderer_info");
  const name = gl.getParameter(told ? told.UNMASKED_RENDERER_WEBGL : gl.RENDERER);
  return /swiftshader|llvmpipe|software/i.test(String(name));
}

/** A material's uniforms by name. */
export function uniforms(material: THREE.ShaderMaterial): (name: string) => THREE.IUniform {
  return (name) => {
    const slot = material.uniforms[name];
    if (!slot) throw new Error(`The stage's shader has no ${name}.`);
    return slot;
  };
}

// The low-poly as a renderer displaces it, in place of the flat one: its facets as they are, in grey or in colours of how far they are from
// the sculpt.
import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import * as THREE from "three";
import { api } from "../../../api/client";
import type { DisplacedHeader } from "../../../api/types";
import { readArrays } from "../../../stages/mesh-data";
import { uniforms } from "../../../stages/model/drawing";
import { useScene } from "../../../stages/model/scene";
import { LIGHT } from "../../../stages/model/shaders";
import { useView } from "../../../stages/view";
import { useDisplacing, useSubdivisions } from "./section";

const VERTEX = /* glsl */ `
  attribute vec3 way;
  attribute float off;
  uniform float height;
  varying vec3 vEye; varying float vOff;
  void main() {
    vec4 view = modelViewMatrix * vec4(position + way * height, 1.0);
    vEye = -view.xyz;
    vOff = off;
    gl_Position = projectionMatrix * view;
  }
`;

const FRAGMENT = /* glsl */ `
  ${LIGHT}
  uniform float wipe; // in pixels; drawn left of it
  uniform float most; // the brightest stands for; 0 for no colours
  varying vec3 vEye; varying float vOff;
  vec3 heat(float share) {
    vec3 middle = vec3(0.784, 0.337, 0.165);
    return share < 0.5
      ? mix(vec3(0.094, 0.094, 0.102), middle, share * 2.0)
      : mix(middle, vec3(1.0, 0.941, 0.839), share * 2.0 - 1.0);
  }
  void main() {
    if (gl_FragCoord.x > wipe) discard;
    // Facets as they are: how coarse it is must be seen.
    vec3 n = normalize(cross(dFdx(-vEye), dFdy(-vEye)));
    vec3 c = most > 0.0 ? (vOff < 0.0 ? vec3(0.463) : heat(clamp(vOff / most, 0.0, 1.0))) : vec3(0.62, 0.61, 0.6);
    vec3 lit = shade(c, n, normalize(vEye));
    if (most > 0.0) lit = mix(c, lit, 0.4);
    gl_FragColor = vec4(gl_FrontFacing ? lit : hatch(lit), 1.0);
  }
`;

export function DisplacedOnModel() {
  const scene = useScene();
  const run = useDisplacing();
  const shown = useView((s) => s.displaced);
  const level = shown?.level ?? 0;
  const within = useSubdivisions().data?.levels.find((one) => one.level === level)?.off?.p99 ?? 0;
  const most = shown?.most ?? within;
  const mesh = useQuery({
    queryKey: ["displaced", run?.id, level],
    queryFn: async ({ signal }) =>
      readArrays<DisplacedHeader>(await api.displaced(run?.id ?? 0, level, signal)),
    enabled: shown !== null && run !== null,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 30_000,
    retry: false,
    structuralSharing: false,
    placeholderData: (old, before) => (before?.queryKey[1] === run?.id ? old : undefined),
  }).data;
  const on = shown !== null;
  useEffect(() => {
    if (!scene || !mesh || !on) return;
    const made = drawn(mesh, scene.viewer.lighting);
    scene.viewer.setInPlace(made);
    return () => {
      scene.viewer.setInPlace(null);
      made.geometry.dispose();
      made.material.dispose();
    };
  }, [scene, mesh, on]);
  const { height = 1, colors = false } = shown ?? {};
  // After the mesh: its uniforms are set anew whenever it is another one.
  useEffect(() => {
    const material = scene?.viewer.standing?.material;
    if (!scene || !mesh || !on || !material) return;
    uniforms(material)("height").value = height;
    uniforms(material)("most").value = colors && height === 1 ? most : 0;
    scene.viewer.draw();
  }, [scene, mesh, on, height, colors, most]);
  return null;
}

function drawn(
  { header, floats, uints }: ReturnType<typeof readArrays<DisplacedHeader>>,
  lighting: { light: { value: THREE.Vector3 }; ratio: { value: number } },
): THREE.Mesh<THREE.BufferGeometry, THREE.ShaderMaterial> {
  const geometry = new THREE.BufferGeometry();
  const attribute = (name: string, size: number) =>
    geometry.setAttribute(
      name,
      new THREE.BufferAttribute(floats(name) ?? new Float32Array(header.vertices * size).fill(-1), size),
    );
  attribute("position", 3);
  attribute("way", 3);
  attribute("off", 1);
  geometry.setIndex(new THREE.BufferAttribute(uints("index") ?? new Uint32Array(), 1));
  const material = new THREE.ShaderMaterial({
    vertexShader: VERTEX,
    fragmentShader: FRAGMENT,
    side: THREE.DoubleSide,
    uniforms: { ...lighting, wipe: { value: 1e9 }, height: { value: 1 }, most: { value: 0 } },
  });
  const mesh = new THREE.Mesh(geometry, material);
  mesh.frustumCulled = false;
  return mesh;
}

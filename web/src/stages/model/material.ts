// The material look: the low-poly lit as what its maps say it is, by a sky that is made here. The light of a microfacet surface is the
// sun's by GGX (Walter and others, "Microfacet Models for Refraction through Rough Surfaces", 2007) and the sky's by Karis, "Physically
// Based Shading on Mobile", 2014; bright light is eased by Reinhard's curve with a white point ("Photographic Tone Reproduction", 2002).
import * as THREE from "three";
import { define, uniforms } from "./drawing";

/** A sky: linear light of its parts, and how hard its sun is. */
interface Sky {
  zenith: THREE.Vector3;
  horizon: THREE.Vector3;
  ground: THREE.Vector3;
  sun: THREE.Vector3;
}

const sky = (zenith: number[], horizon: number[], ground: number[], sun: number[]): Sky => ({
  zenith: new THREE.Vector3(...zenith),
  horizon: new THREE.Vector3(...horizon),
  ground: new THREE.Vector3(...ground),
  sun: new THREE.Vector3(...sun),
});

export const SKIES = {
  morning: sky([0.3, 0.42, 0.62], [0.85, 0.8, 0.74], [0.34, 0.3, 0.26], [2.6, 2.35, 2.0]),
  overcast: sky([0.72, 0.75, 0.78], [0.62, 0.64, 0.66], [0.22, 0.21, 0.2], [0.7, 0.7, 0.7]),
  dusk: sky([0.1, 0.13, 0.26], [0.62, 0.38, 0.26], [0.07, 0.06, 0.07], [2.4, 1.25, 0.55]),
} as const;

export type SkyName = keyof typeof SKIES;

/** Maps that a material is made of, by the uniform that holds each. */
export const MATERIAL_MAPS = {
  matColor: "base-color",
  matRough: "roughness",
  matMetal: "metallic",
  matGlow: "emission",
  matClear: "opacity",
  matNormal: "normal",
  matOpen: "ao",
} as const;

/** What is read where a material has no such map. */
const ABSENT: Record<keyof typeof MATERIAL_MAPS, string> = {
  matColor: "vec4(0.5)",
  matRough: "vec4(0.55)",
  matMetal: "vec4(0.0)",
  matGlow: "vec4(0.0)",
  matClear: "vec4(1.0)",
  matNormal: "vec4(0.5, 0.5, 1.0, 1.0)",
  matOpen: "vec4(1.0)",
};

export const materialUniforms = () => ({
  ...Object.fromEntries(Object.keys(MATERIAL_MAPS).map((name) => [name, { value: null }])),
  zenith: { value: SKIES.morning.zenith },
  horizon: { value: SKIES.morning.horizon },
  groundLight: { value: SKIES.morning.ground },
  sun: { value: SKIES.morning.sun },
  exposure: { value: 1 },
  plain: { value: 0 },
});

export const materialDefines = () =>
  Object.fromEntries(Object.keys(MATERIAL_MAPS).map((name) => [`HAS_${name}`, 0]));

export interface MaterialView {
  textures: Readonly<Record<string, THREE.Texture>>;
  sky: SkyName;
  /** Stops of exposure; 0 leaves light as it is. */
  exposure: number;
  /** Bright light is cut off, not eased. */
  plain: boolean;
  /** Times that the normal map leans as far as it says. */
  strength?: number;
  /** Which way its green points, where it is not as before. */
  green?: 1 | -1;
}

/** Puts a material into the low-poly's. A map that there is none of is not read. */
export function putMaterial(material: THREE.ShaderMaterial, view: MaterialView) {
  const u = uniforms(material);
  for (const [name, map] of Object.entries(MATERIAL_MAPS)) {
    u(name).value = view.textures[map] ?? null;
    define(material, `HAS_${name}`, view.textures[map] ? 1 : 0);
  }
  const { zenith, horizon, ground, sun } = SKIES[view.sky];
  u("zenith").value = zenith;
  u("horizon").value = horizon;
  u("groundLight").value = ground;
  u("sun").value = sun;
  u("exposure").value = 2 ** view.exposure;
  u("plain").value = view.plain ? 1 : 0;
  u("strength").value = view.strength ?? 1;
  if (view.green) u("green").value = view.green;
}

/** Takes the textures of a material out of the uniforms. */
export function dropMaterial(material: THREE.ShaderMaterial) {
  for (const name of Object.keys(MATERIAL_MAPS)) uniforms(material)(name).value = null;
}

const READ = Object.entries(ABSENT).map(
  ([name, absent]) => /* glsl */ `
#if HAS_${name}
  uniform sampler2D ${name};
  #define ${name}At(uv) texture2D(${name}, uv)
#else
  #define ${name}At(uv) ${absent}
#endif`,
);

export const MATERIAL = /* glsl */ `
  ${READ.join("")}
  uniform vec3 zenith; uniform vec3 horizon; uniform vec3 groundLight; uniform vec3 sun;
  uniform float exposure; uniform int plain;
  vec3 fromSrgb(vec3 c) { return mix(c / 12.92, pow((c + 0.055) / 1.055, vec3(2.4)), step(0.04045, c)); }
  vec3 toSrgb(vec3 c) { return mix(c * 12.92, 1.055 * pow(c, vec3(1.0 / 2.4)) - 0.055, step(0.0031308, c)); }
  // The sky in a direction of view space, seen by a surface so rough: a ridge stands against it all around.
  vec3 skyIn(vec3 way, vec3 up, float rough) {
    vec3 world = (vec4(way, 0.0) * viewMatrix).xyz;
    float around = atan(world.x, world.z);
    float ridge = 0.10 + 0.05 * sin(3.0 * around + 0.6) + 0.03 * sin(7.0 * around + 1.9) + 0.012 * sin(17.0 * around);
    float rise = dot(way, up) - ridge * (1.0 - rough);
    float soft = mix(0.015, 0.75, rough);
    vec3 sky = mix(horizon, zenith, pow(clamp(rise, 0.0, 1.0), mix(0.45, 0.9, rough)));
    // A bright haze lies on the ridge, as over distant hills.
    sky += horizon * 0.5 * exp(-max(rise, 0.0) * mix(14.0, 3.0, rough)) * (1.0 - 0.6 * rough);
    return mix(groundLight, sky, smoothstep(-soft, soft, rise));
  }
  vec3 material(vec3 n, vec3 eye, out float clear) {
    vec3 up = normalize((viewMatrix * vec4(0.0, 1.0, 0.0, 0.0)).xyz);
    vec3 color = fromSrgb(matColorAt(vUv).rgb);
    float rough = clamp(matRoughAt(vUv).r, 0.05, 1.0);
    float metal = matMetalAt(vUv).r;
    float open = matOpenAt(vUv).r;
    clear = matClearAt(vUv).r;
    float toEye = max(dot(n, eye), 1e-3);
    vec3 f0 = mix(vec3(0.04), color, metal);
    vec3 body = color * (1.0 - metal);
    // The sky's light.
    vec3 scattered = mix(groundLight, mix(horizon, zenith, 0.55), 0.5 + 0.5 * dot(n, up));
    vec4 r = rough * vec4(-1.0, -0.0275, -0.572, 0.022) + vec4(1.0, 0.0425, 1.04, -0.04);
    float a = min(r.x * r.x, exp2(-9.28 * toEye)) * r.x + r.y;
    vec2 share = vec2(-1.04, 1.04) * a + r.zw;
    // What is deep in a corner mirrors the corner.
    float seen = clamp(pow(toEye + open, exp2(-16.0 * rough - 1.0)) - 1.0 + open, 0.0, 1.0);
    vec3 lit = body * scattered * open + skyIn(reflect(-eye, n), up, rough) * (f0 * share.x + share.y) * seen;
    // The sun's.
    vec3 h = normalize(light + eye);
    float toSun = max(dot(n, light), 0.0);
    float alpha = rough * rough;
    float d = dot(n, h) * dot(n, h) * (alpha * alpha - 1.0) + 1.0;
    float spread = alpha * alpha / (3.14159265 * d * d);
    float k = alpha * 0.5;
    float shadowed = 0.25 / ((toEye * (1.0 - k) + k) * (toSun * (1.0 - k) + k));
    vec3 fresnel = f0 + (1.0 - f0) * pow(1.0 - max(dot(h, eye), 0.0), 5.0);
    lit += sun * toSun * mix(0.55, 1.0, open) * (body / 3.14159265 * 1.6 + fresnel * min(spread * shadowed, 24.0));
    lit += fromSrgb(matGlowAt(vUv).rgb);
    lit *= exposure;
    if (plain == 0) lit = lit * (1.0 + lit / 9.0) / (1.0 + lit) * 1.22;
    return toSrgb(clamp(lit, 0.0, 1.0));
  }
`;

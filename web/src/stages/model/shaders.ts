// One light for low-poly and sculpt alike, so that the two can be compared. The normal map is decoded as the recipe's report
// says: n = normalize(x T + y B + z N), with interpolated, not normalised, N and T, and B = sign * cross(N, T).

import { MATERIAL } from "./material";
import { MASK_LOOKS, MODES } from "./paint";

export const LIGHT = /* glsl */ `
  uniform vec3 light;
  uniform float ratio; // pixels of the canvas to one of the page
  vec3 toLinear(vec3 c) { return pow(c, vec3(2.2)); }
  // A wide soft sky over a darker ground gives form its shape from every side; a key light that can be moved models it; a tight
  // highlight shows the grain of a normal map, and grazing edges catch the sky. All of it without colour.
  vec3 shade(vec3 base, vec3 n, vec3 eye) {
    vec3 up = normalize((viewMatrix * vec4(0.0, 1.0, 0.0, 0.0)).xyz);
    float sky = 0.5 + 0.5 * dot(n, up);
    float ambient = mix(0.07, 0.40, sky * sky * (3.0 - 2.0 * sky));
    float facing = dot(n, light);
    float key = smoothstep(-0.12, 1.0, facing) * 0.92;
    vec3 h = normalize(light + eye);
    float lit = step(0.0, facing);
    float shine = (pow(max(dot(n, h), 0.0), 60.0) * 0.20 + pow(max(dot(n, h), 0.0), 9.0) * 0.05) * lit;
    float edge = pow(1.0 - max(dot(n, eye), 0.0), 4.0) * 0.16 * sky;
    vec3 c = toLinear(base) * (key + ambient) + shine + edge;
    // Lights roll off before they burn out.
    c = c / (1.0 + 0.25 * c * c);
    return pow(clamp(c, 0.0, 1.0), vec3(1.0 / 2.2));
  }
  // Back sides are hatched, so that they cannot be mistaken for fronts in any colour.
  vec3 hatch(vec3 c) {
    float line = step(0.62, fract((gl_FragCoord.x + gl_FragCoord.y) / (6.0 * ratio)));
    return mix(c * 0.55, vec3(0.86), line * 0.5);
  }
`;

/** Sheets the model can wear at once; triangles of others are drawn without a map. */
export const MOST_SHEETS = 8;

export const LOW_VERTEX = /* glsl */ `
  attribute vec3 rise;
  attribute vec3 sink;
  attribute vec4 frame;
  attribute float sheet;
  attribute vec4 tint;
  attribute float density;
  uniform vec2 lifts; // to the outer envelope, to the inner one
  varying vec4 vTint; varying float vDensity; varying vec3 vPlace;
  varying vec3 vN; varying vec3 vT; varying float vSign; varying vec2 vUv; varying vec3 vEye; varying float vSheet;
  void main() {
    vec3 p = position + rise * lifts.x + sink * lifts.y;
    vec4 view = modelViewMatrix * vec4(p, 1.0);
    vN = normalMatrix * normal;
    vT = normalMatrix * frame.xyz;
    vSign = frame.w;
    vUv = uv;
    vSheet = sheet;
    vTint = tint;
    vDensity = density;
    vPlace = position;
    vEye = -view.xyz;
    gl_Position = projectionMatrix * view;
  }
`;

// What is shown is compiled in (MODE of MODES, MASKED of MASK_LOOKS or 0), not asked for at every pixel: without a graphics card every
// branch of a shader is worked out, whichever is taken.
export const LOW_FRAGMENT = /* glsl */ `
  ${LIGHT}
  uniform sampler2D maps[SHEETS];
  uniform sampler2D picture;
  uniform sampler2D mask;
  uniform float texels; // a side of the sheet
  uniform float detail; // width of the scratches it is shown on, scene units
  uniform float split; // in pixels; left of it detail as it is, right of it as texels hold it
  varying vec4 vTint; varying float vDensity; varying vec3 vPlace;
  uniform float green;
  uniform float strength; // of a normal map: slopes are so many times as steep
  uniform vec3 base;
  uniform float wipe; // in pixels; drawn left of it
  varying vec3 vN; varying vec3 vT; varying float vSign; varying vec2 vUv; varying vec3 vEye; varying float vSheet;
#if MODE == ${MODES.material}
  ${MATERIAL}
#endif
  // Samplers cannot be picked by number; a triangle lies on one sheet, so neighbours take the same branch. SHEETS is defined
  // by the viewer: one sheet costs one look-up.
  // A triangle of a sheet beyond those has no map, and alpha 0 says so.
  vec4 texel() {
#if SHEETS > 1
    int sheet = int(vSheet + 0.5);
    if (sheet >= SHEETS) return vec4(0.0);
#endif
${Array.from({ length: MOST_SHEETS - 1 }, (_, i) => `#if SHEETS > ${i + 1}\n    if (sheet == ${i + 1}) return vec4(texture2D(maps[${i + 1}], vUv).rgb, 1.0);\n#endif`).join("\n")}
    return vec4(texture2D(maps[0], vUv).rgb, 1.0);
  }
  // The normal that a texel of a normal map stands for.
  vec3 leaned(vec3 texel) {
    vec3 t = texel * 2.0 - 1.0;
    t.xy *= strength;
    return t.x * vT + t.y * green * vSign * cross(vN, vT) + t.z * vN;
  }
  // How dark a scratch is at a place across it. A texel is the mean over its width, as a pixel is over its own: what was a
  // stroke of full depth becomes wider by that and, where a texel is wider than the scratch, fainter.
  float scratch(float at, float texel) {
    float every = detail * 12.0;
    float off = abs(fract(at / every) - 0.5) * every;
    float mean = max(1e-9, max(texel, fwidth(at)));
    return clamp((0.5 * (detail + mean) - off) / mean, 0.0, min(1.0, detail / mean));
  }
  void main() {
    if (gl_FragCoord.x > wipe) discard;
    vec3 n = vN;
    vec3 c = base;
    // How much of what is seen is light; the rest is the colour itself.
    float form = 1.0;
#if MODE == ${MODES.normal}
    vec4 baked = texel();
    if (baked.a > 0.0) n = leaned(baked.rgb);
#elif MODE == ${MODES.color}
    vec4 baked = texel();
    if (baked.a > 0.0) {
      c = baked.rgb;
      form = 0.45;
    }
#elif MODE == ${MODES.material}
    n = leaned(matNormalAt(vUv).rgb);
#elif MODE == ${MODES.tints}
    float line = step(0.55, fract((gl_FragCoord.x - gl_FragCoord.y) / (7.0 * ratio)));
    c = mix(vTint.rgb, vTint.rgb * 0.45, line * step(0.5, vTint.a));
    form = 0.45;
#elif MODE == ${MODES.picture}
    c = texture2D(picture, vUv).rgb;
    form = 0.45;
#elif MODE == ${MODES.detail}
    // Drawn on the plane that the face is nearest to.
    vec3 away = abs(cross(dFdx(vPlace), dFdy(vPlace)));
    vec2 q = away.x > away.y && away.x > away.z ? vPlace.yz : away.y > away.z ? vPlace.zx : vPlace.xy;
    float across = gl_FragCoord.x < split ? 0.0 : 1.0 / max(1e-9, vDensity * texels);
    c = vec3(mix(0.68, 0.08, max(scratch((q.x + q.y) * 0.7071, across), scratch((q.x - q.y) * 0.7071, across))));
    form = 0.45;
#endif
    n = normalize(n);
    if (!gl_FrontFacing) n = -n;
#if MODE == ${MODES.material}
    float clear;
    vec3 seen = material(n, normalize(vEye), clear);
    gl_FragColor = vec4(seen, clear);
#else
  #if MASKED == ${MASK_LOOKS.grey}
    c = vec3(texture2D(mask, vUv).r);
    form = 0.45;
  #endif
    vec3 lit = mix(c, shade(c, n, normalize(vEye)), form);
  #if MASKED != 0 && MASKED != ${MASK_LOOKS.grey}
    float weight = texture2D(mask, vUv).r;
    float line = 0.8;
    #if MASKED == ${MASK_LOOKS.hatched}
    line = step(0.5, fract((gl_FragCoord.x + gl_FragCoord.y) / (7.0 * ratio)));
    #elif MASKED == ${MASK_LOOKS.tint}
    weight = weight * 1.3;
    #elif MASKED == ${MASK_LOOKS.outline}
    // A line of even width on screen, whichever way the mask rises.
    float off = abs(weight - 0.5) / max(1e-4, fwidth(weight));
    weight = 1.6 * (1.0 - smoothstep(0.8 * ratio, 1.6 * ratio, off)) * step(1e-4, fwidth(weight));
    #endif
    lit = mix(lit, vec3(0.97, 0.47, 0.2), min(1.0, weight * (0.22 + 0.5 * line)));
  #endif
    gl_FragColor = vec4(gl_FrontFacing ? lit : hatch(lit), 1.0);
#endif
  }
`;

export const HIGH_VERTEX = /* glsl */ `
  attribute vec3 tint;
  attribute vec3 away;
  uniform float apart;
  varying vec3 vN; varying vec3 vEye; varying vec3 vTint;
  void main() {
    vec4 view = modelViewMatrix * vec4(position + away * apart, 1.0);
    vN = normalMatrix * normal;
    vEye = -view.xyz;
    vTint = tint;
    gl_Position = projectionMatrix * view;
  }
`;

export const HIGH_FRAGMENT = /* glsl */ `
  ${LIGHT}
  uniform vec3 base;
  uniform int mode; // 0 plain, 2 vertex colours
  uniform float wipe; // in pixels; drawn right of it
  varying vec3 vN; varying vec3 vEye; varying vec3 vTint;
  void main() {
    if (gl_FragCoord.x < wipe) discard;
    vec3 n = normalize(vN);
    if (!gl_FrontFacing) n = -n;
    vec3 lit = shade(mode == 2 ? vTint : base, n, normalize(vEye));
    gl_FragColor = vec4(gl_FrontFacing ? lit : hatch(lit), 1.0);
  }
`;

export const SHELL_FRAGMENT = /* glsl */ `
  uniform vec4 color;
  void main() { gl_FragColor = color; }
`;

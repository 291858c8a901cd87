// Looks on the stage: the code they are exported as, in the light of lamps that stand about the model.
import * as THREE from "three";
import type { Schemas } from "../api/client";

/** The most lamps of a proof. */
export const MOST_LAMPS = 6;

/** What proofs are lit by, shared by all that wears a look. */
export class LookLights {
  readonly uniforms = {
    lamps: { value: 0 },
    lampTo: { value: Array.from({ length: MOST_LAMPS }, () => new THREE.Vector3()) },
    lampLight: { value: Array.from({ length: MOST_LAMPS }, () => new THREE.Vector3()) },
    rim: { value: 0 },
    even: { value: 0 },
    exposure: { value: 0 },
  };

  set(lights: Schemas["ProofLights"], up: Schemas["UpAxis"]) {
    const { lamps, lampTo, lampLight, rim, even, exposure } = this.uniforms;
    lamps.value = Math.min(MOST_LAMPS, lights.lamps.length);
    lights.lamps.slice(0, MOST_LAMPS).forEach((lamp, i) => {
      lampTo.value[i]?.copy(directionOf(lamp, up));
      const [r = 0, g = 0, b = 0] = lamp.color.map((x) => lamp.strength * toLinear(x));
      lampLight.value[i]?.set(r, g, b);
    });
    rim.value = lights.rim;
    even.value = lights.even;
    exposure.value = lights.exposure;
  }
}

/** Where a lamp stands, from the model's middle: in front of it at no turn, to the right from there. */
export function directionOf({ turn, height }: Schemas["ProofLamp"], up: Schemas["UpAxis"]): THREE.Vector3 {
  const [t, h] = [(turn / 180) * Math.PI, (height / 180) * Math.PI];
  const [across, ahead, above] = [Math.sin(t) * Math.cos(h), Math.cos(t) * Math.cos(h), Math.sin(h)];
  return up === "y" ? new THREE.Vector3(across, above, ahead) : new THREE.Vector3(across, -ahead, above);
}

const toLinear = (c: number) => (c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4);

/** A look that can be worn: its code, and its numbers, which change without the code. */
export class LookDress {
  readonly numbers: { value: Float32Array };

  constructor(
    readonly code: Schemas["LookCode"],
    private readonly lights: LookLights,
  ) {
    this.numbers = { value: new Float32Array(Math.max(1, code.numbers.length)) };
  }

  /** What a surface wears, which says for itself what is cut away of it and how its faces are smoothed. */
  material(cut: { value: THREE.Vector4 }, smoothCosine: { value: number }): THREE.RawShaderMaterial {
    return new THREE.RawShaderMaterial({
      glslVersion: THREE.GLSL3,
      vertexShader: vertexShader(this.code.sets.length),
      fragmentShader: fragmentShader(this.code),
      side: THREE.DoubleSide,
      uniforms: { ...this.lights.uniforms, look_numbers: this.numbers, cut, smoothCosine },
    });
  }
}

const each = (count: number, line: (i: number) => string) => Array.from({ length: count }, (_, i) => line(i)).join(" ");

const vertexShader = (sets: number) => /* glsl */ `
  in vec3 position; in vec3 normal;
  ${each(sets, (i) => `in vec4 set${i}; out vec4 vSet${i};`)}
  uniform mat4 modelMatrix; uniform mat4 modelViewMatrix; uniform mat4 projectionMatrix; uniform mat3 normalMatrix;
  out vec3 vNormal; out vec3 vSight; out vec3 vPlace;
  void main() {
    vec4 seen = modelViewMatrix * vec4(position, 1.0);
    ${each(sets, (i) => `vSet${i} = set${i};`)}
    vNormal = normalMatrix * normal; vSight = -seen.xyz;
    vPlace = (modelMatrix * vec4(position, 1.0)).xyz;
    gl_Position = projectionMatrix * seen;
  }`;

// The code of the look gives the material; what follows is light. A lamp's strength is what a white matt surface
// (Lambert) that faces it shows. What mirrors is microfacets: GGX (Walter et al. 2007) with Smith's shadowing in the
// form of Hammon (2017) and Schlick's Fresnel (1994). Of even light, what mirrors is the fit that Karis gave for
// mobile devices (2014; its constants from memory), brought up to what a white furnace asks for (Fdez-Agüera 2019).
const fragmentShader = ({ text, function: of, sets, numbers }: Schemas["LookCode"]) => /* glsl */ `
  precision highp float;
  in vec3 vNormal; in vec3 vSight; in vec3 vPlace;
  ${each(sets.length, (i) => `in vec4 vSet${i};`)}
  uniform mat4 viewMatrix;
  uniform vec4 cut; uniform float smoothCosine;
  uniform int lamps; uniform vec3 lampTo[${MOST_LAMPS}]; uniform vec3 lampLight[${MOST_LAMPS}];
  uniform float rim; uniform float even; uniform float exposure;
  uniform float look_numbers[${Math.max(1, numbers.length)}];
  out vec4 pixel;
  ${text}
  vec3 toEncoded(vec3 c) { return mix(c * 12.92, 1.055 * pow(c, vec3(1.0 / 2.4)) - 0.055, step(0.0031308, c)); }
  void main() {
    if (dot(cut.xyz, vPlace) > cut.w) discard;
    LookMaterial here = ${of}(${sets.map((_, i) => `vSet${i}`).join(", ")});
    vec3 sight = normalize(vSight);
    vec3 n = normalize(vNormal) * (gl_FrontFacing ? 1.0 : -1.0);
    vec3 face = normalize(cross(dFdx(vSight), dFdy(vSight)));
    if (dot(face, vSight) < 0.0) face = -face;
    if (dot(n, face) < smoothCosine) n = face;
    // Rounded, a cosine may be more than 1, and what is left of 1 has no power then.
    float nv = clamp(dot(n, sight), 1e-4, 1.0);
    float rough = clamp(here.rough, 0.045, 1.0);
    float a2 = pow(rough, 4.0);
    vec3 mirrored = mix(vec3(0.04), here.color, here.metal);
    vec3 matt = here.color * (1.0 - here.metal);
    vec4 fit = rough * vec4(-1.0, -0.0275, -0.572, 0.022) + vec4(1.0, 0.0425, 1.04, -0.04);
    float grazing = min(fit.x * fit.x, exp2(-9.28 * nv)) * fit.x + fit.y;
    vec2 share = vec2(-1.04, 1.04) * grazing + fit.zw;
    vec3 back = mirrored * share.x + share.y;
    back *= 1.0 + mirrored * (1.0 / (share.x + share.y) - 1.0);
    vec3 light = even * (matt * (1.0 - back) + back);
    for (int i = 0; i < ${MOST_LAMPS}; i++) {
      if (i >= lamps) break;
      vec3 to = mat3(viewMatrix) * lampTo[i];
      float nl = dot(n, to);
      if (nl <= 0.0) continue;
      vec3 h = normalize(to + sight);
      float nh = clamp(dot(n, h), 0.0, 1.0);
      float d = nh * nh * (a2 - 1.0) + 1.0;
      float alpha = sqrt(a2);
      float gloss = a2 / (d * d) * 0.5 / max(mix(2.0 * nl * nv, nl + nv, alpha), 1e-4);
      vec3 fresnel = mirrored + (1.0 - mirrored) * pow(1.0 - clamp(dot(h, sight), 0.0, 1.0), 5.0);
      light += lampLight[i] * nl * (matt + fresnel * gloss);
    }
    light += rim * pow(1.0 - nv, 3.0) + here.glow;
    pixel = vec4(toEncoded(min(vec3(1.0), max(light, 0.0) * exp2(exposure))), 1.0);
  }`;

// Looks on the stage: the code they are exported as, in the light of lamps that stand about the model.
import * as THREE from "three";
import type { Schemas } from "../api/client";

/** The most sets that a look takes. */
export const MOST_LOOK_SETS = 8;

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

/** What stirs what wears looks: the time, and whether anything moves at all. */
export class Stir {
  readonly uniforms = { seconds: { value: 0 }, stir: { value: 0 } };
}

/** A look that can be worn: its code, its images, and its numbers, which change without the code. */
export class LookDress {
  readonly numbers: { value: Float32Array };
  /** The sets that drive it, by name: those of its material, and those of its motion alone. */
  readonly sets: readonly string[];
  private readonly images: Record<string, { value: THREE.Texture | null }> = {};

  constructor(
    readonly code: Schemas["LookCode"],
    readonly oneSided: boolean,
    private readonly lights: LookLights,
    private readonly stir: Stir,
  ) {
    this.numbers = { value: new Float32Array(Math.max(1, code.numbers.length)) };
    this.sets = [...new Set([...code.sets, ...(code.motion?.sets ?? [])])];
    code.images.forEach((_, i) => {
      this.images[`image${i}`] = { value: null };
    });
  }

  get moves() {
    return this.code.motion != null;
  }

  get takesUv() {
    return this.code.takes_uv;
  }

  /** Gives it its images, as far as they have come. */
  show(textureOf: (image: string, data: boolean) => THREE.Texture) {
    this.code.images.forEach(({ image, data }, i) => {
      const own = this.images[`image${i}`];
      if (own) own.value = textureOf(image, data);
    });
  }

  /** What a surface wears, which says for itself what is cut away of it, how its faces are smoothed and what moves it. */
  material(own: OwnUniforms, carrier: LookDress | null): THREE.RawShaderMaterial {
    return new THREE.RawShaderMaterial({
      glslVersion: THREE.GLSL3,
      vertexShader: vertexShader(this, carrier),
      fragmentShader: fragmentShader(this),
      side: this.oneSided ? THREE.FrontSide : THREE.DoubleSide,
      uniforms: {
        ...this.lights.uniforms,
        ...this.stir.uniforms,
        ...this.images,
        ...own,
        look_numbers: this.numbers,
        ...(carrier ? { tied_numbers: carrier.numbers } : {}),
      },
    });
  }
}

/** The uniforms that each surface has for itself. */
export interface OwnUniforms extends Record<string, THREE.IUniform> {
  cut: { value: THREE.Vector4 };
  smoothCosine: { value: number };
  /** Where the wind blows to in the part's space, and how: strength, swings in a second, gusts. */
  windTo: { value: THREE.Vector3 };
  wind: { value: THREE.Vector3 };
  /** The vertex that it is tied to: the numbers of the sets there, its place and normal; the wind there; and what
   * brings a way of that part's space into this one's. */
  tiedSets: { value: THREE.Vector4[] };
  tiedAt: { value: THREE.Vector3[] };
  tiedWind: { value: THREE.Vector3[] };
  tiedTurn: { value: THREE.Matrix3 };
}

export const ownUniforms = (cut: OwnUniforms["cut"], smoothCosine: OwnUniforms["smoothCosine"]): OwnUniforms => ({
  cut,
  smoothCosine,
  windTo: { value: new THREE.Vector3(1, 0, 0) },
  wind: { value: new THREE.Vector3() },
  tiedSets: { value: Array.from({ length: MOST_LOOK_SETS }, () => new THREE.Vector4()) },
  tiedAt: { value: [new THREE.Vector3(), new THREE.Vector3()] },
  tiedWind: { value: [new THREE.Vector3(1, 0, 0), new THREE.Vector3()] },
  tiedTurn: { value: new THREE.Matrix3() },
});

/** Where a wind blows to, in the project. */
export function wayOf({ direction }: Schemas["ProofWind"], up: Schemas["UpAxis"]): THREE.Vector3 {
  return directionOf({ turn: direction, height: 0, strength: 1, color: [] }, up);
}

const each = (count: number, line: (i: number) => string) => Array.from({ length: count }, (_, i) => line(i)).join(" ");

/** The motion of what something is tied to, under names of its own beside that of its own look. */
const tiedText = ({ text, function: name }: Schemas["MotionCode"]) =>
  text.replaceAll(/\blook_/g, "tied_").replaceAll(new RegExp(`\\b${name}\\b`, "g"), "tied_motion");

const vertexShader = (dress: LookDress, carrier: LookDress | null) => {
  const { code, sets } = dress;
  const { motion } = code;
  const tied = carrier?.code.motion ?? null;
  const ofMotion = motion?.sets.map((set) => `set${sets.indexOf(set)}`) ?? [];
  const ofTied = tied?.sets.map((_, i) => `tiedSets[${i}]`) ?? [];
  return /* glsl */ `
  in vec3 position; in vec3 normal; ${code.takes_uv ? "in vec2 uv; out vec2 vUv;" : ""}
  ${each(sets.length, (i) => `in vec4 set${i}; out vec4 vSet${i};`)}
  uniform mat4 modelMatrix; uniform mat4 modelViewMatrix; uniform mat4 projectionMatrix; uniform mat3 normalMatrix;
  uniform float look_numbers[${Math.max(1, code.numbers.length)}];
  uniform float seconds; uniform float stir; uniform vec3 windTo; uniform vec3 wind;
  ${carrier ? `uniform float tied_numbers[${Math.max(1, carrier.code.numbers.length)}];` : ""}
  uniform vec4 tiedSets[${MOST_LOOK_SETS}]; uniform vec3 tiedAt[2]; uniform vec3 tiedWind[2]; uniform mat3 tiedTurn;
  out vec3 vNormal; out vec3 vSight; out vec3 vPlace; ${code.takes_place ? "out vec3 vOwnPlace; out vec3 vOwnNormal;" : ""}
  ${motion?.text ?? ""}
  ${tied ? tiedText(tied) : ""}
  void main() {
    vec3 place = position;
    ${motion ? `if (stir > 0.0) place += ${motion.function}(${[...ofMotion, "position", "normalize(normal)", "seconds", "windTo", "wind"].join(", ")});` : ""}
    ${tied ? `if (stir > 0.0) place += tiedTurn * tied_motion(${[...ofTied, "tiedAt[0]", "tiedAt[1]", "seconds", "tiedWind[0]", "tiedWind[1]"].join(", ")});` : ""}
    vec4 seen = modelViewMatrix * vec4(place, 1.0);
    ${each(sets.length, (i) => `vSet${i} = set${i};`)}
    ${code.takes_uv ? "vUv = uv;" : ""}
    ${code.takes_place ? "vOwnPlace = position; vOwnNormal = normal;" : ""}
    vNormal = normalMatrix * normal; vSight = -seen.xyz;
    vPlace = (modelMatrix * vec4(place, 1.0)).xyz;
    gl_Position = projectionMatrix * seen;
  }`;
};

// The code of the look gives the material; what follows is light. A lamp's strength is what a white matt surface
// (Lambert) that faces it shows. What mirrors is microfacets: GGX (Walter et al. 2007) with Smith's shadowing in the
// form of Hammon (2017) and Schlick's Fresnel (1994). Of even light, what mirrors is the fit that Karis gave for
// mobile devices (2014; its constants from memory), brought up to what a white furnace asks for (Fdez-Agüera 2019).
// What is soft lets light bend around it, red the farthest, as much as is missing where it faces the lamp; what light
// comes through is Lambert's on the other side, half of it where all does.
const fragmentShader = ({ code, sets }: LookDress) => {
  const { text, function: of, numbers, images, takes_uv: takesUv, takes_place: takesPlace, gives } = code;
  const taken = [
    ...code.sets.map((_, i) => `vSet${i}`),
    ...(takesUv ? ["vUv"] : []),
    ...(takesPlace ? ["vOwnPlace", "normalize(vOwnNormal)"] : []),
    ...images.map((_, i) => `image${i}`),
  ];
  return /* glsl */ `
  precision highp float;
  in vec3 vNormal; in vec3 vSight; in vec3 vPlace; ${takesUv ? "in vec2 vUv;" : ""}
  ${takesPlace ? "in vec3 vOwnPlace; in vec3 vOwnNormal;" : ""}
  ${each(sets.length, (i) => `in vec4 vSet${i};`)}
  ${each(images.length, (i) => `uniform sampler2D image${i};`)}
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
    LookMaterial here = ${of}(${taken.join(", ")});
    vec3 sight = normalize(vSight);
    vec3 n = normalize(vNormal) * (gl_FrontFacing ? 1.0 : -1.0);
    vec3 face = normalize(cross(dFdx(vSight), dFdy(vSight)));
    if (dot(face, vSight) < 0.0) face = -face;
    if (dot(n, face) < smoothCosine) n = face;
    ${gives.includes("normal") && takesUv ? bent : ""}
    float through = ${gives.includes("through") ? "0.5 * here.through" : "0.0"};
    vec3 around = ${gives.includes("soft") ? "here.soft * vec3(0.5, 0.25, 0.15)" : "vec3(0.0)"};
    // Rounded, a cosine may be more than 1, and what is left of 1 has no power then.
    float nv = clamp(dot(n, sight), 1e-4, 1.0);
    float rough = clamp(here.rough, 0.045, 1.0);
    float a2 = pow(rough, 4.0);
    vec3 mirrored = mix(vec3(0.04), here.color, here.metal);
    vec3 matt = here.color * (1.0 - here.metal);
    vec4 fit = rough * vec4(-1.0, -0.0275, -0.572, 0.022) + vec4(1.0, 0.0425, 1.04, -0.04);
    float grazing = min(fit.x * fit.x, exp2(-9.28 * nv)) * fit.x + fit.y;
    vec2 share = vec2(-1.04, 1.04) * grazing + fit.zw;
    float more = 1.0 / (share.x + share.y) - 1.0;
    vec3 plain = vec3((0.04 * share.x + share.y) * (1.0 + 0.04 * more));
    vec3 metal = (here.color * share.x + share.y) * (1.0 + here.color * more);
    vec3 light = even * mix(here.color * (1.0 - plain) + plain, metal, here.metal);
    for (int i = 0; i < ${MOST_LAMPS}; i++) {
      if (i >= lamps) break;
      vec3 to = mat3(viewMatrix) * lampTo[i];
      float nl = dot(n, to);
      vec3 all = (1.0 + around) * (1.0 + around);
      vec3 facing = max(vec3(nl) + around, 0.0) / all;
      vec3 behind = max(vec3(-nl) + around, 0.0) / all;
      light += lampLight[i] * matt * mix(facing, behind, through);
      if (nl <= 0.0) continue;
      vec3 h = normalize(to + sight);
      float nh = clamp(dot(n, h), 0.0, 1.0);
      float d = nh * nh * (a2 - 1.0) + 1.0;
      float alpha = sqrt(a2);
      float gloss = a2 / (d * d) * 0.5 / max(mix(2.0 * nl * nv, nl + nv, alpha), 1e-4);
      vec3 fresnel = mirrored + (1.0 - mirrored) * pow(1.0 - clamp(dot(h, sight), 0.0, 1.0), 5.0);
      light += lampLight[i] * nl * fresnel * gloss;
    }
    light += rim * pow(1.0 - nv, 3.0) + here.glow;
    pixel = vec4(toEncoded(min(vec3(1.0), max(light, 0.0) * exp2(exposure))), 1.0);
  }`;
};

// A normal map's numbers along what u and v grow along, from how they change over the screen (Schüler, Normal Mapping
// Without Precomputed Tangents, 2006).
const bent = /* glsl */ `
    vec3 alongX = -dFdx(vSight); vec3 alongY = -dFdy(vSight);
    vec2 uvX = dFdx(vUv); vec2 uvY = dFdy(vUv);
    vec3 acrossX = cross(alongY, n); vec3 acrossY = cross(n, alongX);
    vec3 alongU = acrossX * uvX.x + acrossY * uvY.x;
    vec3 alongV = acrossX * uvX.y + acrossY * uvY.y;
    float longest = max(dot(alongU, alongU), dot(alongV, alongV));
    if (longest > 0.0) n = normalize((alongU * here.normal.x + alongV * here.normal.y) * inversesqrt(longest) + n * here.normal.z);`;

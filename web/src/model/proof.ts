// Looks as the page speaks of them: what a part wears, what a layer is driven by, looks to start from.
import type { Schemas } from "../api/client";
import type { Part, State } from "./state";
import { channelName } from "./theme";

export type ProofLook = Schemas["ProofLook"];
export type LookLayer = Schemas["LookLayer"];
export type LookCoat = Schemas["LookCoat"];
export type LookImage = Schemas["LookImage"];
export type LookMotion = Schemas["LookMotion"];
export type LookFactor = Schemas["LookFactor"];

/** The look of a number, as it is being made where it is in hand. */
export function lookNamed({ proof, proofing }: Pick<State, "proof" | "proofing">, id: number | null): ProofLook | null {
  if (id === null) return null;
  if (proofing.look?.id === id) return proofing.look;
  return proof.looks.find((look) => look.id === id) ?? null;
}

/** What a part is tied to. */
export const tieOf = ({ proof }: Pick<State, "proof">, part: number) =>
  proof.stirred.find((own) => own.part === part)?.tied ?? null;

/** The wind that a part sways in, as it is being turned where it is in hand. */
export function windOf({ proof, proofing }: Pick<State, "proof" | "proofing">, part: number): Schemas["ProofWind"] {
  const own = proof.stirred.find((stirred) => stirred.part === part)?.wind;
  const inHand = proofing.wind;
  if (own) return inHand?.part === part ? inHand.wind : own;
  return inHand?.part === null ? inHand.wind : proof.wind;
}

/** What a part wears. */
function wornBy(state: Pick<State, "proof" | "proofing">, part: number): ProofLook | null {
  const { worn, everywhere } = state.proof;
  return lookNamed(state, worn.find((own) => own.part === part)?.look ?? everywhere ?? null);
}

/** The same, with the one layer alone that is looked at. */
export function lookOf(state: Pick<State, "proof" | "proofing">, part: number): ProofLook | null {
  const { proofing } = state;
  const look = wornBy(state, part);
  if (!look || proofing.alone === null || proofing.chosen !== look.id) return look;
  // Alone, a layer lies on the grey below as it would on all others.
  return { ...look, layers: look.layers.map((layer, i) => ({ ...layer, off: i !== proofing.alone })) };
}

/** Whether a look moves what wears it. */
export const lookMoves = (look: ProofLook | null): boolean =>
  look?.motion != null && [look.motion.sway, look.motion.push, look.motion.disturb].some((way) => way != null);

/** What the active part wears, where looks can be seen. */
export const wearableLook = (state: State): ProofLook | null =>
  state.area === "proof" && state.part !== null ? wornBy(state, state.part) : null;

export const blendWords = [
  ["normal", "mix"],
  ["multiply", "multiply"],
  ["screen", "screen"],
  ["overlay", "overlay"],
  ["soft_light", "soft light"],
  ["hard_light", "hard light"],
  ["darken", "darker"],
  ["lighten", "lighter"],
  ["difference", "difference"],
  ["add", "add"],
  ["subtract", "subtract"],
] as const satisfies readonly (readonly [Schemas["Blend"], string])[];

const factorWords = ({ set, channel, complement }: LookFactor) =>
  `${complement ? "not " : ""}${set} · ${channelName[channel] ?? ""}`;

/** Where a layer lies, in words. */
export function driveWords({ drive }: LookLayer): string {
  const factors = drive?.factors ?? [];
  if (factors.length === 0) return "everywhere";
  return `${drive?.inverted ? "outside " : ""}${factors.map(factorWords).join(" × ")}`;
}

/** What a layer is, in words. */
export function layerWords({
  coat,
  blend,
  rough,
  metal,
  glow,
  through,
  soft,
  normals,
  strength,
  drive,
}: LookLayer): string {
  const of = {
    color: "",
    image: coat.kind === "image" ? `image ${coat.laid.image}` : "",
    set: coat.kind === "set" ? `colors of ${coat.set}` : "",
    ramp: coat.kind === "ramp" ? `ramp by ${factorWords(coat.by)}` : "",
    shift: coat.kind === "shift" ? `shift by ${coat.set}` : "",
  }[coat.kind];
  const short = (x: number) => String(Math.round(100 * x) / 100);
  const words = [
    of,
    blend && blend !== "normal" ? (blendWords.find(([key]) => key === blend)?.[1] ?? "") : "",
    rough == null ? "" : `rough ${short(rough)}`,
    metal == null ? "" : `metal ${short(metal)}`,
    glow == null ? "" : `glow ${short(glow)}`,
    through ? `light through ${short(through)}` : "",
    soft ? `soft ${short(soft)}` : "",
    normals ? `normals of ${normals.laid.image}` : "",
    (drive?.contrast ?? 1) === 1 ? "" : `contrast ${short(drive?.contrast ?? 1)}`,
    (drive?.offset ?? 0) === 0 ? "" : `offset ${short(drive?.offset ?? 0)}`,
    strength === 1 ? "" : `${Math.round(100 * strength)} %`,
  ];
  return words.filter(Boolean).join(" · ");
}

/** A layer of one color. */
export const layerOf = (name: string, color: number[], more: Partial<LookLayer> = {}): LookLayer => ({
  name,
  coat: { kind: "color", color },
  blend: "normal",
  drive: { factors: [], contrast: 1, offset: 0, inverted: false },
  strength: 1,
  ...more,
});

const driven = (set: string, channel: number) => ({
  factors: [{ set, channel, complement: false }],
  contrast: 1,
  offset: 0,
  inverted: false,
});

/** Looks to start from, for the sets of a part. */
export function starters(part: Part | undefined): { key: string; title: string; says: string; layers: LookLayer[] }[] {
  const sets = part?.sets.filter(({ encoding }) => encoding !== "swatch") ?? [];
  const colors = (sets.find(({ encoding }) => encoding === "color") ?? sets[0])?.name ?? "Color";
  const data = (sets.find(({ encoding }) => encoding === "data") ?? sets[0])?.name ?? "Color";
  const meant = (word: string) => {
    for (const set of sets) {
      const channel = set.channels.findIndex(({ meaning }) => meaning.toLowerCase().includes(word));
      if (channel >= 0) return { set: set.name, channel, complement: false };
    }
    return { set: data, channel: 0, complement: false };
  };
  const base = layerOf("Base", [0.62, 0.6, 0.57], { rough: 0.6, metal: 0 });
  return [
    {
      key: "mix",
      title: "Mask mix",
      says: "a base, and a layer where each of R, G and B says",
      layers: [
        base,
        layerOf("Where R is", [0.2, 0.22, 0.25], { drive: driven(data, 0), rough: 0.35, metal: 0.8 }),
        layerOf("Where G is", [0.93, 0.92, 0.88], { drive: driven(data, 1), rough: 0.8, metal: 0 }),
        layerOf("Where B is", [0.42, 0.27, 0.16], { drive: driven(data, 2), rough: 0.7, metal: 0 }),
      ],
    },
    {
      key: "painted",
      title: "As it is painted",
      says: "the colors of a set, lit",
      layers: [layerOf("Paint", [1, 1, 1], { coat: { kind: "set", set: colors }, rough: 0.55, metal: 0 })],
    },
    {
      key: "overlay",
      title: "Overlay",
      says: "a set laid over a color; 0.5 leaves it as it is",
      layers: [base, layerOf("Overlay", [1, 1, 1], { coat: { kind: "set", set: data }, blend: "overlay" })],
    },
    {
      key: "occlusion",
      title: "Multiplied by occlusion",
      says: "a color, darker where it is occluded",
      layers: [
        base,
        layerOf("Occlusion", [1, 1, 1], {
          coat: {
            kind: "ramp",
            stops: [
              [0, 0, 0],
              [1, 1, 1],
            ],
            by: meant("occlusion"),
          },
          blend: "multiply",
        }),
      ],
    },
    {
      key: "shift",
      title: "Color shift",
      says: "a color shifted by three signed channels",
      layers: [base, layerOf("Shift", [1, 1, 1], { coat: { kind: "shift", set: data, amounts: [0.3, 0.1, 0.1] } })],
    },
    {
      key: "ramp",
      title: "Ramp",
      says: "three colors along a channel",
      layers: [
        layerOf("Ramp", [1, 1, 1], {
          coat: {
            kind: "ramp",
            stops: [
              [0.1, 0.2, 0.24],
              [0.75, 0.62, 0.36],
              [0.97, 0.95, 0.9],
            ],
            by: { set: data, channel: 0, complement: false },
          },
          rough: 0.6,
        }),
      ],
    },
    {
      key: "glow",
      title: "Glow test",
      says: "a channel straight to light",
      layers: [
        layerOf("Dark", [0.03, 0.03, 0.03], { rough: 1 }),
        layerOf("Glow", [1, 1, 1], { drive: driven(data, 0), glow: 1, strength: 1 }),
      ],
    },
    {
      key: "plain",
      title: "Plain color",
      says: "one color, soft as skin",
      layers: [layerOf("Color", [0.78, 0.56, 0.46], { rough: 0.5, metal: 0, soft: 0.7 })],
    },
  ];
}

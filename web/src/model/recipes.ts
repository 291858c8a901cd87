// What recipes are made of, in the words the user reads.
import type { Schemas } from "../api/client";
import { sourceWords } from "./sources";
import { facts, type ColorSet } from "./state";

export type Recipe = Schemas["Recipe"];
export type Step = Schemas["RecipeStep"];
export type Shaping = Schemas["Shaping"];
export type Target = Schemas["Target"];
export type Merge = Schemas["StepMerge"];

export const shapingWords: Record<Shaping["kind"], { title: string; says: string; start: Shaping }> = {
  curve: {
    title: "Curve",
    says: "By a curve that you draw",
    start: {
      kind: "curve",
      points: [
        { x: 0, y: 0, corner: false },
        { x: 1, y: 1, corner: false },
      ],
    },
  },
  levels: {
    title: "Levels",
    says: "Spreads what lies between two numbers",
    start: { kind: "levels", from: 0, to: 1, gamma: 1, least: 0, greatest: 1 },
  },
  gain: { title: "Gain", says: "Times one number, plus another", start: { kind: "gain", by: 1, plus: 0 } },
  clamp: {
    title: "Clamp",
    says: "No less than one number, no more than another",
    start: { kind: "clamp", low: 0, high: 1 },
  },
  invert: { title: "Invert", says: "1 less the number", start: { kind: "invert" } },
  gamma: { title: "Gamma", says: "Lightens or darkens what is in the middle", start: { kind: "gamma", gamma: 1 } },
  soften: { title: "Soften", says: "Mixed with what lies around", start: { kind: "soften", length: 0, rounds: 2 } },
  sharpen: {
    title: "Sharpen",
    says: "Away from what lies around",
    start: { kind: "sharpen", length: 0, rounds: 2, amount: 1 },
  },
  posterise: { title: "Posterise", says: "The nearest of so many even steps", start: { kind: "posterise", steps: 4 } },
  threshold: {
    title: "Threshold",
    says: "0 below a number and 1 above it",
    start: { kind: "threshold", at: 0.5, softness: 0.1 },
  },
  byte: {
    title: "Byte",
    says: "Half of a number of 16 bits: two channels hold it whole",
    start: { kind: "byte", half: "high" },
  },
  fold: { title: "Fold", says: "A direction in two channels: R and G of R G B", start: { kind: "fold" } },
  ramp: {
    title: "Color ramp",
    says: "From the number to a color",
    start: {
      kind: "ramp",
      stops: [
        { at: 0, color: [0, 0, 0, 1] },
        { at: 1, color: [1, 1, 1, 1] },
      ],
    },
  },
};

export const mergeWords: readonly (readonly [Merge, string, string])[] = [
  ["replace", "replace", "Takes the place of what is above"],
  ["multiply", "multiply", "The product: what is dark in either stays dark"],
  ["add", "add", "The sum, at most 1"],
  ["subtract", "subtract", "What is above less this, at least 0"],
  ["darker", "darker", "The lesser of both"],
  ["lighter", "lighter", "The greater of both"],
  ["mix", "mix", "Some of each, by the strength"],
  ["screen", "screen", "1 less the product of what both lack"],
  ["overlay", "overlay", "Darkens what is dark, lightens what is light"],
];

/** How a step meets what is above it, also when it does not say so. */
export function mergeOf(recipe: Recipe, index: number, set: ColorSet): Merge {
  const step = recipe.steps[index];
  if (!step) return "replace";
  if (step.merge) return step.merge;
  const { merges } = facts();
  const isFirst = !recipe.steps.slice(0, index).some((above) => !above.off);
  return step.source.kind === "hand_paint"
    ? merges.hand_paint
    : isFirst
      ? merges.first
      : merges[set.encoding === "color" ? "color" : "data"];
}

export const strengthOf = (step: Step, merge: Merge) =>
  step.strength ?? (merge === "mix" ? facts().merges.mix_strength : facts().merges.strength);

/** "ridges, noise": what its steps start from. */
export function recipeTitle(recipe: Recipe): string {
  if (recipe.name) return recipe.name;
  const titles = [
    ...new Set(
      recipe.steps.filter((step) => !step.off).map((step) => sourceWords[step.source.kind].title.toLowerCase()),
    ),
  ];
  return titles.join(", ") || "nothing yet";
}

export const targetChannels: Record<Target, [boolean, boolean, boolean, boolean]> = {
  R: [true, false, false, false],
  G: [false, true, false, false],
  B: [false, false, true, false],
  A: [false, false, false, true],
  RGB: [true, true, true, false],
  RGBA: [true, true, true, true],
};
export const targets = Object.keys(targetChannels) as Target[];
export const targetWords = (target: Target) =>
  ({ R: "R", G: "G", B: "B", A: "A", RGB: "R G B", RGBA: "R G B A" })[target];

export interface Chosen {
  set: ColorSet;
  target: Target;
  recipe: Recipe | null;
}

/** What the chosen cells of the board have a recipe edit; in words, why nothing. */
export function chosenRecipe(set: ColorSet | undefined, channels: readonly boolean[]): Chosen | string {
  if (!set) return "Add a set on the channel board, then choose one of its cells.";
  const is = (target: Target) => targetChannels[target].every((on, i) => on === channels[i]);
  const exact = set.recipes.find((recipe) => is(recipe.channels));
  if (exact) return { set, target: exact.channels, recipe: exact };
  const meets = (target: Target) => targetChannels[target].some((on, i) => on && channels[i]);
  const others = set.recipes.filter((recipe) => meets(recipe.channels));
  const [first] = others;
  if (first && others.length === 1 && channels.every((on, i) => !on || targetChannels[first.channels][i]))
    return { set, target: first.channels, recipe: first };
  const free = targets.find(is);
  if (!free)
    return channels.some(Boolean)
      ? "A recipe makes one channel, R G B together, or all four: choose such cells on the board."
      : "Choose a cell on the board: its recipe stands here.";
  if (first)
    return `${others.map((recipe) => targetWords(recipe.channels)).join(" and ")} of ${set.name} ${others.length === 1 ? "has a recipe" : "have recipes"} already. Choose ${others.length === 1 ? "that cell" : "one of those cells"}, or freeze ${others.length === 1 ? "it" : "them"} first.`;
  return { set, target: free, recipe: null };
}

/** How a recipe stands, as it was told last. */
export const stateOf = (recipes: readonly Schemas["RecipeState"][], part: number, set: number, target: Target) =>
  recipes.find((state) => state.part === part && state.set === set && state.channels === target);

/** Names tastes of a recipe. */
export const tasteKey = (part: number, set: number, target: Target) => `${part} ${set} ${target}`;

/** "0.31 s", "14 s": how long it took. */
export const seconds = (ms: number) => (ms < 950 ? `${ms} ms` : `${(ms / 1000).toFixed(ms < 9500 ? 1 : 0)} s`);

// What tools and blends are called, and what they do.
import type { Schemas } from "../api/client";
import type { State } from "./state";
import type { PourKind } from "./choices";

/** The blends, as the list shows them, and what each does. */
export const blends: { key: Schemas["Blend"]; title: string; says: string }[] = [
  { key: "normal", title: "Normal", says: "The paint itself." },
  {
    key: "recolor",
    title: "Recolor",
    says: "The paint in the shading that is there, measured against what was painted last.",
  },
  { key: "multiply", title: "Multiply", says: "Darkens: white changes nothing." },
  { key: "screen", title: "Screen", says: "Lightens: black changes nothing." },
  { key: "overlay", title: "Overlay", says: "Darkens what is dark, lightens what is light." },
  { key: "darken", title: "Darker", says: "The smaller of both numbers." },
  { key: "lighten", title: "Lighter", says: "The greater of both numbers." },
  { key: "add", title: "Add", says: "The sum, at most 1." },
  { key: "subtract", title: "Subtract", says: "The paint taken away, at least 0." },
  { key: "color_dodge", title: "Color dodge", says: "Brightens what is there to show the paint." },
  { key: "color_burn", title: "Color burn", says: "Darkens what is there to show the paint." },
  { key: "hard_light", title: "Hard light", says: "Multiply for dark paint, screen for light." },
  { key: "soft_light", title: "Soft light", says: "The same, softer." },
  { key: "difference", title: "Difference", says: "How far both are apart." },
  { key: "exclusion", title: "Exclusion", says: "The same, with less contrast." },
  { key: "hue", title: "Hue", says: "The paint's hue; saturation and luminosity stay." },
  { key: "saturation", title: "Saturation", says: "The paint's saturation; hue and luminosity stay." },
  { key: "color", title: "Color", says: "The paint's hue and saturation; luminosity stays." },
  { key: "luminosity", title: "Luminosity", says: "The paint's luminosity; hue and saturation stay." },
];

export const reachTitles: Record<Schemas["Reach"], string> = {
  skin: "Skin",
  deep: "Deep",
  facet: "Facet",
  corner: "Corner",
};

/** Whether a stroke covers what lies in a circle; others go by the face. */
export const isRound = ({ tool, brush }: Pick<State, "tool" | "brush">) =>
  tool === "tidy" || (tool === "stroke" && (brush.reach === "skin" || brush.reach === "deep"));

/** Whether the tool is drawn with the pointer down. */
export const isStroke = ({ tool }: Pick<State, "tool">) => tool === "stroke" || tool === "tidy";

export const pourTitles: Record<PourKind, string> = {
  all: "Pour over all",
  crease: "Crease pour",
  patch: "Patch pour",
  piece: "Piece pour",
  chosen: "Fill of the selection",
};
const solidTitles: Record<Schemas["Solid"], string> = {
  box: "Box span",
  cylinder: "Cylinder span",
  sphere: "Sphere span",
  cone: "Cone span",
};

/** What the tool in hand is called, as in the history. */
export function toolTitle({
  tool,
  action,
  brush,
  pour,
  span,
  tidy,
}: Pick<State, "tool" | "action" | "brush" | "pour" | "span" | "tidy">): string {
  const erase = action === "erase" ? " (erase)" : "";
  if (tool === "pour") return `${pourTitles[pour.kind]}${erase}`;
  if (tool === "tidy") return tidy === "soften" ? "Soften" : "Smear";
  if (tool === "span")
    return `${{ band: "Band", gradient: "Gradient", lasso: "Lasso", solid: solidTitles[span.shape] }[span.kind]}${erase}`;
  return `${reachTitles[brush.reach]} ${action === "erase" ? "erase" : "stroke"}`;
}

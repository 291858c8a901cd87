// What the user can choose: tools, brushes, ways of looking.
import type { Schemas } from "../api/client";

export type Area = "gather" | "bake" | "paint" | "proof" | "layers" | "deliver";
export type Channels = [boolean, boolean, boolean, boolean];
export type Rgba = [number, number, number, number];

/** The brush as the hand sets it; the stage makes of it what goes over the wire. */
export type Brush = Required<
  Omit<Schemas["Brush"], "falloff_curve" | "pressure_radius" | "pressure_opacity" | "pressure_hardness">
> & {
  /** Used instead of the radius when the circle keeps its size on the screen. */
  pixels: number;
  falloff_curve: Curve | null;
  pressure_radius: Curve | null;
  pressure_opacity: Curve | null;
  pressure_hardness: Curve | null;
};

/** Heights above 0, ¼, ½, ¾ and 1. */
export type Curve = number[];
export const straight: Curve = [0, 0.25, 0.5, 0.75, 1];

/** What the stage shows as heat instead of a set. */
export type Heat = "density" | { snapshot: string };

/** How the stage shows things. */
export interface Look {
  shade: "flat" | "lit";
  /** Faces that bend by less are shaded as one surface, in degrees; 0 shows every face. */
  smoothUpTo: number;
  wire: boolean;
  parallel: boolean;
  /** One channel alone in grey (0–3), or alpha over a checker; null shows R, G and B as a color. */
  channel: number | "alpha over checker" | null;
  /** Edge lengths, or what changed since a snapshot, over all parts. */
  heat: Heat | null;
  /** Whether the mask and the selection are marked on the model. */
  mask: boolean;
  selection: boolean;
}

/** The families of tools. */
export type Tool = "stroke" | "pour" | "span" | "tidy";

/** How far a pour reaches. */
export type PourKind = "crease" | "patch" | "piece" | "all" | "chosen";

export interface PourChoice {
  kind: PourKind;
  /** Of a crease pour; null takes what the part's own bends suggest. */
  degrees: number | null;
  /** Of a patch pour, 0–1. */
  tolerance: number;
  /** Whether faces beyond its border are cut, so that it is crisp between vertices. */
  crisp: boolean;
}

export type SpanKind = "band" | "gradient" | "solid" | "lasso";
export type Vec = [number, number, number];

export interface SpanChoice {
  kind: SpanKind;
  /** Which way bands and gradients run; drawn: as the last drag did. */
  axis: "x" | "y" | "z" | "drawn";
  direction: Vec;
  /** Distances along the direction, in the project's unit; null until typed or dragged. */
  from: number | null;
  to: number | null;
  /** Width of a band's fading border; the outer share of a solid that fades. */
  soft: number;
  shape: Schemas["Solid"];
  center: Vec | null;
  size: Vec;
  turn: Vec;
  softShare: number;
  /** Freehand or a rectangle. */
  outline: "free" | "rectangle";
  through: boolean;
  /** Whether faces are cut along its border. */
  crisp: boolean;
  /** The outline last drawn, with the screen it was drawn on. */
  drawn: Schemas["Region"] | null;
}

/** An image that paint is laid on through. */
export interface StencilChoice {
  id: number;
  /** The connection in which it was handed over: another server knows nothing of it. */
  session: number | null;
  file: File;
  name: string;
  url: string;
  aspect: number;
  lay: "screen" | "uv" | "axes";
  /** Pixels on the screen, shares of the texture, or lengths of the project. */
  width: { screen: number; uv: number; axes: number };
  /** Its middle on the screen, in pixels from the stage's middle. */
  at: { x: number; y: number };
  turn: number;
  repeat: boolean;
  invert: boolean;
}

/** What is being made of a look or of the light, and how looks are shown. */
export interface Proofing {
  /** The look in hand. */
  chosen: number | null;
  /** What it is being made into, and what the light is, before they are kept. */
  look: Schemas["ProofLook"] | null;
  lights: Schemas["ProofLights"] | null;
  /** Likewise the wind, of the part that has its own, or of all. */
  wind: { part: number | null; wind: Schemas["ProofWind"] } | null;
  /** The one layer that is shown. */
  alone: number | null;
  /** Whether sets are shown as elsewhere, and no looks. */
  bare: boolean;
  /** Whether what moves moves, or at which moment it is held, in seconds; null at rest. */
  moment: "running" | number | null;
}

/** The plane that hides what is in front of it. */
export interface CutawayChoice {
  on: boolean;
  /** Whether it has been anywhere yet. */
  placed: boolean;
  normal: Vec;
  offset: number;
  covers_hidden: boolean;
}

export type SheetPage = "tool" | "select" | "adjust" | "palette" | "volumes" | "views";

/** What is done with the next place clicked on the stage. */
export interface Placing {
  says: string;
  /** Gets the place in the space of the part it is on; which part that is, the place in the project, and the
      way the surface looks there, to the user's side. */
  take: (place: Vec, part: number, inProject: Vec, normal: Vec) => void;
  /** Whether all that follow are taken, until it is let go. */
  isMany?: boolean;
  /** Whether any part will do, and not the active one alone. */
  onAny?: boolean;
}

/** What a grip on the stage does with what it holds. */
export type GripMode = "move" | "turn" | "scale";

/** The tools of Gather. */
export type GatherTool = "bring" | "density" | "transfer" | "mend" | "form" | "images";

/** The look before and after, side by side. */
export interface Wipe {
  snapshot: string;
  /** Where the divider stands, 0–1 from the left. */
  share: number;
}

// What the interface knows and what the user has chosen. Arrays stay outside, with the stage.
import type { AskedAhead } from "./ahead";
import { onePane, type Panes } from "./panes";
import type { Remade, Trial } from "./trial";
import { NOTHING_TOLD } from "./facts";
import { create } from "zustand";
import {
  type Area,
  type Brush,
  type Channels,
  type CutawayChoice,
  type GatherTool,
  type GripMode,
  type Look,
  type Placing,
  type PourChoice,
  type Proofing,
  type Rgba,
  type SheetPage,
  type SpanChoice,
  type StencilChoice,
  type Tool,
  type Wipe,
} from "./choices";
import type { Schemas } from "../api/client";

export type Part = Schemas["PartOutline"];
export type ColorSet = Schemas["SetOutline"];
export type Figures = Schemas["ChannelFigures"];
export type Unit = Schemas["Unit"];
/** What is under the pointer. */
export interface Probe {
  part: string;
  isActive: boolean;
  vertex: number;
  value: Rgba | null;
  /** Mean length of the edges at the triangle under the pointer, in the project's unit. */
  edge: number;
}

/** How a project is proofed. */
export type Proof = Required<Schemas["Proof"]>;

/** Nothing in hand. */
export const noProofing: Proofing = {
  chosen: null,
  look: null,
  lights: null,
  wind: null,
  alone: null,
  bare: false,
  moment: null,
};

const noProof: Proof = {
  silenced: [],
  looks: [],
  everywhere: null,
  worn: [],
  lights: { lamps: [], rim: 0, even: 1, exposure: 0 },
  wind: { strength: 1, speed: 0.5, direction: 90, gusts: 0.4 },
  stirred: [],
};

/** What every corner at a vertex holds. */
export type Corners = Extract<Schemas["ServerMessage"], { type: "corners" }>;

/** What the steps of a recipe make, each by itself. */
export type Tastes = Extract<Schemas["ServerMessage"], { type: "tastes" }>;

export interface State {
  /** What the server told of limits and of what is meant where nothing is said; null until then. */
  facts: Schemas["Facts"] | null;
  connected: boolean | null;
  /** The project was deleted while it was open here. */
  gone: boolean;
  project: string;
  traits: Schemas["ProjectTraits"];
  parts: Part[];
  hands: string[];
  history: Schemas["History"];
  figures: Partial<Record<number, Figures[]>>;
  /** Of sets of swatches: the area in each number that is there. */
  areas: Partial<Record<number, [number: number, area: number][]>>;
  part: number | null;
  /** The set painted into. */
  target: number | null;
  channels: Channels;
  /** The set shown, which need not be the one painted into. */
  shown: number | null;
  look: Look;
  /** Pixels that a median edge of the active part takes on the screen, while the wireframe is shown. */
  edgePixels: number | null;
  area: Area;
  /** The family of tools in hand. */
  tool: Tool;
  /** What the tools write into: the set chosen on the board, or what serves the work. */
  into: "set" | "selection" | "mask";
  /** The selection that is worked on. */
  selection: number | null;
  /** Whether a fill of a selection or mask adds to it or makes it anew. */
  afresh: boolean;
  action: "paint" | "erase";
  tidy: "soften" | "smear";
  /** How paint meets what is there. */
  blend: Schemas["Blend"];
  brush: Brush;
  pour: PourChoice;
  span: SpanChoice;
  /** Whether what the span in hand would cover is on the stage, waiting for the word. */
  spanReady: boolean;
  mirror: Required<Schemas["Mirror"]>;
  allParts: boolean;
  stencil: StencilChoice | null;
  cutaway: CutawayChoice;
  paint: Rgba;
  second: Rgba;
  /** What data channels are painted with. */
  value: number;
  /** The numbers of the swatches at hand: what faces are painted in, and what the second button paints them in. */
  swatch: number;
  secondSwatch: number;
  recent: Rgba[];
  swatches: Schemas["Swatch"][];
  views: Schemas["SavedView"][];
  /** Those that lie over others first. */
  volumes: Schemas["ColorVolume"][];
  /** How it is printed, where that was said. */
  print: Schemas["PrintSetup"] | null;
  /** How it is proofed: its looks, what wears them, the light. */
  proof: Proof;
  /** What is in hand in Proof, and on the stage before it is kept. */
  proofing: Proofing;
  /** Panes of the stage in Proof. */
  panes: Panes;
  /** What is under the pointer in each pane. */
  paneValues: readonly (Rgba | null)[];
  /** The volume in hand. */
  volume: number | null;
  images: Schemas["ImageOutline"][];
  /** How recipes stand, as it was told last. */
  recipes: Schemas["RecipeState"][];
  /** What their steps make, by part, set and channels. */
  tastes: Partial<Record<string, Tastes>>;
  /** Why the recipe in hand cannot be made as it stands. */
  tryTrouble: string | null;
  /** The step of the recipe in hand whose numbers are open. */
  openStep: number | null;
  placing: Placing | null;
  /** By what the active part is held on the stage in Gather. */
  grip: GripMode | null;
  sheet: SheetPage;
  /** The next click takes the color under it. */
  picking: boolean;
  /** Whether every corner's value is told at the pointer. */
  listing: boolean;
  corners: Corners | null;
  wipe: Wipe | null;
  gatherTool: GatherTool;
  trial: Trial | null;
  remade: Remade | null;
  /** The snapshot shown while a key is held. */
  flipped: string | null;
  /** The least and greatest number of the heat on the stage. */
  heatRange: [number, number] | null;
  /** An adjustment is being looked at; why it cannot be. */
  previewTrouble: string | null;
  /** A picture to take colors from. */
  pinned: { url: string; name: string } | null;
  /** Strokes sent whose change is not yet known to be on disk. */
  unsaved: number;
  probe: Probe | null;
  covered: number;
  /** How many triangles paint will add where the pointer rests; null where that is not known, or none ever come. */
  ahead: number | null;
  /** What is asked before many are made. */
  askedAhead: AskedAhead | null;
  said: { text: string; bad: boolean } | null;
  /** What whoever opens the project must know: it stays, whatever else is said, until it is put away. */
  notice: string | null;
  /** What the last import did, a report for each file. */
  reports: Schemas["ImportReport"][];
  /** Whether the sheet of keys is open. */
  shortcuts: boolean;
}

const start: State = {
  facts: null,
  connected: null,
  gone: false,
  project: "",
  traits: { unit: "millimetre", up: "y" },
  parts: [],
  hands: [],
  history: { revision: 0, undo: null, redo: null },
  figures: {},
  areas: {},
  part: null,
  target: null,
  channels: [true, true, true, false],
  shown: null,
  look: {
    shade: "lit",
    smoothUpTo: 180,
    wire: false,
    parallel: false,
    channel: null,
    heat: null,
    mask: true,
    selection: true,
  },
  edgePixels: null,
  area: "paint",
  tool: "stroke",
  into: "set",
  selection: null,
  afresh: true,
  action: "paint",
  tidy: "soften",
  blend: "normal",
  brush: {
    reach: "skin",
    radius: 1,
    pixels: 40,
    on_screen: false,
    opacity: 1,
    hardness: 0.5,
    falloff: "soft",
    falloff_curve: null,
    through: false,
    apart: false,
    build_up: "stroke",
    flow: 0.2,
    spacing: 0.2,
    finer: null,
    crisp: false,
    pressure_radius: null,
    pressure_opacity: null,
    pressure_hardness: null,
  },
  pour: { kind: "crease", degrees: null, tolerance: 0.02, crisp: false },
  span: {
    kind: "band",
    axis: "y",
    direction: [0, 1, 0],
    from: null,
    to: null,
    soft: 0,
    shape: "sphere",
    center: null,
    size: [1, 1, 1],
    turn: [0, 0, 0],
    softShare: 0,
    crisp: false,
    outline: "free",
    through: false,
    drawn: null,
  },
  spanReady: false,
  mirror: { axes: [false, false, false], of_project: false },
  allParts: false,
  stencil: null,
  cutaway: { on: false, placed: false, normal: [0, 0, 1], offset: 0, covers_hidden: false },
  paint: [0.769, 0.224, 0.129, 1],
  second: [0.929, 0.906, 0.839, 1],
  value: 1,
  swatch: 1,
  secondSwatch: 0,
  recent: [
    [0.122, 0.298, 0.318, 1],
    [0.929, 0.906, 0.839, 1],
    [0.796, 0.592, 0.306, 1],
  ],
  swatches: [],
  views: [],
  volumes: [],
  print: null,
  proof: noProof,
  proofing: noProofing,
  panes: onePane,
  paneValues: [],
  volume: null,
  images: [],
  recipes: [],
  tastes: {},
  tryTrouble: null,
  openStep: null,
  placing: null,
  grip: null,
  sheet: "tool",
  picking: false,
  listing: false,
  corners: null,
  wipe: null,
  gatherTool: "bring",
  trial: null,
  remade: null,
  flipped: null,
  heatRange: null,
  previewTrouble: null,
  pinned: null,
  unsaved: 0,
  probe: null,
  covered: 0,
  ahead: null,
  askedAhead: null,
  said: null,
  notice: null,
  reports: [],
  shortcuts: false,
};

export const useApp = create<State>(() => start);
export const set = useApp.setState;
export const get = useApp.getState;

export const setBrush = (change: Partial<Brush>) => set({ brush: { ...get().brush, ...change } });
export const setLook = (change: Partial<Look>) => set({ look: { ...get().look, ...change } });

export const setSpan = (change: Partial<SpanChoice>) => set({ span: { ...get().span, ...change } });
export const setStencil = (change: Partial<StencilChoice>) => {
  const { stencil } = get();
  if (stencil) set({ stencil: { ...stencil, ...change } });
};
export const setCutaway = (change: Partial<CutawayChoice>) => set({ cutaway: { ...get().cutaway, ...change } });

/** Forgets one project before the next is opened; the hand's paint and brush stay. */
export function reset() {
  const {
    facts,
    paint,
    second,
    swatch,
    secondSwatch,
    value,
    recent,
    look,
    brush,
    action,
    blend,
    tool,
    tidy,
    pour,
    pinned,
  } = get();
  set({
    ...start,
    facts,
    paint,
    second,
    swatch,
    secondSwatch,
    value,
    recent,
    look: { ...look, heat: null },
    brush,
    action,
    blend,
    tool,
    tidy,
    pinned,
    pour: { ...pour, degrees: null },
  });
}

/** What the server told. */
export const facts = () => get().facts ?? NOTHING_TOLD;

export function activePart(state: State): Part | undefined {
  return state.parts.find((part) => part.id === state.part);
}

export function targetSet(state: State): ColorSet | undefined {
  return activePart(state)?.sets.find((candidate) => candidate.id === state.target);
}

/** The part's mask, if it has one. */
export const maskOf = (part: Part | undefined): ColorSet | undefined =>
  part?.helpers.find((helper) => helper.role === "mask");
export const selectionsOf = (part: Part | undefined): ColorSet[] =>
  part?.helpers.filter((helper) => helper.role === "selection") ?? [];

/** The selection that is worked on: the chosen one, or the part's first. */
export function chosenSelection(state: State): ColorSet | undefined {
  const all = selectionsOf(activePart(state));
  return all.find((candidate) => candidate.id === state.selection) ?? all[0];
}

/** What the tools write into. */
export function intoSet(state: State): ColorSet | undefined {
  if (state.into === "mask") return maskOf(activePart(state));
  return state.into === "selection" ? chosenSelection(state) : targetSet(state);
}

/** Whether the tools write into a set of swatches. */
export const isSwatches = (state: State): boolean => intoSet(state)?.encoding === "swatch";

/** The names of the project's snapshots, oldest first. */
export function snapshotNames(parts: Part[]): string[] {
  return [
    ...new Set(
      parts.flatMap((part) =>
        part.helpers.filter((helper) => typeof helper.role === "object").map((helper) => helper.name),
      ),
    ),
  ];
}

/** The snapshot of a set under a name. */
export function snapshotOf(part: Part, set: number | null, name: string): ColorSet | undefined {
  return part.helpers.find(
    (helper) =>
      typeof helper.role === "object" &&
      "snapshot" in helper.role &&
      helper.name === name &&
      (set === null || helper.role.snapshot.of === set),
  );
}
export function shownSet(state: State): ColorSet | undefined {
  return activePart(state)?.sets.find((candidate) => candidate.id === state.shown);
}

/** Shows sets as they are, without looks, or looks again. */
export const showBare = (bare: boolean) => set({ proofing: { ...get().proofing, bare } });

/** Takes a new outline in; what the user has chosen stays chosen as long as it is there. */
export function takeOutline({ parts, traits, swatches, views, volumes, print, proof, images }: Schemas["Outline"]) {
  const state = get();
  const part = parts.find((candidate) => candidate.id === state.part) ?? parts[0];
  const has = (id: number | null) => part?.sets.some((candidate) => candidate.id === id) ?? false;
  const changedPart = part?.id !== state.part;
  const wasBare = state.parts.find((candidate) => candidate.id === part?.id)?.sets.length === 0;
  const names = snapshotNames(parts);
  const { look, wipe } = state;
  const heat = look.heat !== null && look.heat !== "density" && !names.includes(look.heat.snapshot) ? null : look.heat;
  set({
    parts,
    traits,
    swatches,
    views,
    volumes,
    print: print ?? null,
    proof: { ...noProof, ...proof },
    images,
    look: heat === look.heat ? look : { ...look, heat },
    wipe: wipe && (names.includes(wipe.snapshot) || state.trial?.shows === "wipe") ? wipe : null,
    trial: state.trial && parts.some((own) => own.id === state.trial?.part) ? state.trial : null,
    // Tools write into what is there.
    into:
      state.into === "mask" && !maskOf(part)
        ? "set"
        : state.into === "selection" && selectionsOf(part).length === 0
          ? "set"
          : state.into,
    part: part?.id ?? null,
    target: has(state.target) ? state.target : (part?.sets[0]?.id ?? null),
    // The first set of a bare part is shown, or paint would go into it unseen.
    shown:
      has(state.shown) || (state.shown === null && !changedPart && !wasBare)
        ? state.shown
        : (part?.sets[0]?.id ?? null),
    brush: changedPart && part ? { ...state.brush, radius: part.starting_radius } : state.brush,
  });
}

export function choosePart(id: number) {
  const { parts, part: before, shown } = get();
  const part = parts.find((candidate) => candidate.id === id);
  if (!part || id === before) return;
  const first = part.sets[0]?.id ?? null;
  // Paint goes on into the set of the same name where there is one; the brush keeps its size.
  const name = targetSet(get())?.name;
  const same = part.sets.find((candidate) => candidate.name === name)?.id ?? first;
  const { into } = get();
  const hasInto = into === "set" || (into === "mask" ? maskOf(part) !== undefined : selectionsOf(part).length > 0);
  set({
    part: id,
    target: same,
    shown: shown === null ? null : same,
    selection: null,
    corners: null,
    into: hasInto ? into : "set",
  });
}

/** Remembers a color that was used, newest first. */
export function remember(color: Rgba) {
  const same = (other: Rgba) => other.every((value, i) => Math.abs(value - (color[i] ?? 0)) < 1 / 512);
  const { recent } = get();
  if (recent[0] && same(recent[0])) return;
  set({ recent: [color, ...recent.filter((other) => !same(other))].slice(0, 6) });
}

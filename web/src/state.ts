// What the interface knows and what the user has chosen. Arrays stay outside, with the stage.
import { create } from "zustand";
import type { ImportReport, Schemas } from "./api/client";

export type Part = Schemas["PartOutline"];
export type ColorSet = Schemas["SetOutline"];
export type Figures = Schemas["ChannelFigures"];
export type Unit = Schemas["Unit"];
export type Area = "gather" | "paint" | "deliver";
export type Channels = [boolean, boolean, boolean, boolean];
export type Rgba = [number, number, number, number];

/** What is under the pointer. */
export interface Probe {
  part: string;
  isActive: boolean;
  vertex: number;
  value: Rgba | null;
  /** Mean length of the edges at the triangle under the pointer, in the project's unit. */
  edge: number;
}

/** The brush as the hand sets it; the stage makes of it what goes over the wire. */
export interface Brush {
  reach: Schemas["Reach"];
  /** In the project's unit. */
  radius: number;
  /** Used instead of the radius when the circle keeps its size on the screen. */
  pixels: number;
  on_screen: boolean;
  opacity: number;
  hardness: number;
  falloff: Schemas["Falloff"];
  build_up: boolean;
  pressure_radius: boolean;
  pressure_opacity: boolean;
}

/** How the stage shows things. */
export interface Look {
  shade: "flat" | "lit";
  /** Faces that bend by less are shaded as one surface, in degrees; 0 shows every face. */
  smoothUpTo: number;
  wire: boolean;
  parallel: boolean;
  /** One channel alone in grey (0–3), or alpha over a checker; null shows R, G and B as a color. */
  channel: number | "alpha over checker" | null;
}

/** How far a pour reaches. */
export type PourKind = Schemas["Pour"]["type"];

export interface PourChoice {
  kind: PourKind;
  /** Of a crease pour; null takes what the part's own bends suggest. */
  degrees: number | null;
  /** Of a patch pour, 0–1. */
  tolerance: number;
}

interface State {
  connected: boolean | null;
  /** The project was deleted while it was open here. */
  gone: boolean;
  project: string;
  traits: Schemas["ProjectTraits"];
  parts: Part[];
  hands: string[];
  history: Schemas["History"];
  figures: Partial<Record<number, Figures[]>>;
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
  tool: "stroke" | "pour";
  action: Schemas["Action"];
  /** How paint meets what is there. */
  blend: Schemas["Blend"];
  brush: Brush;
  pour: PourChoice;
  paint: Rgba;
  recent: Rgba[];
  /** Strokes sent whose change is not yet known to be on disk. */
  unsaved: number;
  probe: Probe | null;
  covered: number;
  said: { text: string; bad: boolean } | null;
  report: ImportReport | null;
  /** Whether the sheet of keys is open. */
  shortcuts: boolean;
}

const start: State = {
  connected: null,
  gone: false,
  project: "",
  traits: { unit: "millimetre", up: "y" },
  parts: [],
  hands: [],
  history: { revision: 0, undo: null, redo: null },
  figures: {},
  part: null,
  target: null,
  channels: [true, true, true, false],
  shown: null,
  look: { shade: "lit", smoothUpTo: 180, wire: false, parallel: false, channel: null },
  edgePixels: null,
  area: "paint",
  tool: "stroke",
  action: "paint",
  blend: "normal",
  brush: { reach: "skin", radius: 1, pixels: 40, on_screen: false, opacity: 1, hardness: 0.5, falloff: "soft", build_up: false, pressure_radius: false, pressure_opacity: false },
  pour: { kind: "crease", degrees: null, tolerance: 0.02 },
  paint: [0.769, 0.224, 0.129, 1],
  recent: [
    [0.122, 0.298, 0.318, 1],
    [0.929, 0.906, 0.839, 1],
    [0.796, 0.592, 0.306, 1],
  ],
  unsaved: 0,
  probe: null,
  covered: 0,
  said: null,
  report: null,
  shortcuts: false,
};

export const useApp = create<State>(() => start);
export const set = useApp.setState;
export const get = useApp.getState;

export const setBrush = (change: Partial<Brush>) => set({ brush: { ...get().brush, ...change } });
export const setLook = (change: Partial<Look>) => set({ look: { ...get().look, ...change } });

/** Forgets one project before the next is opened; the hand's paint and brush stay. */
export function reset() {
  const { paint, recent, look, brush, action, blend, tool, pour } = get();
  set({ ...start, paint, recent, look, brush, action, blend, tool, pour: { ...pour, degrees: null } });
}

export function activePart(state: State): Part | undefined {
  return state.parts.find((part) => part.id === state.part);
}

export function targetSet(state: State): ColorSet | undefined {
  return activePart(state)?.sets.find((candidate) => candidate.id === state.target);
}

export function shownSet(state: State): ColorSet | undefined {
  return activePart(state)?.sets.find((candidate) => candidate.id === state.shown);
}

/** Takes a new outline in; what the user has chosen stays chosen as long as it is there. */
export function takeOutline({ parts, traits }: Schemas["Outline"]) {
  const state = get();
  const part = parts.find((candidate) => candidate.id === state.part) ?? parts[0];
  const has = (id: number | null) => part?.sets.some((candidate) => candidate.id === id) ?? false;
  const changedPart = part?.id !== state.part;
  set({
    parts,
    traits,
    part: part?.id ?? null,
    target: has(state.target) ? state.target : (part?.sets[0]?.id ?? null),
    shown: has(state.shown) || (state.shown === null && !changedPart) ? state.shown : (part?.sets[0]?.id ?? null),
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
  set({ part: id, target: same, shown: shown === null ? null : same });
}

/** Remembers a color that was used, newest first. */
export function remember(color: Rgba) {
  const same = (other: Rgba) => other.every((value, i) => Math.abs(value - (color[i] ?? 0)) < 1 / 512);
  const { recent } = get();
  if (recent[0] && same(recent[0])) return;
  set({ recent: [color, ...recent.filter((other) => !same(other))].slice(0, 6) });
}

export const hex = (color: readonly number[]) =>
  "#" +
  [0, 1, 2]
    .map((i) => Math.round((color[i] ?? 0) * 255).toString(16).padStart(2, "0"))
    .join("")
    .toUpperCase();

export const count = (n: number) => n.toLocaleString("en-US").replaceAll(",", "\u2009");

export const symbols: Record<Unit, string> = { millimetre: "mm", centimetre: "cm", metre: "m", inch: "in", foot: "ft" };

/** A number with three figures that count. */
export function figure(value: number): string {
  if (value === 0) return "0";
  const digits = Math.max(0, 2 - Math.floor(Math.log10(Math.abs(value))));
  return value.toFixed(Math.min(digits, 6));
}

/** A length of the project, with its unit. */
export const length = (value: number) => `${figure(value)} ${symbols[get().traits.unit]}`;

/** Bytes as people read them. */
export function bytes(n: number): string {
  if (n < 1e3) return `${n} B`;
  if (n < 1e6) return `${(n / 1e3).toFixed(0)} kB`;
  return n < 1e9 ? `${(n / 1e6).toFixed(1)} MB` : `${(n / 1e9).toFixed(2)} GB`;
}

/** "R G B": the chosen channels in words. */
export function channelNames(channels: Channels): string {
  const names = ["R", "G", "B", "A"].filter((_, i) => channels[i]);
  return names.length > 0 ? names.join(" ") : "no channel";
}

/** The blends, as the list shows them, and what each does. */
export const blends: { key: Schemas["Blend"]; title: string; says: string }[] = [
  { key: "normal", title: "Normal", says: "The paint itself." },
  { key: "recolor", title: "Recolor", says: "The paint in the shading that is there, measured against the set's ground color." },
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

export const reachTitles: Record<Schemas["Reach"], string> = { skin: "Skin", deep: "Deep", facet: "Facet", corner: "Corner" };

/** Whether a stroke covers what lies in a circle; others go by the face. */
export const isRound = ({ tool, brush }: Pick<State, "tool" | "brush">) => tool === "stroke" && (brush.reach === "skin" || brush.reach === "deep");

export const pourTitles: Record<PourKind, string> = { all: "Pour over all", crease: "Crease pour", patch: "Patch pour", piece: "Piece pour" };

/** The pour in hand on a part, as it goes over the wire. */
export function pourOf({ kind, degrees, tolerance }: PourChoice, part: Part): Schemas["Pour"] {
  if (kind === "crease") return { type: kind, degrees: degrees ?? part.crease };
  return kind === "patch" ? { type: kind, tolerance } : { type: kind };
}

/** What the tool in hand is called, as in the history. */
export function toolTitle({ tool, action, brush, pour }: Pick<State, "tool" | "action" | "brush" | "pour">): string {
  if (tool === "pour") return `${pourTitles[pour.kind]}${action === "erase" ? " (erase)" : ""}`;
  return `${reachTitles[brush.reach]} ${action === "erase" ? "erase" : "stroke"}`;
}

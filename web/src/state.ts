// What the interface knows and what the user has chosen. Arrays stay outside, with the stage.
import { create } from "zustand";
import type { ImportReport, Schemas } from "./api/client";

export type Part = Schemas["PartOutline"];
export type ColorSet = Schemas["SetOutline"];
export type Figures = Schemas["ChannelFigures"];
export type Area = "gather" | "paint" | "deliver";
export type Shade = "flat" | "lit";
export type Channels = [boolean, boolean, boolean, boolean];
export type Rgba = [number, number, number, number];

/** What is under the pointer. */
export interface Probe {
  vertex: number;
  value: Rgba | null;
  /** Mean length of the edges at the triangle under the pointer. */
  edge: number;
}

export interface Brush {
  radius: number;
  opacity: number;
  hardness: number;
  build_up: boolean;
}

interface State {
  connected: boolean | null;
  project: string;
  parts: Part[];
  history: Schemas["History"];
  figures: Partial<Record<number, Figures[]>>;
  part: number | null;
  /** The set painted into. */
  target: number | null;
  channels: Channels;
  /** The set shown, which need not be the one painted into. */
  shown: number | null;
  shade: Shade;
  area: Area;
  brush: Brush;
  paint: Rgba;
  recent: Rgba[];
  /** Strokes sent whose change is not yet known to be on disk. */
  unsaved: number;
  probe: Probe | null;
  covered: number;
  said: { text: string; bad: boolean } | null;
  report: ImportReport | null;
}

const start: State = {
  connected: null,
  project: "",
  parts: [],
  history: { revision: 0, undo: null, redo: null },
  figures: {},
  part: null,
  target: null,
  channels: [true, true, true, false],
  shown: null,
  shade: "lit",
  area: "paint",
  brush: { radius: 1, opacity: 1, hardness: 0.5, build_up: false },
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
};

export const useApp = create<State>(() => start);
export const set = useApp.setState;
export const get = useApp.getState;

/** Forgets one project before the next is opened; the hand's paint stays. */
export function reset() {
  const { paint, recent, shade } = get();
  set({ ...start, paint, recent, shade });
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
export function takeOutline(parts: Part[]) {
  const state = get();
  const part = parts.find((candidate) => candidate.id === state.part) ?? parts[0];
  const has = (id: number | null) => part?.sets.some((candidate) => candidate.id === id) ?? false;
  const changedPart = part?.id !== state.part;
  set({
    parts,
    part: part?.id ?? null,
    target: has(state.target) ? state.target : (part?.sets[0]?.id ?? null),
    shown: has(state.shown) ? state.shown : (part?.sets[0]?.id ?? null),
    brush: changedPart && part ? { ...state.brush, radius: part.starting_radius } : state.brush,
  });
}

export function choosePart(id: number) {
  const part = get().parts.find((candidate) => candidate.id === id);
  if (!part || id === get().part) return;
  const first = part.sets[0]?.id ?? null;
  set({ part: id, target: first, shown: first, brush: { ...get().brush, radius: part.starting_radius } });
}

/** Remembers a color that was used, newest first. */
export function remember(color: Rgba) {
  const same = (other: Rgba) => other.every((value, i) => Math.abs(value - (color[i] ?? 0)) < 1 / 512);
  const { recent } = get();
  if (recent[0] && same(recent[0])) return;
  set({ recent: [color, ...recent.filter((other) => !same(other))].slice(0, 4) });
}

export const hex = (color: readonly number[]) =>
  "#" +
  [0, 1, 2]
    .map((i) => Math.round((color[i] ?? 0) * 255).toString(16).padStart(2, "0"))
    .join("")
    .toUpperCase();

export const count = (n: number) => n.toLocaleString("en-US").replaceAll(",", "\u2009");

/** A length with three figures that count. The unit is the file's own until projects have one. */
export function length(value: number): string {
  if (value === 0) return "0 u";
  const digits = Math.max(0, 2 - Math.floor(Math.log10(Math.abs(value))));
  return `${value.toFixed(Math.min(digits, 6))} u`;
}

/** "R G B": the chosen channels in words. */
export function channelNames(channels: Channels): string {
  const names = ["R", "G", "B", "A"].filter((_, i) => channels[i]);
  return names.length > 0 ? names.join(" ") : "no channel";
}

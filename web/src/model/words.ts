// Numbers, lengths, colors and counts as people read them.
import type { Schemas } from "../api/client";
import { get, type Unit } from "./state";
import type { Channels } from "./choices";

export const hex = (color: readonly number[]) =>
  "#" +
  [0, 1, 2]
    .map((i) =>
      Math.round((color[i] ?? 0) * 255)
        .toString(16)
        .padStart(2, "0"),
    )
    .join("")
    .toUpperCase();

export const count = (n: number) => n.toLocaleString("en-US").replaceAll(",", "\u2009");

/** A count with its noun: "1 face", "12 faces". */
export const counted = (n: number, one: string, several: string) => `${count(n)} ${n === 1 ? one : several}`;

export const symbols: Record<Unit, string> = { millimetre: "mm", centimetre: "cm", metre: "m", inch: "in", foot: "ft" };

/** A number with three figures that count. */
export function figure(value: number): string {
  if (value === 0) return "0";
  const digits = Math.max(0, 2 - Math.floor(Math.log10(Math.abs(value))));
  return value.toFixed(Math.min(digits, 6));
}

/** A length of the project, with its unit. */
export const length = (value: number) => `${figure(value)} ${symbols[get().traits.unit]}`;

/** A while, in seconds, as one says it: "40 s", "55 min", "4 h 55". */
export function duration(seconds: number): string {
  if (seconds < 90) return `${Math.round(seconds)} s`;
  const minutes = Math.round(seconds / 60);
  return minutes < 60
    ? `${minutes} min`
    : `${count(Math.floor(minutes / 60))} h ${String(minutes % 60).padStart(2, "0")}`;
}

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

/** "312 vertices": elements of a placement, counted. */
export function elements(n: number, placement: Schemas["Placement"]): string {
  const [one, several] = { vertex: ["vertex", "vertices"], corner: ["corner", "corners"], face: ["face", "faces"] }[
    placement
  ];
  return `${count(n)} ${n === 1 ? one : several}`;
}

/** How many triangles will come. */
export const addsWords = (triangles: number): string =>
  triangles === 0
    ? "leaves the mesh as it is"
    : `adds ${count(triangles)} ${triangles === 1 ? "triangle" : "triangles"}`;

/** How a place on another surface is found, as the lists show it. */
export const alongWords = [
  ["nearest", "nearest surface"],
  ["normal", "along the normal"],
  ["outermost", "outermost along it"],
] as const;

/** A name that is not taken yet: "Snapshot 2". */
export function free(word: string, taken: string[]): string {
  for (let i = 1; ; i++) if (!taken.includes(`${word} ${i}`)) return `${word} ${i}`;
}

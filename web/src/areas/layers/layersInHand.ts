// The print in hand: how it is cut, what that comes to, and the layer that is looked at.
import { create } from "zustand";
import type { Schemas } from "../../api/client";
import { cutLayers, layerOutlines, newWord } from "../../api/writes";

export type Told = Schemas["LayersTold"];
export type Rules = Schemas["LayerRules"];
export type Inside = Schemas["LayerInside"];

interface Print {
  /** The project it is of. */
  project: number | null;
  rules: Rules;
  /** How many swatches at most. */
  most: number;
  inside: Inside;
  /** How high the print is, mm; null: as high as the model where a printer could hold that. */
  height: number | null;
  /** What is purged at each change, mm³. */
  purge: number;
  told: Told | null;
  busy: boolean;
  trouble: string | null;
  /** The layer that is looked at, from 0. */
  layer: number;
  /** Its outlines, with which answer and layer they are of. */
  outlines: { look: number; layer: number; lines: Schemas["LayerStretch"][] } | null;
}

const start: Print = {
  project: null,
  rules: { layer: 0.2, first: 0.2, line: 0.45, depth: 0.9 },
  most: 4,
  inside: { kind: "swatch", swatch: 0 },
  height: null,
  purge: 140,
  told: null,
  busy: false,
  trouble: null,
  layer: 0,
  outlines: null,
};

export const usePrint = create<Print>(() => start);
export const turn = (change: Partial<Print>) => usePrint.setState(change);
const get = usePrint.getState;

/** Another project is another print; the same one goes on where it was left. */
export function take(project: number) {
  if (get().project !== project) turn({ ...start, project });
}

let under: AbortController | null = null;

/** Cuts anew; of several only the last counts. */
export async function cut(work: string) {
  const { project, rules, most, inside, height } = get();
  if (project === null) return;
  under?.abort();
  const own = new AbortController();
  under = own;
  turn({ busy: true });
  const { data, trouble } = await cutLayers(project, { rules, most, inside, height }, { signal: own.signal, work });
  if (own.signal.aborted || get().project !== project) return;
  // Colors may have become fewer than the swatch that was to lie within: the first one is always there.
  if (!data && inside.kind === "swatch" && inside.swatch > 0) turn({ inside: { kind: "swatch", swatch: 0 } });
  const layers = data?.plan.layers.length ?? 0;
  turn({
    busy: false,
    trouble,
    told: data,
    ...(data && { layer: Math.min(get().layer === 0 ? Math.floor(layers / 2) : get().layer, layers - 1) }),
  });
}

export function giveUp() {
  under?.abort();
  turn({ busy: false });
}

let asking = false;

/** Fetches the outlines of the layer that is looked at; while some are under way, the last one waits. */
export async function draw() {
  if (asking) return;
  asking = true;
  for (;;) {
    const { told, layer, outlines } = get();
    if (!told || (outlines?.look === told.look && outlines.layer === layer)) break;
    const { data } = await layerOutlines(told.look, layer);
    if (!data && get().told?.look === told.look) {
      // It is not kept for ever: it is cut anew, and the new one asked for.
      await cut(newWord());
      if (get().told && get().told?.look !== told.look) continue;
    }
    turn({ outlines: { look: told.look, layer, lines: data ?? [] } });
  }
  asking = false;
}

/** The layers in which the spool changes. */
export function changesIn(layers: Told["plan"]["layers"]): boolean[] {
  let last: number | null = null;
  return layers.map(({ order }) => {
    let changes = false;
    for (const swatch of order) {
      changes ||= last !== null && last !== swatch;
      last = swatch;
    }
    return changes;
  });
}

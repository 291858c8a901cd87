// The print in hand: how it is cut, what that comes to, and the layer that is looked at.
import { create } from "zustand";
import type { Schemas } from "../../api/client";
import {
  causesLit,
  cutLayers,
  layerCauses,
  layerCells,
  layerOutlines,
  layersWith,
  newWord,
  remedyLayers,
} from "../../api/writes";
import { decode, type Cells } from "./cells";

export type Told = Schemas["LayersTold"];
export type Rules = Schemas["LayerRules"];
export type Inside = Schemas["LayerInside"];
export type Pace = Schemas["Pace"];
export type Cause = Schemas["CauseTold"];

interface Print {
  /** The project it is of. */
  project: number | null;
  rules: Rules;
  /** How many swatches at most. */
  most: number;
  /** What lies further within than paint goes; null: the base swatch. */
  inside: Inside | null;
  /** Heights between which paint goes right through, as remedies made it. */
  through: [number, number][];
  /** How high the print is, mm; null: as high as the model where a printer could hold that. */
  height: number | null;
  pace: Pace;
  /** Where it stands on the plate; null: in the middle of the printer's. */
  plate: Schemas["Plate"] | null;
  /** Below what regions are specks; null: as a printer's line is wide. */
  specks: Schemas["SweepLimits"] | null;
  /** What makes it change spools; null while that is not known, with the reason where it cannot be. */
  causes: Cause[] | null;
  causesTrouble: string | null;
  /** Which of them are to be mended, and what it would take then. */
  chosen: number[];
  then: Schemas["WithRemedies"] | null;
  /** Selections where seams are wanted, and where not; whether the seam is shown. */
  seams: { shown: boolean; prefer: string | null; avoid: string | null };
  /** The cause that is pointed at. */
  pointed: number | null;
  /** What the chart shows. */
  chart: "areas" | "changes" | "time";
  told: Told | null;
  busy: boolean;
  trouble: string | null;
  /** The layer that is looked at, from 0. */
  layer: number;
  /** What it looks like from above, with which answer and layer that is of. */
  seen: {
    look: number;
    layer: number;
    lines: Schemas["LayerStretch"][];
    cells: Cells | null;
    /** The layer below it. */
    below: Cells | null;
  } | null;
  /** Whether what differs from the layer below is marked. */
  marksBelow: boolean;
}

const start: Print = {
  project: null,
  rules: { layer: 0.2, first: 0.2, line: 0.45, depth: 0.9 },
  most: 4,
  inside: null,
  through: [],
  height: null,
  pace: { purge: 140, flow: 8, change: 30, layer: 1.5 },
  plate: null,
  specks: null,
  seams: { shown: false, prefer: null, avoid: null },
  causes: null,
  causesTrouble: null,
  chosen: [],
  then: null,
  pointed: null,
  chart: "areas",
  told: null,
  busy: false,
  trouble: null,
  layer: 0,
  seen: null,
  marksBelow: false,
};

export const usePrint = create<Print>(() => start);
export const turn = (change: Partial<Print>) => usePrint.setState(change);
const get = usePrint.getState;

/** What was found last, by which a choice is known to be of the same things. */
let lastFound = "";

type Setup = Schemas["PrintSetup"];

/** How the print in hand is made, as a project keeps it. */
export function setupOf({ rules, inside, through, height, pace, seams: { prefer, avoid }, plate }: Print): Setup {
  return { rules, inside, through, height, pace, seams: { prefer, avoid }, plate };
}

/** How one prints where nothing was said of it. */
export const usual: Setup = setupOf(start);

/** Whether two are the same, whatever was left out where it says nothing. */
export function isSame(a: Setup, b: Setup): boolean {
  const whole = ({ rules, inside, through, height, pace, seams, plate }: Setup) =>
    JSON.stringify([
      [rules.layer, rules.first, rules.line, rules.depth, rules.ranges ?? []],
      inside ?? null,
      through ?? [],
      height ?? null,
      [pace?.purge, pace?.flow, pace?.change, pace?.layer, pace?.pairs ?? []],
      [seams?.prefer ?? null, seams?.avoid ?? null],
      plate ? [plate.size, plate.at ?? [0, 0], plate.turn ?? 0] : null,
    ]);
  return whole(a) === whole(b);
}

/** What the project was asked to keep and has not told yet. */
let sent: Setup | null = null;
export const send = (setup: Setup) => (sent = setup);

/** Takes what the project keeps, and what nothing was said of where it keeps nothing. */
export function adopt(kept: Setup | null) {
  const print = get();
  // What was sent from here comes back, while a hand may have turned on.
  const isOwn = kept !== null && sent !== null && isSame(kept, sent);
  sent = null;
  if (isOwn) return;
  const { rules, inside, through, height, pace, seams, plate } = kept ?? usual;
  if (isSame(setupOf(print), kept ?? usual)) return;
  turn({
    rules,
    inside: inside ?? null,
    through: (through ?? []) as [number, number][],
    height: height ?? null,
    pace: pace ?? start.pace,
    seams: { ...print.seams, prefer: seams?.prefer ?? null, avoid: seams?.avoid ?? null },
    plate: plate ?? null,
  });
}

/** Another project is another print; the same one goes on where it was left. */
export function take(project: number) {
  if (get().project === project) return;
  lastFound = "";
  turn({ ...start, project });
}

/** What is under way: cutting, finding causes, mending. Each is given up for its own kind alone. */
let under: AbortController | null = null;
let finding: AbortController | null = null;
let mending: AbortController | null = null;

const order = ({ rules, most, inside, through, height, pace }: Print) => ({
  rules,
  most,
  inside,
  through,
  height,
  pace,
});

/** Asks for the same again, so that it is kept: what is looked at is let go of after a while. */
export async function keepUp() {
  const { project, told, busy } = get();
  if (project === null || !told || busy) return;
  const wait = { signal: new AbortController().signal, work: newWord() };
  const { data } = await cutLayers(project, order(get()), wait);
  if (data && get().told === told) turn({ told: data });
}

/** Cuts anew; of several only the last counts. */
export async function cut(work: string) {
  const { project, inside } = get();
  if (project === null) return;
  under?.abort();
  const own = new AbortController();
  under = own;
  turn({ busy: true });
  const { data, trouble } = await cutLayers(project, order(get()), { signal: own.signal, work });
  if (own.signal.aborted || get().project !== project) return;
  // Colors may have become fewer than the swatch that was to lie within: the first one is always there.
  if (!data && inside?.kind === "swatch") turn({ inside: null });
  const layers = data?.plan.layers.length ?? 0;
  const before = get().told;
  const known = (told: Told) => JSON.stringify([told.plan, told.inside, told.estimate, told.swatches]);
  // What comes to the same, as where only how it prints was kept, goes on being looked at.
  const goesOn = data !== null && before !== null && known(data) === known(before);
  turn({
    busy: false,
    trouble,
    told: data,
    ...(!goesOn && { causes: null, causesTrouble: null, then: null, pointed: null }),
    ...(data && { layer: Math.min(get().layer === 0 ? Math.floor(layers / 2) : get().layer, layers - 1) }),
  });
}

/** Below what regions are specks, unless it is said: what is narrower than a line, or smaller than a square of
    two of them. */
export const specksOf = ({ specks, rules }: Print) =>
  specks ?? { area: 4 * rules.line * rules.line, width: rules.line };

/** What is looked for. */
const asked = (print: Print) => ({ inside: print.inside, through: print.through, specks: specksOf(print) });

/** Those that leave what is seen as it is. */
const HARMLESS: Cause["remedy"][] = ["sweep", "bands", "inner"];

/** Finds what makes the print in hand change spools; what can be mended without being seen is chosen at first. */
export async function findCauses(work: string) {
  const { told } = get();
  if (!told) return;
  finding?.abort();
  const own = new AbortController();
  finding = own;
  const { data, trouble } = await layerCauses(told.look, asked(get()), { signal: own.signal, work });
  if (own.signal.aborted || get().told !== told) return;
  if (!data) {
    turn({ causesTrouble: trouble });
    return;
  }
  const found = JSON.stringify(data.map(({ remedy, swatch, layers }) => [remedy, swatch, layers]));
  const isSame = found === lastFound;
  lastFound = found;
  const harmless = () => data.flatMap(({ remedy }, i) => (HARMLESS.includes(remedy) ? [i] : []));
  turn({ causes: data, causesTrouble: null, ...(!isSame && { chosen: harmless() }) });
}

/** Where the cause that is pointed at lies on the model; nothing where none is. */
export async function lit(signal: AbortSignal): Promise<[number, number, number][]> {
  const { told, pointed, pace } = get();
  if (!told || pointed === null) return [];
  const { data } = await causesLit(
    told.look,
    { of: asked(get()), chosen: [pointed], pace },
    { signal, work: newWord() },
  );
  return signal.aborted ? [] : (data ?? []);
}

/** Tells what the print would take with what is chosen. */
export async function foresee(work: string) {
  const { told, causes, chosen, pace } = get();
  if (!told || !causes || chosen.length === 0) {
    turn({ then: null });
    return;
  }
  const wait = { signal: finding?.signal ?? new AbortController().signal, work };
  const { data } = await layersWith(told.look, { of: asked(get()), chosen, pace }, wait);
  if (get().told === told && get().chosen === chosen) turn({ then: data });
}

/** Mends what is chosen; why it cannot be, if so. */
export async function mend(work: string): Promise<string | null> {
  const { project, told, chosen, pace } = get();
  if (project === null || !told) return null;
  // Its own change has it cut anew, which must not give it up.
  const own = new AbortController();
  mending = own;
  turn({ busy: true });
  const { data, trouble } = await remedyLayers(
    project,
    told.look,
    { of: asked(get()), chosen, pace },
    { signal: own.signal, work },
  );
  turn({ busy: false });
  // The fewer changes, the fewer causes: they are looked for anew.
  if (data) turn({ inside: data.inside, through: data.through as [number, number][], chosen: [], then: null });
  return own.signal.aborted ? null : trouble;
}

export function giveUp() {
  for (const each of [under, finding, mending]) each?.abort();
  turn({ busy: false });
}

let asking = false;

/** Fetches what the layer that is looked at is like from above; while some are under way, the last one waits. */
export async function draw() {
  if (asking) return;
  asking = true;
  for (;;) {
    const { told, layer, seen } = get();
    if (!told || (seen?.look === told.look && seen.layer === layer)) break;
    const [{ data }, cells, below] = await Promise.all([
      layerOutlines(told.look, layer),
      layerCells(told.look, layer),
      layer > 0 ? layerCells(told.look, layer - 1) : null,
    ]);
    if (!data && get().told?.look === told.look) {
      // It is not kept for ever: it is cut anew, and the new one asked for.
      await cut(newWord());
      if (get().told && get().told?.look !== told.look) continue;
    }
    turn({
      seen: {
        look: told.look,
        layer,
        lines: data ?? [],
        cells: cells.data && decode(cells.data),
        below: below?.data ? decode(below.data) : null,
      },
    });
  }
  asking = false;
}

/** How often the spool changes in each layer. */
export function changesIn(layers: Told["plan"]["layers"]): number[] {
  let last: number | null = null;
  return layers.map(({ order }) => {
    let changes = 0;
    for (const swatch of order) {
      changes += last !== null && last !== swatch ? 1 : 0;
      last = swatch;
    }
    return changes;
  });
}

// The look and the light in hand: on the stage as they are turned, kept when the hand rests.
import type { Schemas } from "../../api/client";
import { get, set, type Proofing } from "../../model/state";
import type { LookLayer, ProofLook } from "../../model/proof";
import type { Project } from "../../project/project";

/** How long a hand rests before what it turned is kept, in milliseconds: one turn is one undo. */
const REST = 500;

const put = (change: Partial<Proofing>) => set({ proofing: { ...get().proofing, ...change } });

let waiting: { of: string; timer: number; keep: () => void } | null = null;

/** Keeps at once what a hand has turned and not let rest. */
export function keepNow() {
  if (!waiting) return;
  clearTimeout(waiting.timer);
  const { keep } = waiting;
  waiting = null;
  keep();
}

/** Keeps what is turned when the hand rests; whatever else it turned before is kept at once. */
function whenRested(of: string, keep: () => void) {
  if (waiting && waiting.of !== of) keepNow();
  if (waiting) clearTimeout(waiting.timer);
  waiting = { of, timer: window.setTimeout(keepNow, REST), keep };
}

/** Takes a look in hand. */
export function choose(id: number | null) {
  keepNow();
  put({ chosen: id, alone: null });
}

export const showAlone = (layer: number | null) => put({ alone: layer });

/** What is in hand becomes this. */
export function turn(project: Project, look: ProofLook, rests = true) {
  put({ look });
  project.looks.refresh();
  whenRested(`look ${look.id}`, () => {
    void project.edit({ type: "set_look", look }).then(() => {
      // What was refused, or kept, is as the project has it; what was turned meanwhile is not.
      if (get().proofing.look === look) put({ look: null });
    });
  });
  if (!rests) keepNow();
}

export function turnLayer(project: Project, look: ProofLook, at: number, by: Partial<LookLayer>, rests = true) {
  turn(project, { ...look, layers: look.layers.map((layer, i) => (i === at ? { ...layer, ...by } : layer)) }, rests);
}

/** The light becomes this. */
export function turnLights(project: Project, lights: Schemas["ProofLights"], rests = true) {
  put({ lights });
  project.looks.refresh();
  whenRested("lights", () => {
    void project.edit({ type: "set_lights", lights }).then(() => {
      if (get().proofing.lights === lights) put({ lights: null });
    });
  });
  if (!rests) keepNow();
}

/** Makes a look, and takes it in hand; it is worn where nothing else is said, if asked. */
export async function make(project: Project, name: string, layers: LookLayer[], wear: boolean): Promise<boolean> {
  keepNow();
  const known = new Set(get().proof.looks.map(({ id }) => id));
  if (!(await project.edit({ type: "set_look", look: { id: 0, name, layers }, wear }))) return false;
  const come = get().proof.looks.find(({ id }) => !known.has(id));
  if (come) choose(come.id ?? null);
  return true;
}

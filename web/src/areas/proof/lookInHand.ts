// The look and the light in hand: on the stage as they are turned, kept when the hand rests.
import type { Schemas } from "../../api/client";
import { get, set } from "../../model/state";
import type { Proofing } from "../../model/choices";
import type { LookLayer, ProofLook } from "../../model/proof";
import type { Project } from "../../project/project";
import { whenRested } from "../../widgets/rest";

/** How long a hand rests before what it turned is kept, in milliseconds: one turn is one undo. */
const REST = 500;

const put = (change: Partial<Proofing>) => set({ proofing: { ...get().proofing, ...change } });

let waiting: { of: string; callOff: () => void; keep: () => Promise<unknown> } | null = null;

/** Keeps at once what a hand has turned and not let rest; tells when it is kept, where there was any. */
export function keepNow(): Promise<unknown> | null {
  if (!waiting) return null;
  waiting.callOff();
  const { keep } = waiting;
  waiting = null;
  return keep();
}

/** Keeps what is turned when the hand rests; whatever else it turned before is kept at once. */
function keepRested(of: string, keep: () => Promise<unknown>) {
  if (waiting && waiting.of !== of) void keepNow();
  waiting?.callOff();
  waiting = { of, callOff: whenRested(REST, () => void keepNow()), keep };
}

/** Takes a look in hand. */
export function choose(id: number | null) {
  void keepNow();
  put({ chosen: id, alone: null });
}

export const showAlone = (layer: number | null) => put({ alone: layer });

/** Lets what looks move move, or holds it at a moment, in seconds; null for all at rest. */
export const momentIs = (moment: Proofing["moment"]) => put({ moment });

/** What is in hand becomes this. */
export function turn(project: Project, look: ProofLook, rests = true) {
  put({ look });
  project.looks.refresh();
  keepRested(`look ${look.id}`, () =>
    project.edit({ type: "set_look", look }).then(() => {
      // What was refused, or kept, is as the project has it; what was turned meanwhile is not.
      if (get().proofing.look === look) put({ look: null });
    }),
  );
  if (!rests) void keepNow();
}

export function turnLayer(project: Project, look: ProofLook, at: number, by: Partial<LookLayer>, rests = true) {
  turn(project, { ...look, layers: look.layers.map((layer, i) => (i === at ? { ...layer, ...by } : layer)) }, rests);
}

/** The light becomes this. */
export function turnLights(project: Project, lights: Schemas["ProofLights"], rests = true) {
  put({ lights });
  project.looks.refresh();
  keepRested("lights", () =>
    project.edit({ type: "set_lights", lights }).then(() => {
      if (get().proofing.lights === lights) put({ lights: null });
    }),
  );
  if (!rests) void keepNow();
}

/** The wind of a part, or of all, becomes this. */
export function turnWind(project: Project, part: number | null, wind: Schemas["ProofWind"]) {
  const inHand = { part, wind };
  put({ wind: inHand });
  project.looks.refresh();
  keepRested(`wind ${part}`, () =>
    project.edit({ type: "set_wind", wind, parts: part === null ? null : [part] }).then(() => {
      if (get().proofing.wind === inHand) put({ wind: null });
    }),
  );
}

/** Makes a look, and takes it in hand; it is worn where nothing else is said, if asked. */
export async function make(project: Project, name: string, layers: LookLayer[], wear: boolean): Promise<boolean> {
  void keepNow();
  const known = new Set(get().proof.looks.map(({ id }) => id));
  if (!(await project.edit({ type: "set_look", look: { id: 0, name, layers }, wear }))) return false;
  const come = get().proof.looks.find(({ id }) => !known.has(id));
  if (come) choose(come.id ?? null);
  return true;
}

// The transfer that is being set: what it would do, asked anew with every turn, and shown on the stage.
import { useEffect } from "react";
import type { Schemas } from "../../api/client";
import { sendTransfer, transferred } from "../../api/writes";
import { get, set, useApp, type Part } from "../../model/state";
import { LOST, TRIAL_HEAT, TRIED, type Trial, type TrialLook } from "../../model/trial";
import type { Project } from "../../project/project";
import { useLook, type Looking } from "./looking";

/** What the server fills in is left out. */
export type Rules = Partial<Schemas["TransferRules"]>;
export interface Order {
  from: Schemas["TransferFrom"][];
  rules: Rules;
  /** What else they go to. */
  also: number[];
}

/** What colors come from, as it is chosen in the sheet. */
export type Chosen =
  | { kind: "parts"; parts: number[] }
  | { kind: "snapshot"; name: string }
  | { kind: "earlier"; step: number | null }
  | { kind: "project"; project: number | null; part: string }
  | { kind: "file"; files: File[]; part: string | null };

/** What is asked for; nothing while something is still to be chosen. */
export function fromOf(chosen: Chosen, part: Part): Schemas["TransferFrom"][] {
  switch (chosen.kind) {
    case "parts":
      return chosen.parts.map((id) => ({ kind: "part", part: id }));
    case "snapshot":
      return [{ kind: "snapshot", name: chosen.name }];
    case "earlier":
      return chosen.step === null ? [] : [{ kind: "earlier", part: part.id, step: chosen.step }];
    case "project":
      return chosen.project === null || chosen.part === ""
        ? []
        : [{ kind: "project", project: chosen.project, part: chosen.part }];
    case "file":
      return chosen.files.length === 0 ? [] : [{ kind: "file", part: chosen.part }];
  }
}

/** Looks at what an order would do. What it would make stands on the stage until something else is asked. */
export function useTransfer(
  project: Project,
  part: Part,
  order: Order | null,
  files: File[],
  nth: number,
): Looking<Schemas["Transfer"]> {
  // Counts every change: what a transfer would do may be another then.
  const revision = useApp((state) => state.history.revision);
  const looking = useLook(
    order &&
      JSON.stringify([
        order,
        revision,
        part.id,
        files.map(({ name, size, lastModified }) => [name, size, lastModified]),
      ]),
    JSON.stringify([part.id, order?.from]),
    (wait) => sendTransfer(project.id, part.id, order ?? { from: [], rules: {}, also: [] }, true, files, wait),
    () => clear(project, part.id),
  );
  const { seen, look } = looking;
  const told = seen?.report.sets[nth] ?? seen?.report.sets[0];
  const placement = told?.placement;
  const encoding = told?.encoding ?? "color";
  const isNew = told?.is_new ?? false;
  const changes = seen?.report.sets.some((set) => set.changed > 0) ?? false;
  useEffect(() => {
    if (look === null || !placement) return;
    let isWanted = true;
    void show(project, part.id, { look, nth, placement, encoding, isNew, changes }, () => isWanted);
    return () => {
      isWanted = false;
    };
  }, [look, nth, placement, encoding, isNew, changes, project, part.id]);
  // What is tried goes with the sheet.
  useEffect(() => () => clear(project, part.id), [project, part.id]);
  return looking;
}

interface Shown {
  look: number;
  nth: number;
  placement: Schemas["Placement"];
  encoding: Schemas["Encoding"];
  isNew: boolean;
  changes: boolean;
}

/** Brings what a transfer would make of a set to the stage. */
async function show(
  project: Project,
  part: number,
  { look, nth, placement, encoding, isNew, changes }: Shown,
  isWanted: () => boolean,
) {
  const [values, heat, lost] = await Promise.all([
    transferred(look, "values", nth),
    isNew ? null : transferred(look, "heat", nth),
    transferred(look, "lost", 0),
  ]);
  const surface = project.stage.surfaces.get(part);
  if (!isWanted() || !surface) return;
  if (!values.data || !lost.data) {
    set({ said: { text: values.trouble ?? lost.trouble ?? "", bad: true } });
    return;
  }
  surface.take(TRIED, { placement, encoding }, new Uint8Array(values.data));
  const is = new Float32Array(lost.data);
  const bytes = new Uint8Array(4 * is.length);
  is.forEach((lost, vertex) => (bytes[4 * vertex] = 255 * lost));
  surface.take(LOST, { placement: "vertex", encoding: "data" }, bytes);
  surface.takeHeat(TRIAL_HEAT, placement, heat?.data ? new Float32Array(heat.data) : null);
  const shows = get().trial?.shows ?? "after";
  setTrial({ part, isNew, changes }, isNew && shows === "change" ? "after" : shows);
  project.looks.refresh();
  project.stage.redraw();
}

/** How a trial is looked at. */
export function setTrial({ part, isNew, changes }: Omit<Trial, "shows">, shows: TrialLook) {
  const { look, wipe } = get();
  set({
    trial: { part, isNew, changes, shows },
    flipped: null,
    wipe: shows === "wipe" ? { snapshot: "before", share: wipe?.share ?? 0.5 } : null,
    ...(look.heat !== null && { look: { ...look, heat: null } }),
  });
}

/** Shows what is again. */
function clear(project: Project, part: number) {
  const surface = project.stage.surfaces.get(part);
  surface?.drop(TRIED);
  surface?.drop(LOST);
  surface?.takeHeat(TRIAL_HEAT, "vertex", null);
  if (get().trial) set({ trial: null, wipe: null });
  project.looks.refresh();
  project.stage.redraw();
}

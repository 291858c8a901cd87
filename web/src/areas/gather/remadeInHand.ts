// Another shape for a part: what it would be, asked anew with every turn, and shown on the stage.
import { useEffect } from "react";
import type { Schemas } from "../../api/client";
import { heatOf, reformed, sendReform } from "../../api/writes";
import { decode } from "../../live/frames";
import { get, set, useApp, type Part } from "../../model/state";
import { REMADE, TRIAL_HEAT } from "../../model/trial";
import type { Project } from "../../project/project";
import { Surface } from "../../stage/surface";
import { useLook, type Looking } from "./looking";

export type Reform = Schemas["Reform"];
type Answer = Schemas["ReformAnswer"];

/** Looks at what a change of shape would make of a part; at nothing while there is none. */
export function useRemade(project: Project, part: Part, reform: Reform | null, also: number[]): Looking<Answer> {
  const revision = useApp((state) => state.history.revision);
  const looking = useLook(
    reform && JSON.stringify([reform, revision, part.id, also]),
    `${part.id} ${reform?.kind}`,
    (wait) => {
      if (!reform) return Promise.resolve({ data: null, trouble: "nothing is asked" });
      return sendReform(project.id, part.id, { reform, also, beside: false, look: true }, wait);
    },
    () => clear(project),
  );
  const { look, seen } = looking;
  const shown = useApp((state) => state.shown);
  useEffect(() => {
    if (look === null || !seen) return;
    let isWanted = true;
    void show(project, part, [look, seen], shown, () => isWanted);
    return () => {
      isWanted = false;
    };
    // Of the part only its number and the places of its sets are asked for, which go with the revision; what is seen
    // goes with the look.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [look, shown, project, part.id]);
  useEffect(() => () => clear(project), [project, part.id]);
  return looking;
}

/** Brings the new shape to the stage, with what the shown set holds on it. */
async function show(
  project: Project,
  part: Part,
  [look, { placements, has_heat: hasHeat }]: [number, Answer],
  shown: number | null,
  isWanted: () => boolean,
) {
  const own = placements.find((each) => each.set === shown);
  const [shape, values, heat] = await Promise.all([
    reformed(look),
    own ? reformed(look, own.set) : null,
    hasHeat ? heatOf(look) : null,
  ]);
  if (!isWanted()) return;
  const before = project.stage.surfaces.get(part.id);
  before?.takeHeat(TRIAL_HEAT, "face", heat?.data ? new Float32Array(heat.data) : null);
  if (!shape.data) {
    set({ said: { text: shape.trouble, bad: true } });
    return;
  }
  const frame = decode(shape.data);
  if (frame?.kind !== "geometry") return;
  const surface = new Surface(frame, "");
  const encoding = part.sets.find((each) => each.id === shown)?.encoding ?? "color";
  if (own && values?.data) surface.take(own.set, { placement: own.placement, encoding }, new Uint8Array(values.data));
  project.stage.add(REMADE, surface);
  const shows = get().remade?.shows ?? "after";
  set({ remade: { part: part.id, shows: shows === "loss" && !hasHeat ? "after" : shows, hasHeat } });
  project.looks.refresh();
}

/** Shows what is again. */
function clear(project: Project) {
  project.stage.remove(REMADE);
  const { remade } = get();
  if (remade?.hasHeat) project.stage.surfaces.get(remade.part)?.takeHeat(TRIAL_HEAT, "vertex", null);
  if (remade) set({ remade: null });
  project.looks.refresh();
}

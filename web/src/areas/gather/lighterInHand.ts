// Fewer triangles for a part: what they would be, asked anew with every turn, and shown on the stage.
import { useEffect } from "react";
import type { Schemas } from "../../api/client";
import { decimated, sendDecimation } from "../../api/writes";
import { decode } from "../../live/frames";
import { get, set, useApp, type Part } from "../../model/state";
import { LIGHTER } from "../../model/trial";
import type { Project } from "../../project/project";
import { Surface } from "../../stage/surface";
import { useLook, type Looking } from "./looking";

export type Rules = Schemas["DecimationRules"];

/** Looks at what rules would make of a part; at nothing while there are none. */
export function useLighter(project: Project, part: Part, rules: Rules | null): Looking<Schemas["Decimation"]> {
  const revision = useApp((state) => state.history.revision);
  const looking = useLook(
    rules && JSON.stringify([rules, revision, part.id]),
    String(part.id),
    (signal) => {
      if (!rules) return Promise.resolve({ data: null, trouble: "nothing is asked" });
      return sendDecimation(project.id, part.id, { rules, beside: false, look: true }, signal);
    },
    () => clear(project),
  );
  const { look } = looking;
  const shown = useApp((state) => state.shown);
  useEffect(() => {
    if (look === null) return;
    let isWanted = true;
    void show(project, part, look, shown, () => isWanted);
    return () => {
      isWanted = false;
    };
    // Of the part only its number and the places of its sets are asked for, which go with the revision.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [look, shown, project, part.id]);
  useEffect(() => () => clear(project), [project, part.id]);
  return looking;
}

/** Brings the lighter shape to the stage, with what the shown set holds on it. */
async function show(project: Project, part: Part, look: number, shown: number | null, isWanted: () => boolean) {
  const own = part.sets.find((each) => each.id === shown);
  const [shape, values] = await Promise.all([decimated(look), own ? decimated(look, own.id) : null]);
  if (!isWanted()) return;
  if (!shape.data) {
    set({ said: { text: shape.trouble, bad: true } });
    return;
  }
  const frame = decode(shape.data);
  if (frame?.kind !== "geometry") return;
  const surface = new Surface(frame, "");
  if (own && values?.data) surface.take(own.id, own.placement, new Uint8Array(values.data));
  project.stage.add(LIGHTER, surface);
  set({ lighter: { part: part.id, shows: get().lighter?.shows ?? "after" } });
  project.looks.refresh();
}

/** Shows what is again. */
function clear(project: Project) {
  project.stage.remove(LIGHTER);
  if (get().lighter) set({ lighter: null });
  project.looks.refresh();
}

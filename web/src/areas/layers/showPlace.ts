// A place of the model brought into the middle of the stage and marked, with nothing cut away before it.
import { get } from "../../model/state";
import type { Project } from "../../project/project";
import { turn, type Told } from "./layersInHand";

/** Shows a place; the mark stays until another is shown. */
export function showPlace(project: Project, told: Told, place: readonly number[]) {
  project.stage.lookAt(place);
  // What is cut away would hide it.
  const [plate = 0, mm = 1] = told.plate;
  const high = ((place[get().traits.up === "y" ? 1 : 2] ?? 0) - plate) / mm;
  const above = told.plan.layers.findIndex((layer) => layer.bottom + layer.height > high + 2);
  turn({ layer: above < 0 ? told.plan.layers.length - 1 : above });
}

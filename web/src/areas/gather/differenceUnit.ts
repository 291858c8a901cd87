// What the figures of tools are counted in.
import type { Part } from "../../model/state";

/** What differences of a set are counted in. */
export const differenceUnit = (part: Part, set: string) =>
  part.sets.find((own) => own.name === set)?.encoding === "data" ? "hundredths of the range" : "ΔE";

// What would be, found out and not done, and how it is looked at on the stage.

/** How a trial is looked at. */
export type TrialLook = "before" | "after" | "wipe" | "change" | "lost";

/** What a set of a part would become, found out and not done. */
export interface Trial {
  part: number;
  /** Whether the set is not there yet: nothing can be compared with it then. */
  isNew: boolean;
  /** Whether anything would become another. */
  changes: boolean;
  shows: TrialLook;
}

/** What stands on the stage for a trial, under numbers that no set has: what a set would be, and which vertices find
 * nothing. */
export const TRIED = -1;
export const LOST = -2;

/** The heat of what is tried: what it changes, or loses. */
export const TRIAL_HEAT = "trial";

/** The part that stands on the stage in the place of another which would get another shape. */
export const REMADE = -1;

/** A part as it would be with another shape, found out and not done. */
export interface Remade {
  part: number;
  shows: "before" | "after" | "loss";
  /** Whether how far off each face is can be shown. */
  hasHeat: boolean;
}

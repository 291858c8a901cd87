// Panes of the stage in Proof: how many there are, and what each shows of the same parts.

/** How panes lie: beside each other, the second wiped over the first, or in its place. */
export type PaneLayout = "one" | "two" | "four" | "wipe" | "flip";

/** What a pane shows. */
export type PaneShows =
  /** What the chip on the stage says. */
  | { kind: "stage" }
  /** What each part wears. */
  | { kind: "worn" }
  | { kind: "look"; look: number }
  /** Colors of a set as they are, or a channel of it alone. */
  | { kind: "set"; set: string; channel: number | null }
  | { kind: "snapshot"; snapshot: string }
  /** The change since a snapshot, as heat. */
  | { kind: "change"; snapshot: string };

export interface Pane {
  shows: PaneShows;
  /** The one part that is there; all that are visible when null. */
  part: number | null;
}

export interface Panes {
  layout: PaneLayout;
  list: readonly [Pane, Pane, Pane, Pane];
  /** Where the divider of a wipe stands, 0–1 from the left. */
  share: number;
  /** Whether the second is in the place of the first. */
  flipped: boolean;
}

const stagePane: Pane = { shows: { kind: "stage" }, part: null };

export const onePane: Panes = {
  layout: "one",
  list: [stagePane, stagePane, stagePane, stagePane],
  share: 0.5,
  flipped: false,
};

/** How many panes a layout has. */
export const paneCount: Record<PaneLayout, number> = { one: 1, two: 2, four: 4, wipe: 2, flip: 2 };

/** How panes of a layout are laid beside each other. */
export const paneGrid = (layout: PaneLayout): [columns: number, rows: number] =>
  layout === "two" ? [2, 1] : layout === "four" ? [2, 2] : [1, 1];

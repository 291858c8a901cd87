// What panes show of the parts as they are now.
import { lookNamed, lookOf, type ProofLook } from "./proof";
import { snapshotOf, type ColorSet, type Part, type State } from "./state";
import { onePane, paneCount, type Pane, type PaneLayout, type Panes, type PaneShows } from "./panes";

/** The panes that there are now: many in Proof alone. */
export const panesOf = (state: State): Panes => (state.area === "proof" ? state.panes : onePane);

/** What panes show when a layout is chosen and nothing was said of them yet: the sets, then channels alone. */
export function laidOut(state: State, layout: PaneLayout): Panes {
  const part = state.parts.find(({ id }) => id === state.part);
  const shown = part?.sets.find(({ id }) => id === state.shown) ?? part?.sets[0];
  const data = part?.sets.find(({ encoding }) => encoding === "data") ?? shown;
  // Channels alone say something where they are not the same all over.
  const figures = data ? state.figures[data.id] : undefined;
  const telling = [0, 1, 2, 3].filter((c) => (figures?.[c]?.min ?? 0) < (figures?.[c]?.max ?? 1));
  const alone = (nth: number): PaneShows =>
    data ? { kind: "set", set: data.name, channel: telling[nth] ?? nth } : { kind: "stage" };
  const usual: PaneShows[] = [
    { kind: "stage" },
    shown ? { kind: "set", set: shown.name, channel: null } : { kind: "stage" },
    alone(0),
    alone(1),
  ];

  const [a, b, c, d] = state.panes.list.map((pane, i) =>
    pane.shows.kind === "stage" && i > 0 ? { ...pane, shows: usual[i] ?? pane.shows } : pane,
  ) as [Pane, Pane, Pane, Pane];
  return { ...state.panes, layout, list: [a, b, c, d], flipped: false };
}

/** The set that a pane shows of a part, where it shows one. */
export function setIn({ shows }: Pane, part: Part, shown: ColorSet | undefined): ColorSet | undefined {
  if (shows.kind === "set") return part.sets.find(({ name }) => name === shows.set);
  if (shows.kind === "snapshot") return snapshotOf(part, shown?.id ?? null, shows.snapshot);
  return shown;
}

/** The look that a part wears in a pane. */
export function lookIn(state: State, { shows }: Pane, part: number): ProofLook | null {
  if (state.area !== "proof") return null;
  if (shows.kind === "worn") return lookOf(state, part);
  if (shows.kind === "look") return lookNamed(state, shows.look);
  return shows.kind === "stage" && !state.proofing.bare ? lookOf(state, part) : null;
}

/** The snapshots whose change some pane shows as heat. */
export function changesIn(panes: Panes): string[] {
  const shown = panes.list.slice(0, paneCount[panes.layout]).map(({ shows }) => shows);
  return [...new Set(shown.flatMap((shows) => (shows.kind === "change" ? [shows.snapshot] : [])))];
}

// What comes of an edit, as the page hears of it.
import type { Schemas } from "../api/client";
import { get, useApp, type Part } from "../model/state";

/** The channels whose recipe has got hand paint since, in words. */
export function newPaint(before: readonly Part[], after: readonly Part[]): string | null {
  const paints = (recipe: Schemas["Recipe"] | undefined) =>
    recipe?.steps.filter((step) => step.source.kind === "hand_paint").length ?? 0;
  for (const part of after) {
    for (const own of part.sets) {
      const old = before.find((each) => each.id === part.id)?.sets.find((each) => each.id === own.id);
      for (const recipe of own.recipes) {
        const was = old?.recipes.find((each) => each.channels === recipe.channels);
        if (was && paints(recipe) > paints(was)) return `${recipe.channels} of ${own.name}`;
      }
    }
  }
  return null;
}

/** How long the socket may take to tell what was answered already; longer, and it is gone. */
const OVERTAKEN_MS = 1500;

/** Waits until the socket has told of something after a revision. */
export function heardAfter(revision: number): Promise<void> {
  if (get().history.revision !== revision) return Promise.resolve();
  return new Promise((resolve) => {
    const end = () => {
      stop();
      window.clearTimeout(timer);
      resolve();
    };
    const timer = window.setTimeout(end, OVERTAKEN_MS);
    const stop = useApp.subscribe((state) => {
      if (state.history.revision !== revision) end();
    });
  });
}

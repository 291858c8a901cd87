// The recipe whose numbers are being turned: shown at once as it would be, written down when the
// hand rests, so that undo takes back one turn and not every step of the way.
import { useCallback, useEffect, useRef, useState } from "react";
import type { Project } from "../../project/project";
import type { RecipeInHand } from "../../project/recipes";
import { set } from "../../model/state";
import type { Recipe } from "../../model/recipes";

const REST_MS = 450;

/** Whether a pointer is down somewhere: a knob that is held still has not been let go. */
let isHeld = false;
for (const [kind, held] of [
  ["pointerdown", true],
  ["pointerup", false],
  ["pointercancel", false],
] as const) {
  window.addEventListener(
    kind,
    () => {
      isHeld = held;
    },
    { capture: true },
  );
}

export function useRecipeInHand(project: Project, part: number, of: number, kept: Recipe): RecipeInHand {
  const [held, setHeld] = useState<Recipe | null>(null);
  const waiting = useRef<{ recipe: Recipe; timer: number } | null>(null);
  const deeds = useRef(0);

  const put = useCallback(
    (recipe: Recipe) => {
      if (waiting.current) window.clearTimeout(waiting.current.timer);
      waiting.current = null;
      const deed = ++deeds.current;
      setHeld(recipe);
      project.recipes.hold(false);
      void project.edit({ type: "set_recipe", part, set: of, recipe }).then((done) => {
        // Turned on meanwhile, it stays in the hand.
        if (deed === deeds.current && !waiting.current) setHeld(null);
        if (!done) project.recipes.end();
      });
    },
    [project, part, of],
  );

  const turn = useCallback(
    (recipe: Recipe) => {
      if (waiting.current) window.clearTimeout(waiting.current.timer);
      deeds.current++;
      setHeld(recipe);
      project.recipes.hold(true);
      project.recipes.try(part, of, recipe);
      const rest = (): number =>
        window.setTimeout(() => {
          if (isHeld && waiting.current) waiting.current.timer = rest();
          else put(recipe);
        }, REST_MS);
      waiting.current = { recipe, timer: rest() };
    },
    [project, part, of, put],
  );

  // Nothing is lost when another cell is chosen before the hand rests.
  useEffect(
    () => () => {
      if (waiting.current) put(waiting.current.recipe);
      set({ tryTrouble: null });
    },
    [put],
  );

  return { recipe: held ?? kept, turn, put };
}

// The recipe whose numbers are being turned: shown at once as it would be, written down when the
// hand rests, so that undo takes back one turn and not every step of the way.
import { useCallback, useEffect, useRef, useState } from "react";
import type { Project } from "../../project/project";
import type { RecipeInHand } from "../../project/recipes";
import { set } from "../../model/state";
import type { Recipe } from "../../model/recipes";
import { whenRested } from "../../widgets/rest";

const REST_MS = 450;

export function useRecipeInHand(project: Project, part: number, of: number, kept: Recipe): RecipeInHand {
  const [held, setHeld] = useState<Recipe | null>(null);
  const waiting = useRef<{ recipe: Recipe; callOff: () => void } | null>(null);
  const deeds = useRef(0);

  const put = useCallback(
    (recipe: Recipe) => {
      waiting.current?.callOff();
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
      waiting.current?.callOff();
      deeds.current++;
      setHeld(recipe);
      project.recipes.hold(true);
      project.recipes.try(part, of, recipe);
      waiting.current = { recipe, callOff: whenRested(REST_MS, () => put(recipe)) };
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

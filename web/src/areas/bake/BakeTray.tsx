// The Bake tray: what a step can start from, in families; a click adds it as the last step, or it is
// carried to its place.
import { Box, ButtonBase, Tooltip, Typography } from "@mui/material";
import { Families } from "../../widgets/Families";
import { useState } from "react";
import type { Project } from "../../project/project";
import { facts, activePart, set, targetSet, useApp } from "../../model/state";
import { useCarry } from "../../widgets/carry";
import { SourceIcon } from "../../widgets/sourceIcons";
import { chosenRecipe, recipeTitle, targetWords } from "../../model/recipes";
import { families, sourceOf, sourceWords, type Kind } from "../../model/sources";

export function BakeTray({ project }: { project: Project | null }) {
  const [family, setFamily] = useState<(typeof families)[number]["key"]>("form");
  const part = useApp(activePart);
  const own = useApp(targetSet);
  const channels = useApp((state) => state.channels);
  const chosen = chosenRecipe(own, channels);
  const add = (kind: Kind, at?: number) => {
    const hand = project?.recipes.inHand;
    if (typeof chosen === "string" || !part || !hand) {
      set({
        said: { text: typeof chosen === "string" ? chosen : "There is no part yet: bring a mesh in first.", bad: true },
      });
      return;
    }
    const { steps } = hand.recipe;
    if (steps.length >= facts().limits.steps) {
      set({ said: { text: `A recipe has ${facts().limits.steps} steps at most.`, bad: true } });
      return;
    }
    const place = Math.min(at ?? steps.length, steps.length);
    hand.put({
      ...hand.recipe,
      steps: [
        ...steps.slice(0, place),
        { source: sourceOf(kind, part, chosen.set, chosen.target) },
        ...steps.slice(place),
      ],
    });
    set({ openStep: place });
  };
  const kinds = families.find((each) => each.key === family)?.kinds ?? [];
  return (
    <>
      <Box>
        <Families label="Sources" mark="family" families={families} value={family} onChange={setFamily} />
        <Box sx={{ display: "flex", gap: 0.5 }}>
          {kinds.map((kind) => (
            <SourceButton key={kind} kind={kind} onAdd={add} />
          ))}
        </Box>
      </Box>
      <Box sx={{ flex: 1 }} />
      <Typography variant="body2" color="textSecondary" sx={{ maxWidth: 230, minWidth: 120 }} data-test="bake-target">
        {typeof chosen === "string" ? (
          chosen
        ) : (
          <>
            A click adds it as the last step of{" "}
            <b>
              {chosen.set.name} · {targetWords(chosen.target)}
            </b>
            {chosen.recipe && chosen.recipe.steps.length > 0 ? ` (${recipeTitle(chosen.recipe)})` : ""}, or drag it to
            its place.
          </>
        )}
      </Typography>
    </>
  );
}

function SourceButton({ kind, onAdd }: { kind: Kind; onAdd: (kind: Kind, at?: number) => void }) {
  const carry = useCarry((at) => onAdd(kind, at));
  const { title, says } = sourceWords[kind];
  return (
    <Tooltip title={says}>
      <ButtonBase
        {...carry}
        data-test={`source-${kind}`}
        onClick={() => onAdd(kind)}
        sx={{
          display: "flex",
          flexDirection: "column",
          width: 68,
          py: 0.5,
          borderRadius: 2,
          border: 1,
          borderColor: "divider",
          "&:hover": { borderColor: "text.secondary" },
          "&:focus-visible": { outline: "2px solid", outlineColor: "secondary.main" },
        }}>
        <SourceIcon kind={kind} sx={{ fontSize: 24 }} />
        <Typography variant="caption" noWrap sx={{ lineHeight: 1.2, fontSize: 11.5, maxWidth: 1 }}>
          {title}
        </Typography>
      </ButtonBase>
    </Tooltip>
  );
}

// What is being made, in the bar above; and on the stage, how the chosen recipe stands.
import { Box, Button, Menu, Paper, Typography } from "@mui/material";
import { useState } from "react";
import type { Project } from "../../project/project";
import { activePart, targetSet, useApp } from "../../model/state";
import { chosenRecipe, recipeTitle, stateOf, targetWords, tasteKey } from "../../model/recipes";

const DOTS = 12;

/** A row of dots that fills in. */
function Dots({ share }: { share: number }) {
  return (
    <Box component="span" sx={{ display: "inline-flex", gap: "2px", ml: 1 }}>
      {Array.from({ length: DOTS }, (_, i) => (
        <Box
          key={i}
          component="span"
          sx={{
            width: 4,
            height: 4,
            borderRadius: "50%",
            bgcolor: i / DOTS < share ? "primary.main" : "divider",
            transform: `translateY(${((i * 7) % 5) - 2}px)`,
          }}
        />
      ))}
    </Box>
  );
}

export function Jobs({ project }: { project: Project | null }) {
  const recipes = useApp((state) => state.recipes);
  const parts = useApp((state) => state.parts);
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const making = recipes.filter((state) => state.status === "making");
  const waiting = recipes.filter((state) => state.status === "stale").length;
  const job = making[0];
  const part = parts.find((each) => each.id === job?.part);
  const set = part?.sets.find((each) => each.id === job?.set);
  const recipe = set?.recipes.find((each) => each.channels === job?.channels);
  if (!job || !set || !recipe) return null;
  const title = recipeTitle(recipe);
  return (
    <>
      <Button
        variant="outlined"
        color="inherit"
        data-test="jobs"
        onClick={(event) => setAnchor(event.currentTarget)}
        sx={{ borderColor: "divider", bgcolor: "background.paper", whiteSpace: "nowrap", maxWidth: 250 }}>
        <Box component="span" sx={{ overflow: "hidden", textOverflow: "ellipsis" }}>
          {title.charAt(0).toUpperCase()}
          {title.slice(1)}
        </Box>
        &nbsp;{Math.round(job.share * 100)} %<Dots share={job.share} />
      </Button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        <Box sx={{ px: 2, py: 0.5, display: "flex", alignItems: "center", gap: 2 }}>
          <Typography variant="body2">
            {part?.name}, {set.name} · {targetWords(job.channels)}: {title}
          </Typography>
          <Button
            size="small"
            variant="outlined"
            color="inherit"
            onClick={() => {
              setAnchor(null);
              project?.recipes.giveUp(job.part, job.set, job.channels);
            }}>
            Give up
          </Button>
        </Box>
        {waiting > 0 && (
          <Typography variant="caption" color="textSecondary" sx={{ px: 2, display: "block" }}>
            {waiting} more not up to date
          </Typography>
        )}
      </Menu>
    </>
  );
}

export function RecipeChip() {
  const part = useApp(activePart);
  const own = useApp(targetSet);
  const channels = useApp((state) => state.channels);
  const chosen = chosenRecipe(own, channels);
  const recipes = useApp((state) => state.recipes);
  const tastes = useApp((state) => state.tastes);
  const placing = useApp((state) => state.placing);
  if (!part || typeof chosen === "string") return null;
  const { set, target, recipe } = chosen;
  const state = stateOf(recipes, part.id, set.id, target);
  const isDraft = tastes[tasteKey(part.id, set.id, target)]?.is_draft ?? false;
  const words =
    !recipe || !state
      ? "no recipe"
      : {
          fresh: "up to date",
          stale: "not up to date",
          making: isDraft ? "a draft with few rays, being refined" : "being made",
          failed: "could not be made",
        }[state.status];
  return (
    <Paper
      data-test="recipe-chip"
      sx={{
        position: "absolute",
        left: 12,
        bottom: 12,
        px: 1.25,
        py: 0.5,
        borderRadius: 2,
        boxShadow: "0 1px 4px rgb(0 0 0 / 0.25)",
        maxWidth: "calc(100% - 24px)",
      }}>
      <Typography variant="body2">
        {placing ? (
          <b>{placing.says}. Esc lets go.</b>
        ) : (
          <>
            <b>
              {set.name} · {targetWords(target)}
            </b>
            {recipe ? `, ${recipe.steps.length} step${recipe.steps.length === 1 ? "" : "s"}` : ""},{" "}
            <Box
              component="span"
              sx={{
                color:
                  state?.status === "failed" ? "error.main" : state?.status === "stale" ? "warning.main" : undefined,
                fontWeight: state && state.status !== "fresh" ? 700 : undefined,
              }}>
              {words}
            </Box>
          </>
        )}
      </Typography>
    </Paper>
  );
}

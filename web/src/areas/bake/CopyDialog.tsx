// A recipe, or one step of it, goes to other channels, sets and parts.
import {
  Box,
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  MenuItem,
  TextField,
  Typography,
} from "@mui/material";
import { useState } from "react";
import { takeRecipes } from "../../api/writes";
import type { Project } from "../../project/project";
import { set as setState, useApp, type ColorSet, type Part } from "../../model/state";
import { targetChannels, targetWords, targets, type Recipe, type Step, type Target } from "../../model/recipes";
import { sourceWords } from "../../model/sources";

interface Props {
  project: Project;
  part: Part;
  set: ColorSet;
  recipe: Recipe;
  /** The one step, or null for all of it. */
  step: Step | null;
  onClose: () => void;
}

const meets = (a: Target, b: Target) => targetChannels[a].some((on, i) => on && targetChannels[b][i]);

export function CopyDialog({ project, part, set, recipe, step, onClose }: Props) {
  const parts = useApp((state) => state.parts);
  const [to, setTo] = useState<number | "others">(part.id);
  const [into, setInto] = useState(set.name);
  const [target, setTarget] = useState<Target>(recipe.channels);
  const goals =
    to === "others" ? parts.filter((other) => other.id !== part.id) : parts.filter((other) => other.id === to);
  const names = [...new Set([set.name, ...goals.flatMap((goal) => goal.sets.map((own) => own.name))])];
  const steps = step ? [step] : recipe.steps.filter((each) => each.source.kind !== "hand_paint");
  const isSame = goals.length === 1 && to === part.id && into === set.name && target === recipe.channels;
  const replaced = goals.filter((goal) =>
    goal.sets.some((own) => own.name === into && own.recipes.some((made) => made.channels === target)),
  );
  const blocked = goals.find((goal) =>
    goal.sets.some(
      (own) =>
        own.name === into && own.recipes.some((made) => made.channels !== target && meets(made.channels, target)),
    ),
  );
  const title = step
    ? sourceWords[step.source.kind].title
    : `the recipe of ${set.name} · ${targetWords(recipe.channels)}`;
  const accept = async () => {
    for (const goal of goals) {
      const own = goal.sets.find((each) => each.name === into);
      const there = own?.recipes.find((made) => made.channels === target);
      const copy: Recipe =
        step && there ? { ...there, steps: [...there.steps, step] } : { ...recipe, channels: target, steps };
      if (own) {
        if (!(await project.edit({ type: "set_recipe", part: goal.id, set: own.id, recipe: copy }))) return;
        continue;
      }
      const file = { set: into, placement: set.placement, encoding: set.encoding, start: set.ground, recipes: [copy] };
      const { trouble } = await takeRecipes(project.id, goal.id, new Blob([JSON.stringify(file)]));
      if (trouble !== null) {
        setState({ said: { text: `${goal.name}: ${trouble}`, bad: true } });
        return;
      }
    }
    setState({
      said: {
        text: `Copied ${title} to ${into} · ${targetWords(target)}${to === part.id ? "" : ` of ${goals.map((goal) => goal.name).join(", ")}`}.`,
        bad: false,
      },
    });
    onClose();
  };
  return (
    <Dialog open onClose={onClose} maxWidth="xs" fullWidth onKeyDown={(event) => event.stopPropagation()}>
      <DialogTitle>Copy {title}</DialogTitle>
      <DialogContent sx={{ display: "grid", gap: 2, pt: "8px !important" }}>
        {parts.length > 1 && (
          <TextField
            select
            size="small"
            label="To the part"
            value={to}
            onChange={(event) => setTo(event.target.value === "others" ? "others" : Number(event.target.value))}>
            {parts.map((other) => (
              <MenuItem key={other.id} value={other.id}>
                {other.name}
              </MenuItem>
            ))}
            {parts.length > 2 && <MenuItem value="others">All other parts</MenuItem>}
          </TextField>
        )}
        <TextField
          select
          size="small"
          label="Into the set"
          value={into}
          onChange={(event) => setInto(event.target.value)}
          slotProps={{ select: { SelectDisplayProps: { "aria-label": "Into the set" } } }}>
          {names.map((name) => (
            <MenuItem key={name} value={name}>
              {name}
              {goals.every((goal) => goal.sets.some((own) => own.name === name)) ? "" : ", which is made"}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          select
          size="small"
          label="Channels"
          value={target}
          onChange={(event) => setTarget(event.target.value as Target)}
          slotProps={{ select: { SelectDisplayProps: { "aria-label": "Channels it makes" } } }}>
          {targets.map((each) => (
            <MenuItem key={each} value={each}>
              {targetWords(each)}
            </MenuItem>
          ))}
        </TextField>
        <Box sx={{ minHeight: 34 }}>
          {blocked && (
            <Typography variant="body2" sx={{ color: "warning.main" }}>
              Another recipe of {into} on {blocked.name} makes one of these channels already: choose others, or freeze
              it first.
            </Typography>
          )}
          {!blocked && !isSame && replaced.length > 0 && (
            <Typography variant="body2" color="textSecondary">
              {step
                ? "It becomes the last step of the recipe that is there."
                : "It takes the place of the recipe that is there. Undo brings that back."}
            </Typography>
          )}
          {isSame && !step && (
            <Typography variant="body2" color="textSecondary">
              That is where it is: choose other channels, another set or part.
            </Typography>
          )}
        </Box>
      </DialogContent>
      <DialogActions>
        <Button color="inherit" onClick={onClose}>
          Cancel
        </Button>
        <Button
          variant="contained"
          data-test="copy-accept"
          disabled={blocked !== undefined || (isSame && !step) || goals.length === 0}
          onClick={() => void accept()}>
          Copy
        </Button>
      </DialogActions>
    </Dialog>
  );
}

// The recipe of the chosen cells, read from top to bottom.
import {
  Alert,
  Box,
  Button,
  Divider,
  IconButton,
  LinearProgress,
  Menu,
  MenuItem,
  Paper,
  Typography,
} from "@mui/material";
import { useEffect, useRef, useState } from "react";
import { takeRecipes } from "../../api/writes";
import { MoreIcon } from "../../widgets/icons";
import { NameDialog } from "../../widgets/NameDialog";
import { Choose } from "../../widgets/rows";
import type { Project } from "../../project/project";
import { activePart, set as setState, setLook, targetSet, useApp, type Part } from "../../model/state";
import type { Channels } from "../../model/choices";
import { channelName } from "../../model/theme";
import { useDrop } from "../../widgets/carry";
import { CopyDialog } from "./CopyDialog";
import { useRecipeInHand } from "./recipeInHand";
import { Starters } from "./Starters";
import { StepRow } from "./StepRow";
import {
  chosenRecipe,
  recipeTitle,
  seconds,
  stateOf,
  targetChannels,
  targetWords,
  targets,
  tasteKey,
  type Chosen,
  type Recipe,
  type Step,
  type Target,
} from "../../model/recipes";

export function BakeSheet({ project }: { project: Project }) {
  const part = useApp(activePart);
  const own = useApp(targetSet);
  const channels = useApp((state) => state.channels);
  const chosen = chosenRecipe(own, channels);
  return (
    <Paper variant="outlined" component="section" aria-label="Recipe" sx={{ p: 1.75, borderRadius: 4 }}>
      {!part || typeof chosen === "string" ? (
        <>
          <Typography variant="h2">Recipe</Typography>
          <Typography variant="body2" color="textSecondary" sx={{ mt: 0.5 }} data-test="no-recipe">
            {typeof chosen === "string" ? chosen : ""}
          </Typography>
        </>
      ) : (
        <RecipeOf key={`${part.id} ${chosen.set.id} ${chosen.target}`} project={project} part={part} chosen={chosen} />
      )}
    </Paper>
  );
}

const empty = (channels: Target): Recipe => ({ name: "", channels, remake: "at_once", steps: [] });

function RecipeOf({ project, part, chosen }: { project: Project; part: Part; chosen: Chosen }) {
  const { set, target } = chosen;
  const hand = useRecipeInHand(project, part.id, set.id, chosen.recipe ?? empty(target));
  const { recipe, turn, put } = hand;
  const state = useApp((app) => stateOf(app.recipes, part.id, set.id, target));
  const tastes = useApp((app) => app.tastes[tasteKey(part.id, set.id, target)]);
  const trouble = useApp((app) => app.tryTrouble);
  const connected = useApp((app) => app.connected);
  const drop = useDrop((app) => app.at);
  const [copying, setCopying] = useState<Step | "recipe" | null>(null);

  // The tray adds to what is in the hand.
  useEffect(() => {
    project.recipes.takeInHand(hand);
    return () => project.recipes.takeInHand(null);
  });
  useEffect(() => () => setState({ openStep: null, placing: null }), []);
  // Another step may stand where the place was asked for.
  useEffect(() => setState({ placing: null }), [recipe.steps.length]);
  const hasSteps = recipe.steps.length > 0;
  const status = state?.status;
  useEffect(() => {
    if (connected === true && chosen.recipe && hasSteps && status && status !== "making")
      project.recipes.taste(part.id, set.id, chosen.recipe, status === "fresh");
  }, [project, part.id, set.id, target, connected, chosen.recipe, hasSteps, status]);

  const putSteps = (steps: Step[]) => put({ ...recipe, steps });
  const putStep = (index: number) => (step: Step, turning: boolean) => {
    const next = { ...recipe, steps: recipe.steps.map((old, i) => (i === index ? step : old)) };
    if (turning) turn(next);
    else put(next);
  };
  return (
    <>
      <Head project={project} part={part} chosen={chosen} recipe={recipe} onCopy={() => setCopying("recipe")} />
      <Standing project={project} part={part} chosen={chosen} />
      {trouble && (
        <Alert severity="warning" data-test="try-trouble" sx={{ py: 0, my: 0.75 }}>
          {trouble}
        </Alert>
      )}
      <Shown part={part} chosen={chosen} />
      <Box data-carried-into sx={{ mt: 1, position: "relative" }}>
        {recipe.steps.map((_, i) => (
          <Box key={i}>
            {drop === i && <DropMark />}
            <StepRow
              recipe={recipe}
              index={i}
              part={part}
              set={set}
              tastes={tastes}
              remark={state?.remarks[i]}
              project={project}
              onStep={putStep(i)}
              onSteps={putSteps}
              onCopy={() => setCopying(recipe.steps[i] ?? null)}
            />
          </Box>
        ))}
        {drop === recipe.steps.length && <DropMark />}
      </Box>
      {hasSteps && chosen.recipe ? (
        <Box sx={{ borderTop: 1, borderColor: "divider", borderTopStyle: "dashed", pt: 0.5 }}>
          <Choose
            label="Made again"
            value={recipe.remake ?? "at_once"}
            options={[
              ["at_once", "at once"],
              ["when_looked_at", "when looked at"],
              ["by_click", "by click"],
            ]}
            onChange={(remake) => put({ ...recipe, remake })}
          />
          <Box sx={{ display: "flex", alignItems: "center", mt: 0.5 }}>
            <Typography variant="caption" color="textSecondary" sx={{ flex: 1 }}>
              More steps: from the tray.
            </Typography>
            <Button
              size="small"
              variant="outlined"
              color="inherit"
              data-test="freeze"
              onClick={() =>
                void project.edit({ type: "freeze_recipe", part: part.id, set: set.id, channels: target })
              }>
              Freeze
            </Button>
          </Box>
        </Box>
      ) : (
        <Starters project={project} part={part} chosen={chosen} />
      )}
      {copying !== null && (
        <CopyDialog
          project={project}
          part={part}
          set={set}
          recipe={recipe}
          step={copying === "recipe" ? null : copying}
          onClose={() => setCopying(null)}
        />
      )}
    </>
  );
}

const DropMark = () => (
  <Box
    sx={{
      height: 4,
      borderRadius: 2,
      my: "-2px",
      position: "relative",
      zIndex: 1,
      backgroundImage: "radial-gradient(circle, var(--mui-palette-primary-main) 1.6px, transparent 1.9px)",
      backgroundSize: "6px 4px",
    }}
    data-test="drop-mark"
  />
);

interface HeadProps {
  project: Project;
  part: Part;
  chosen: Chosen;
  recipe: Recipe;
  onCopy: () => void;
}

function Head({ project, part, chosen, recipe, onCopy }: HeadProps) {
  const { set, target } = chosen;
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [naming, setNaming] = useState(false);
  const picker = useRef<HTMLInputElement>(null);
  const choose = (act: () => void) => () => {
    setAnchor(null);
    act();
  };
  const load = async (file: File | undefined) => {
    if (picker.current) picker.current.value = "";
    if (!file) return;
    const { trouble } = await takeRecipes(project.id, part.id, file);
    setState({
      said:
        trouble !== null
          ? { text: `${file.name}: ${trouble}`, bad: true }
          : { text: `${part.name} has the recipes of ${file.name} now. Undo takes them away again.`, bad: false },
    });
  };
  const isFree = (other: Target) =>
    !set.recipes.some((made) => targetChannels[made.channels].some((on, i) => on && targetChannels[other][i]));
  const here = { part: part.id, set: set.id, channels: target };
  return (
    <>
      <Box sx={{ display: "flex", alignItems: "flex-start" }}>
        <Box sx={{ flex: 1, minWidth: 0 }}>
          <Typography variant="h2" data-test="recipe-title">
            Recipe for {set.name} · {targetWords(target)}
          </Typography>
          {chosen.recipe && (
            <Typography variant="body2" color="textSecondary" noWrap>
              {recipeTitle(recipe)} · {recipe.steps.length} step{recipe.steps.length === 1 ? "" : "s"}
            </Typography>
          )}
        </Box>
        <IconButton
          size="small"
          aria-label="More about the recipe"
          data-test="recipe-more"
          onClick={(event) => setAnchor(event.currentTarget)}
          sx={{ mr: -0.75, mt: -0.25 }}>
          <MoreIcon fontSize="small" />
        </IconButton>
      </Box>
      {!chosen.recipe && (
        <Box role="radiogroup" aria-label="What the recipe makes" sx={{ display: "flex", gap: 0.5, mt: 0.75 }}>
          {targets
            .filter((other) => other.length > 1 || other === target || target.length > 1)
            .map((other) => (
              <Button
                key={other}
                size="small"
                role="radio"
                aria-checked={other === target}
                variant={other === target ? "contained" : "outlined"}
                color="inherit"
                disabled={!isFree(other)}
                data-test={`target-${other}`}
                onClick={() => setState({ channels: [...targetChannels[other]] as Channels })}
                sx={{ minWidth: 0, px: 1, minHeight: 26, py: 0 }}>
                {targetWords(other)}
              </Button>
            ))}
        </Box>
      )}
      <input
        ref={picker}
        type="file"
        accept=".json,application/json"
        hidden
        data-test="recipe-file"
        onChange={(event) => void load(event.target.files?.[0])}
      />
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        <MenuItem dense disabled={!chosen.recipe} onClick={choose(() => setNaming(true))}>
          Name it…
        </MenuItem>
        <MenuItem dense disabled={!chosen.recipe} onClick={choose(() => project.recipes.make(part.id, set.id, target))}>
          Make it now
        </MenuItem>
        <MenuItem dense disabled={!chosen.recipe} onClick={choose(onCopy)}>
          Copy to other channels, sets, parts…
        </MenuItem>
        <Divider />
        <MenuItem
          dense
          disabled={set.recipes.length === 0}
          component="a"
          href={`/api/v1/projects/${project.id}/parts/${part.id}/sets/${set.id}/recipes`}
          download
          data-test="recipe-save"
          onClick={choose(() => undefined)}>
          Save the recipes of {set.name} as a file
        </MenuItem>
        <MenuItem
          dense
          onClick={() => {
            setAnchor(null);
            picker.current?.click();
          }}>
          Load recipes from a file…
        </MenuItem>
        <Divider />
        <MenuItem
          dense
          disabled={!chosen.recipe}
          onClick={choose(() => void project.edit({ type: "freeze_recipe", ...here }))}>
          Freeze: keep it as plain paint
        </MenuItem>
      </Menu>
      {naming && (
        <NameDialog
          title={`Name the recipe of ${set.name} · ${targetWords(target)}`}
          name={recipe.name || recipeTitle(recipe)}
          act="Name it"
          onName={(name) =>
            project.attempt({ type: "set_recipe", part: part.id, set: set.id, recipe: { ...recipe, name } })
          }
          onClose={() => setNaming(false)}
        />
      )}
    </>
  );
}

/** Whether the channels are what the recipe makes, how far it is, and what it took. */
function Standing({
  project,
  part,
  chosen: { set, target, recipe },
}: {
  project: Project;
  part: Part;
  chosen: Chosen;
}) {
  const state = useApp((app) => stateOf(app.recipes, part.id, set.id, target));
  if (!recipe || !state) return null;
  const make = () => project.recipes.make(part.id, set.id, target);
  const locked = targetChannels[target].some((on, i) => on && set.channels[i]?.locked);
  // As high in every state but the last, so that nothing moves under the pointer.
  const row = { display: "flex", alignItems: "center", height: 34, position: "relative" } as const;
  switch (state.status) {
    case "making":
      return (
        <Box data-test="recipe-state" sx={row}>
          <Typography variant="body2" sx={{ flex: 1 }}>
            Being made, <b>{Math.round(state.share * 100)} %</b>
            {state.rays > 0 ? ` · ${state.rays} rays each` : ""}
          </Typography>
          <Button
            size="small"
            color="inherit"
            data-test="give-up"
            onClick={() => project.recipes.giveUp(part.id, set.id, target)}>
            Give up
          </Button>
          <LinearProgress
            variant="determinate"
            value={state.share * 100}
            sx={{ position: "absolute", left: 0, right: 0, bottom: 0 }}
          />
        </Box>
      );
    case "fresh":
      return (
        <Box sx={row}>
          <Typography variant="caption" color="textSecondary" data-test="recipe-state">
            {state.is_truer ? "Made anew by a truer rule" : "Up to date"}
            {state.ms > 0 ? ` · made in ${seconds(state.ms)}` : ""}
            {state.rays > 0 ? ` · ${state.rays} rays each` : ""}
          </Typography>
        </Box>
      );
    case "stale":
      return (
        <Box data-test="recipe-state" sx={row}>
          <Typography variant="body2" sx={{ flex: 1, color: "warning.main", fontWeight: 700 }}>
            Not up to date{locked ? ": locked" : ""}
          </Typography>
          <Button size="small" color="secondary" data-test="make" disabled={locked} onClick={make}>
            Make it
          </Button>
        </Box>
      );
    case "failed":
      return (
        <Alert
          severity="error"
          data-test="recipe-state"
          sx={{ py: 0, mt: 0.75, "& .MuiAlert-action": { pt: 0 } }}
          action={
            <Button size="small" color="inherit" data-test="make" onClick={make}>
              Again
            </Button>
          }>
          {sentence(state.message ?? "It could not be made")}
        </Alert>
      );
  }
}

const sentence = (words: string) => `${words.charAt(0).toUpperCase()}${words.slice(1)}.`;

/** When something else is on the stage than what is made, that is said; the look stays as it is. */
function Shown({ part, chosen: { set, target } }: { part: Part; chosen: Chosen }) {
  const shown = useApp((state) => state.shown);
  const channel = useApp((state) => state.look.channel);
  const heat = useApp((state) => state.look.heat);
  const alone = target.length === 1 ? channelName.indexOf(target as (typeof channelName)[number]) : null;
  if (shown === set.id && heat === null && (channel === alone || (alone === null && channel === null))) return null;
  const show = () => {
    setState({ shown: set.id });
    setLook({ channel: alone, heat: null, shade: alone === null ? "lit" : "flat" });
  };
  const other = part.sets.find((each) => each.id === shown);
  return (
    <Button
      size="small"
      color="secondary"
      data-test="show-made"
      onClick={show}
      sx={{ display: "flex", ml: -0.5, px: 0.5, mt: 0.25, textAlign: "left", justifyContent: "flex-start" }}>
      {shown === set.id
        ? `Show ${targetWords(target)} alone on the stage`
        : `${other?.name ?? "The bare shape"} is on the stage: show ${set.name} · ${targetWords(target)}`}
    </Button>
  );
}

// A set that is not in hand, in one line: what it is, and which of its channels hold something.
import { Box, ButtonBase, Chip, Tooltip, Typography } from "@mui/material";
import { placementWords } from "../model/placements";
import { recipeTitle, stateOf, targetChannels } from "../model/recipes";
import type { Project } from "../project/project";
import { useApp, type ColorSet, type Part } from "../model/state";
import { channelInk, channelName } from "../model/theme";
import { SetMenu } from "./SetMenu";

interface Props {
  set: ColorSet;
  index: number;
  part: Part;
  project: Project;
  onChoose: (channel: number) => void;
  onUnfold: () => void;
}

/** A channel: filled when not all of it is one number. */
function Bar({ set, part, channel, onChoose }: { set: ColorSet; part: Part; channel: number; onChoose: () => void }) {
  const held = useApp((state) => state.figures[set.id]?.[channel]);
  const name = channelName[channel] ?? "";
  const traits = set.channels[channel];
  const made = set.recipes.find((recipe) => targetChannels[recipe.channels][channel]);
  const status = useApp((state) =>
    made ? (stateOf(state.recipes, part.id, set.id, made.channels)?.status ?? "stale") : null,
  );
  const ink = channelInk[channel] ?? "#000";
  const varies = held !== undefined && held.max > held.min;
  const words = [
    traits?.meaning,
    made && recipeTitle(made),
    held && (varies ? `${held.min.toFixed(2)} to ${held.max.toFixed(2)}` : held.min.toFixed(2)),
    traits?.locked && "locked",
  ];
  return (
    <Tooltip title={`${name}: ${words.filter(Boolean).join(" · ")}`}>
      <ButtonBase
        onClick={onChoose}
        aria-label={`Paint ${name} of ${set.name}`}
        aria-pressed={false}
        sx={{
          width: 25,
          height: 24,
          borderRadius: 1,
          "&:focus-visible": { outline: "2px solid", outlineColor: "secondary.main" },
        }}>
        <Box
          component="span"
          data-test={status ? `recipe-${status}` : undefined}
          sx={{
            width: 20,
            height: 8,
            borderRadius: 0.75,
            border: 1,
            borderColor: varies ? ink : "divider",
            bgcolor: varies ? ink : "background.paper",
            outline: status === "stale" || status === "failed" ? "2px solid" : "none",
            outlineColor: status === "failed" ? "error.main" : "warning.main",
            outlineOffset: 1,
          }}
        />
      </ButtonBase>
    </Tooltip>
  );
}

export function Strip({ set, index, part, project, onChoose, onUnfold }: Props) {
  const isShown = useApp((state) => state.shown === set.id);
  return (
    <Box
      data-test="set-strip"
      sx={{
        border: 1,
        borderColor: "divider",
        borderRadius: 2.5,
        pl: 0.5,
        pr: 1.25,
        mb: 0.75,
        height: 38,
        display: "flex",
        alignItems: "center",
        gap: 0.5,
      }}>
      <ButtonBase
        onClick={onUnfold}
        aria-expanded={false}
        aria-label={`Unfold ${set.name}`}
        sx={{
          flex: 1,
          minWidth: 0,
          height: 30,
          px: 0.75,
          gap: 0.75,
          justifyContent: "flex-start",
          borderRadius: 2,
          "&:focus-visible": { outline: "2px solid", outlineColor: "secondary.main" },
        }}>
        <Typography component="h3" variant="h3" noWrap sx={{ fontSize: 14, minWidth: 28 }}>
          {set.name}
        </Typography>
        <Chip
          component="span"
          size="small"
          variant="outlined"
          label={placementWords[set.placement]}
          sx={{ pointerEvents: "none" }}
        />
        {isShown && (
          <Typography variant="caption" color="textSecondary">
            shown
          </Typography>
        )}
      </ButtonBase>
      {channelName.map((name, i) => (
        <Bar key={name} set={set} part={part} channel={i} onChoose={() => onChoose(i)} />
      ))}
      <SetMenu set={set} index={index} part={part} project={project} />
    </Box>
  );
}

// The map of the job: the active part's sets, four channels each; choosing a cell chooses where paint lands.
import { Box, Button, ButtonBase, Chip, MenuItem, Paper, Select, Tooltip, Typography } from "@mui/material";
import { useState } from "react";
import type { Project } from "../project/project";
import { facts, activePart, choosePart, get, set as setState, useApp, type ColorSet, type Part } from "../model/state";
import type { Channels } from "../model/choices";
import { targetChannels } from "../model/recipes";
import { placementWords } from "../model/placements";
import { channelName } from "../model/theme";
import { AddSet } from "./AddSet";
import { Cell } from "./Cell";
import { Compose } from "./Compose";
import { SetMenu } from "./SetMenu";
import { Strip } from "./Strip";
import { SwatchCard } from "./SwatchCard";

interface OfSet {
  set: ColorSet;
  index: number;
  part: Part;
  project: Project;
}

/** The set in hand, and those that were unfolded, as cards; the others in one line each. */
function SetOnBoard({ set, index, part, project }: OfSet) {
  const channels = useApp((state) => state.channels);
  const isTarget = useApp((state) => state.target === set.id);
  const [isUnfolded, setUnfolded] = useState(false);
  const choose = (channel: number) => {
    if (get().area === "bake") {
      // There a cell stands for what its recipe makes.
      const made = set.recipes.map((recipe) => targetChannels[recipe.channels]).find((on) => on[channel]);
      const only = made ?? (channelName.map((_, i) => i === channel) as Channels);
      setState({ target: set.id, channels: [...only] });
      return;
    }
    // A cell of another set moves the target there; one of the same set joins or leaves.
    const next = (
      isTarget ? channels.map((on, i) => (i === channel ? !on : on)) : channelName.map((_, i) => i === channel)
    ) as Channels;
    setState({ target: set.id, channels: next });
  };
  if (set.encoding === "swatch") return <SwatchCard set={set} index={index} part={part} project={project} />;
  const one = { set, index, part, project, onChoose: choose };
  if (!isTarget && !isUnfolded) return <Strip {...one} onUnfold={() => setUnfolded(true)} />;
  return <Card {...one} onFold={isTarget ? null : () => setUnfolded(false)} />;
}

function Card({
  set,
  index,
  part,
  project,
  onChoose,
  onFold,
}: OfSet & { onChoose: (channel: number) => void; onFold: (() => void) | null }) {
  const channels = useApp((state) => state.channels);
  const isTarget = useApp((state) => state.target === set.id);
  const isShown = useApp((state) => state.shown === set.id);
  return (
    <Box
      data-test="set-card"
      sx={{
        border: 1,
        borderColor: isTarget ? "text.secondary" : "divider",
        borderRadius: 2.5,
        p: 1.25,
        pt: 0.75,
        mb: 0.75,
      }}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 0.75, mb: 0.75 }}>
        {onFold ? (
          <ButtonBase
            onClick={onFold}
            aria-expanded
            aria-label={`Fold ${set.name}`}
            sx={{
              minWidth: 0,
              borderRadius: 1,
              "&:focus-visible": { outline: "2px solid", outlineColor: "secondary.main" },
            }}>
            <Typography variant="h3" component="h3" noWrap>
              {set.name}
            </Typography>
          </ButtonBase>
        ) : (
          <Typography variant="h3" component="h3" noWrap sx={{ minWidth: 0 }}>
            {set.name}
          </Typography>
        )}
        <Chip size="small" variant="outlined" label={placementWords[set.placement]} />
        <Chip size="small" variant="outlined" label={set.encoding} />
        <Box sx={{ flex: 1 }} />
        {index === 0 && part.sets.length > 1 && (
          <Tooltip title="Many receivers read only the first set. Move another up to make it the first.">
            <Typography variant="caption" color="textSecondary" noWrap>
              first
            </Typography>
          </Tooltip>
        )}
        {isShown && (
          <Typography variant="caption" color="textSecondary">
            shown
          </Typography>
        )}
        <SetMenu set={set} index={index} part={part} project={project} />
      </Box>
      <Box sx={{ display: "grid", gridTemplateColumns: "repeat(4, minmax(0, 1fr))", gap: 0.75 }}>
        {channelName.map((name, i) => (
          <Cell
            key={name}
            set={set}
            part={part}
            channel={i}
            chosen={isTarget && (channels[i] ?? false)}
            onChoose={() => onChoose(i)}
            project={project}
          />
        ))}
      </Box>
    </Box>
  );
}

export function ChannelBoard({ project }: { project: Project | null }) {
  const parts = useApp((state) => state.parts);
  const part = useApp(activePart);
  const [adding, setAdding] = useState(false);
  const [composing, setComposing] = useState(false);
  const names = new Set(parts.flatMap((each) => each.sets.map((own) => own.name)));
  const lacking = parts.filter((each) => each.sets.length < names.size);
  return (
    <Paper
      variant="outlined"
      component="section"
      aria-label="Channel board"
      sx={{ p: 1.75, borderRadius: 4, minHeight: 1 }}>
      <Box sx={{ display: "flex", alignItems: "center", mb: 1.25, minHeight: 28 }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          Channel board
        </Typography>
        {parts.length > 1 && part ? (
          <Select
            variant="standard"
            disableUnderline
            value={part.id}
            onChange={(event) => choosePart(event.target.value)}
            inputProps={{ "aria-label": "Part" }}
            sx={{ maxWidth: 150, fontSize: 13 }}>
            {parts.map((each) => (
              <MenuItem key={each.id} value={each.id}>
                {each.name}
              </MenuItem>
            ))}
          </Select>
        ) : (
          <Typography variant="body2" color="textSecondary" noWrap>
            {part?.name}
          </Typography>
        )}
      </Box>
      {project &&
        part?.sets.map((set, index) => (
          <SetOnBoard key={set.id} set={set} index={index} part={part} project={project} />
        ))}
      {part && part.sets.length === 0 && (
        <Typography variant="body2" color="textSecondary" sx={{ mb: 1 }}>
          {part.name} carries no color yet. Add a set: four channels of numbers at its points, ready to be painted.
        </Typography>
      )}
      {part ? (
        <Box sx={{ display: "flex", alignItems: "center" }}>
          <Typography variant="body2" color="textSecondary" sx={{ flex: 1 }}>
            {part.sets.length} of {facts().limits.sets} sets
          </Typography>
          {part.sets.length > 0 && (
            <Button
              size="small"
              color="secondary"
              data-test="compose"
              onClick={() => setComposing(true)}
              disabled={part.sets.length >= facts().limits.sets}>
              + Compose
            </Button>
          )}
          <Button
            size="small"
            color="secondary"
            onClick={() => setAdding(true)}
            disabled={part.sets.length >= facts().limits.sets}>
            + Add a set
          </Button>
        </Box>
      ) : (
        <Typography variant="body2" color="textSecondary">
          Bring a mesh in, and its sets stand here.
        </Typography>
      )}
      {lacking.length > 0 && project && (
        <Tooltip title="A shader that reads a set which a part lacks gets black, or an error. Missing sets are added, flooded with their ground color.">
          <Button
            size="small"
            color="secondary"
            data-test="agree"
            onClick={() => void project.edit({ type: "make_parts_agree" })}
            sx={{ mt: 0.5, px: 0.5, textAlign: "left" }}>
            {lacking.length === 1 ? `${lacking[0]?.name ?? ""} lacks a set` : `${lacking.length} parts lack sets`}: make
            the parts agree
          </Button>
        </Tooltip>
      )}
      {composing && part && project && <Compose part={part} project={project} onClose={() => setComposing(false)} />}
      {adding && part && project && <AddSet project={project} part={part} onClose={() => setAdding(false)} />}
    </Paper>
  );
}

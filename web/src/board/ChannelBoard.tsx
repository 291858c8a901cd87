// The map of the job: the active part's sets, four channels each; choosing a cell chooses where paint lands.
import { Box, Button, ButtonBase, Chip, MenuItem, Paper, Select, Tooltip, Typography } from "@mui/material";
import { useState } from "react";
import { activePart, choosePart, set as setState, useApp, type Channels, type ColorSet } from "../state";
import { channelInk, channelName } from "../theme";
import { AddSet } from "./AddSet";
import { Grain } from "./Grain";

export const placementWords = { vertex: "per vertex", corner: "per corner", face: "per face" } as const;

function Card({ set }: { set: ColorSet }) {
  const figures = useApp((state) => state.figures[set.id]);
  const channels = useApp((state) => state.channels);
  const isTarget = useApp((state) => state.target === set.id);
  const isShown = useApp((state) => state.shown === set.id);
  const choose = (channel: number) => {
    // A cell of another set moves the target there; one of the same set joins or leaves.
    const next = (isTarget ? channels.map((on, i) => (i === channel ? !on : on)) : channelName.map((_, i) => i === channel)) as Channels;
    setState({ target: set.id, channels: next });
  };
  return (
    <Box data-test="set-card" sx={{ border: 1, borderColor: isTarget ? "text.secondary" : "divider", borderRadius: 2.5, p: 1.25, mb: 1.25 }}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1, mb: 1 }}>
        <Typography variant="h3" component="h3" noWrap sx={{ minWidth: 0 }}>{set.name}</Typography>
        <Chip size="small" variant="outlined" label={placementWords[set.placement]} />
        <Chip size="small" variant="outlined" label={set.encoding} />
        <Box sx={{ flex: 1 }} />
        {isShown && <Typography variant="caption" color="textSecondary">shown</Typography>}
      </Box>
      <Box sx={{ display: "grid", gridTemplateColumns: "repeat(4, 1fr)", gap: 0.75 }}>
        {channelName.map((name, i) => {
          const held = figures?.[i];
          const chosen = isTarget && channels[i];
          const numbers = held ? `min ${held.min.toFixed(3)} · mean ${held.mean.toFixed(3)} · max ${held.max.toFixed(3)}` : "…";
          return (
            <Tooltip key={name} title={numbers}>
              <ButtonBase
                onClick={() => choose(i)}
                aria-pressed={chosen}
                aria-label={`Paint ${name} of ${set.name}`}
                sx={{ display: "block", textAlign: "left", p: 0.75, borderRadius: 2, border: 2, borderColor: chosen ? "primary.main" : "divider", "&:focus-visible": { outline: "2px solid", outlineColor: "secondary.main" } }}
              >
                <Typography component="span" sx={{ fontWeight: 700, color: channelInk[i], fontSize: 13 }}>{name}</Typography>
                <Grain bins={held?.bins} ink={channelInk[i] ?? "#000"} label={`Histogram of ${name}: ${numbers}`} />
                <Typography variant="caption" color="textSecondary" sx={{ lineHeight: 1.2, display: "block", mt: 0.25 }}>
                  {held ? `⌀ ${held.mean.toFixed(2)}` : "…"}
                </Typography>
              </ButtonBase>
            </Tooltip>
          );
        })}
      </Box>
    </Box>
  );
}

export function ChannelBoard({ project }: { project: number }) {
  const parts = useApp((state) => state.parts);
  const part = useApp(activePart);
  const [adding, setAdding] = useState(false);
  return (
    <Paper variant="outlined" component="section" aria-label="Channel board" sx={{ p: 1.75, borderRadius: 4 }}>
      <Box sx={{ display: "flex", alignItems: "center", mb: 1.25, minHeight: 28 }}>
        <Typography variant="h2" sx={{ flex: 1 }}>Channel board</Typography>
        {parts.length > 1 && part ? (
          <Select variant="standard" disableUnderline value={part.id} onChange={(event) => choosePart(event.target.value)} inputProps={{ "aria-label": "Part" }} sx={{ maxWidth: 150, fontSize: 13 }}>
            {parts.map((each) => <MenuItem key={each.id} value={each.id}>{each.name}</MenuItem>)}
          </Select>
        ) : (
          <Typography variant="body2" color="textSecondary" noWrap>{part?.name}</Typography>
        )}
      </Box>
      {part?.sets.map((set) => <Card key={set.id} set={set} />)}
      {part && part.sets.length === 0 && (
        <Typography variant="body2" color="textSecondary" sx={{ mb: 1 }}>
          {part.name} carries no color yet. Add a set: four channels of numbers at its points, ready to be painted.
        </Typography>
      )}
      {part ? (
        <Box sx={{ display: "flex", alignItems: "center" }}>
          <Typography variant="body2" color="textSecondary" sx={{ flex: 1 }}>{part.sets.length} of 16 sets</Typography>
          <Button size="small" color="secondary" onClick={() => setAdding(true)} disabled={part.sets.length >= 16}>+ Add a set</Button>
        </Box>
      ) : (
        <Typography variant="body2" color="textSecondary">Bring a mesh in, and its sets stand here.</Typography>
      )}
      {adding && part && <AddSet project={project} part={part} onClose={() => setAdding(false)} />}
    </Paper>
  );
}

// A channel becomes a color set, by a ramp.
import {
  Box,
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  IconButton,
  Slider,
  TextField,
  Typography,
} from "@mui/material";
import { useState } from "react";
import type { Schemas } from "../api/client";
import { ColorWell } from "../widgets/ColorWell";
import type { Project } from "../project/project";
import { facts, get, set as setState, type Part } from "../model/state";
import type { Rgba } from "../model/choices";
import { hex } from "../model/words";
import { mixed } from "../model/curves";

interface Props {
  part: Part;
  from: Schemas["ChannelAt"];
  title: string;
  name: string;
  project: Project;
  onClose: () => void;
}

export function Colorize({ part, from, title, name, project, onClose }: Props) {
  const [typed, setTyped] = useState(name);
  const [stops, setStops] = useState<{ at: number; color: Rgba }[]>(() => [
    { at: 0, color: [0, 0, 0, 1] },
    { at: 1, color: [get().paint[0], get().paint[1], get().paint[2], 1] },
  ]);
  const sorted = [...stops].sort((a, b) => a.at - b.at);
  const strip = sorted.flatMap((stop, i) => {
    const next = sorted[i + 1];
    if (!next) return [`${hex(stop.color)} ${stop.at * 100}%`];
    return Array.from(
      { length: 8 },
      (_, step) =>
        `${hex(mixed(stop.color, next.color, step / 8))} ${(stop.at + ((next.at - stop.at) * step) / 8) * 100}%`,
    );
  });
  const put = (index: number, change: Partial<{ at: number; color: Rgba }>) =>
    setStops(stops.map((stop, i) => (i === index ? { ...stop, ...change } : stop)));
  const accept = async () => {
    if (!(await project.edit({ type: "colorize", from, name: typed.trim(), ramp: sorted }))) return;
    setState({
      said: {
        text: `Made the color set ${typed.trim()} on ${part.name}; its ground color is ${hex(sorted.at(-1)?.color ?? [0, 0, 0])}.`,
        bad: false,
      },
    });
    onClose();
  };
  return (
    <Dialog open onClose={onClose} maxWidth="xs" fullWidth onKeyDown={(event) => event.stopPropagation()}>
      <DialogTitle>Colorize {title}</DialogTitle>
      <DialogContent sx={{ display: "grid", gap: 1.5, pt: "8px !important" }}>
        <TextField
          label="Name of the new set"
          size="small"
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
          slotProps={{ htmlInput: { "data-test": "colorize-name" } }}
        />
        <Box
          sx={{
            height: 24,
            borderRadius: 1,
            border: 1,
            borderColor: "divider",
            background: `linear-gradient(to right, ${strip.length > 1 ? strip.join(", ") : `${strip[0] ?? "#000"}, ${strip[0] ?? "#000"}`})`,
          }}
        />
        {stops.map((stop, i) => (
          <Box key={i} sx={{ display: "flex", alignItems: "center", gap: 1.5 }}>
            <ColorWell
              color={stop.color}
              mark={`stop-${i}`}
              size={30}
              withAlpha={false}
              onChange={(color) => put(i, { color })}
            />
            <Slider
              size="small"
              value={stop.at}
              min={0}
              max={1}
              step={0.01}
              aria-label={`Place of color ${i + 1}`}
              onChange={(_, at) => put(i, { at })}
            />
            <Typography variant="body2" sx={{ width: 34, textAlign: "right" }}>
              {stop.at.toFixed(2)}
            </Typography>
            <IconButton
              size="small"
              aria-label={`Take color ${i + 1} out`}
              disabled={stops.length < 2}
              onClick={() => setStops(stops.filter((_, j) => j !== i))}
              sx={{ fontSize: 16 }}>
              ×
            </IconButton>
          </Box>
        ))}
        <Button
          size="small"
          color="secondary"
          disabled={stops.length >= facts().limits.ramp_stops}
          onClick={() => setStops([...stops, { at: 0.5, color: [0.5, 0.5, 0.5, 1] }])}
          sx={{ justifySelf: "start" }}>
          + Add a color
        </Button>
        <Typography variant="caption" color="textSecondary">
          The color on the right is kept as the ground color, so that recolor can tell the shading.
        </Typography>
      </DialogContent>
      <DialogActions>
        <Button color="inherit" onClick={onClose}>
          Cancel
        </Button>
        <Button variant="contained" disabled={typed.trim() === ""} onClick={() => void accept()}>
          Make it
        </Button>
      </DialogActions>
    </Dialog>
  );
}

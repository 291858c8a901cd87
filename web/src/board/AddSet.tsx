// Giving a part one more set.
import {
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
import type { Schemas } from "../api/client";
import type { Project } from "../project/project";
import { facts, set as setState, type Part } from "../model/state";

const starts = { white: [1, 1, 1, 1], grey: [0.5, 0.5, 0.5, 1], black: [0, 0, 0, 1] } satisfies Record<
  string,
  number[]
>;

/** A value from six hexadecimal digits; alpha is 1. */
function rgba(typed: string): number[] | null {
  const found = /^#?([0-9a-f]{2})([0-9a-f]{2})([0-9a-f]{2})$/i.exec(typed.trim());
  return found ? [...found.slice(1).map((pair) => Number.parseInt(pair, 16) / 255), 1] : null;
}

export function AddSet({ project, part, onClose }: { project: Project; part: Part; onClose: () => void }) {
  const [name, setName] = useState(part.sets.length === 0 ? "Coat" : `Set ${part.sets.length + 1}`);
  const [encoding, setEncoding] = useState<Schemas["Encoding"]>("color");
  const [chosen, setChosen] = useState<Schemas["Placement"] | null>(null);
  // Colors begin where sharp borders are possible, data where it is lightest.
  const isSwatches = encoding === "swatch";
  const placement = isSwatches ? "face" : (chosen ?? (encoding === "color" ? "corner" : "vertex"));
  const [start, setStart] = useState<keyof typeof starts | "other">("white");
  const [typed, setTyped] = useState("#4A6B8A");
  const own = rgba(typed);
  const value = start === "other" ? own : starts[start];
  const [trouble, setTrouble] = useState<string | null>(null);
  const add = async () => {
    const trouble = await project.attempt({
      type: "add_set",
      part: part.id,
      name,
      placement,
      encoding,
      start: isSwatches ? [0, 0, 0, 0] : (value ?? starts.white),
    });
    setTrouble(trouble);
    if (trouble !== null) return;
    setState({ said: { text: `Added the set ${name} to ${part.name}.`, bad: false } });
    onClose();
  };
  return (
    <Dialog open onClose={onClose} maxWidth="xs" fullWidth onKeyDown={(event) => event.stopPropagation()}>
      <DialogTitle>Add a set to {part.name}</DialogTitle>
      <DialogContent sx={{ display: "grid", gap: 2, pt: "8px !important" }}>
        <TextField
          label="Name"
          value={name}
          onChange={(event) => setName(event.target.value)}
          autoFocus
          size="small"
          error={trouble !== null}
          helperText={trouble}
        />
        <TextField
          select
          label="Holds"
          value={encoding}
          onChange={(event) => {
            const next = event.target.value as Schemas["Encoding"];
            setEncoding(next);
            if (next === "swatch" && !part.sets.some((own) => own.name === "Swatches")) setName("Swatches");
          }}
          size="small"
          helperText={
            isSwatches
              ? "The one swatch that each face prints in, for printers with several spools."
              : encoding === "color"
                ? "sRGB color; formats that store light convert it."
                : "Plain numbers for masks and values; no format bends them."
          }>
          <MenuItem value="color">Color</MenuItem>
          <MenuItem value="data">Data</MenuItem>
          <MenuItem value="swatch">Swatches</MenuItem>
        </TextField>
        <TextField
          select
          label="Placement"
          value={placement}
          disabled={isSwatches}
          onChange={(event) => setChosen(event.target.value as Schemas["Placement"])}
          size="small"
          helperText={
            {
              vertex: "Colors blend across edges.",
              corner: "Each face has its own color at each of its points: sharp borders and blends.",
              face: "Each face is flat.",
            }[placement]
          }>
          <MenuItem value="vertex">Per vertex</MenuItem>
          <MenuItem value="corner">Per corner</MenuItem>
          <MenuItem value="face">Per face</MenuItem>
        </TextField>
        {!isSwatches && (
          <TextField
            select
            label="Starts as"
            value={start}
            onChange={(event) => setStart(event.target.value as keyof typeof starts | "other")}
            size="small">
            <MenuItem value="white">White: in every mask</MenuItem>
            <MenuItem value="grey">0.5: the neutral of an overlay</MenuItem>
            <MenuItem value="black">Black: in no mask</MenuItem>
            <MenuItem value="other">Another value…</MenuItem>
          </TextField>
        )}
        {start === "other" && !isSwatches && (
          <TextField
            label="Value as #RRGGBB"
            value={typed}
            onChange={(event) => setTyped(event.target.value)}
            size="small"
            error={!own}
            helperText={own ? "It is kept as the set's ground color." : "Six digits of 0–9 and A–F, as in #4A6B8A"}
            slotProps={{ htmlInput: { "data-test": "start-hex" } }}
          />
        )}
        <Typography variant="caption" color="textSecondary">
          {part.sets.length} of {facts().limits.sets} sets. Undo takes it away again.
        </Typography>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose} color="inherit">
          Cancel
        </Button>
        <Button onClick={() => void add()} variant="contained" disabled={name.trim() === "" || (!value && !isSwatches)}>
          Add
        </Button>
      </DialogActions>
    </Dialog>
  );
}

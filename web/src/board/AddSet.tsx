// Giving a part one more set.
import { Button, Dialog, DialogActions, DialogContent, DialogTitle, MenuItem, TextField, Typography } from "@mui/material";
import { useState } from "react";
import { api, messageOf, type Schemas } from "../api/client";
import { set as setState, type Part } from "../state";

const starts = { white: [1, 1, 1, 1], grey: [0.5, 0.5, 0.5, 1], black: [0, 0, 0, 1] } satisfies Record<string, number[]>;

export function AddSet({ project, part, onClose }: { project: number; part: Part; onClose: () => void }) {
  const [name, setName] = useState(part.sets.length === 0 ? "Coat" : `Set ${part.sets.length + 1}`);
  const [encoding, setEncoding] = useState<Schemas["Encoding"]>("color");
  const [placement, setPlacement] = useState<Schemas["Placement"]>("vertex");
  const [start, setStart] = useState<keyof typeof starts>("white");
  const [trouble, setTrouble] = useState<string | null>(null);
  const add = async () => {
    const { error } = await api.POST("/api/v1/projects/{project}/edits", {
      params: { path: { project } },
      body: { type: "add_set", part: part.id, name, placement, encoding, start: starts[start] },
    });
    if (error) {
      setTrouble(messageOf(error));
      return;
    }
    setState({ said: { text: `Added the set ${name} to ${part.name}.`, bad: false } });
    onClose();
  };
  return (
    <Dialog open onClose={onClose} maxWidth="xs" fullWidth onKeyDown={(event) => event.stopPropagation()}>
      <DialogTitle>Add a set to {part.name}</DialogTitle>
      <DialogContent sx={{ display: "grid", gap: 2, pt: "8px !important" }}>
        <TextField label="Name" value={name} onChange={(event) => setName(event.target.value)} autoFocus size="small" error={trouble !== null} helperText={trouble} />
        <TextField select label="Holds" value={encoding} onChange={(event) => setEncoding(event.target.value as Schemas["Encoding"])} size="small" helperText={encoding === "color" ? "sRGB color; formats that store light convert it." : "Plain numbers for masks and values; no format bends them."}>
          <MenuItem value="color">Color</MenuItem>
          <MenuItem value="data">Data</MenuItem>
        </TextField>
        <TextField select label="Placement" value={placement} onChange={(event) => setPlacement(event.target.value as Schemas["Placement"])} size="small" helperText={{ vertex: "Colors blend across edges.", corner: "Each face has its own color at each of its points: sharp borders and blends.", face: "Each face is flat." }[placement]}>
          <MenuItem value="vertex">Per vertex</MenuItem>
          <MenuItem value="corner">Per corner</MenuItem>
          <MenuItem value="face">Per face</MenuItem>
        </TextField>
        <TextField select label="Starts as" value={start} onChange={(event) => setStart(event.target.value as keyof typeof starts)} size="small">
          <MenuItem value="white">White: in every mask</MenuItem>
          <MenuItem value="grey">0.5: the neutral of an overlay</MenuItem>
          <MenuItem value="black">Black: in no mask</MenuItem>
        </TextField>
        <Typography variant="caption" color="textSecondary">{part.sets.length} of 16 sets. Undo takes it away again.</Typography>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose} color="inherit">Cancel</Button>
        <Button onClick={() => void add()} variant="contained" disabled={name.trim() === ""}>Add</Button>
      </DialogActions>
    </Dialog>
  );
}

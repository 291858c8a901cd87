// Any four channels become one data set.
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
import type { Schemas } from "../api/client";
import type { Project } from "../project/project";
import { set as setState, useApp, type Part } from "../model/state";
import { channelInk, channelName } from "../model/theme";
import { freeName } from "./Cell";

const numbers = { "number 0": 0, "number 0.5": 0.5, "number 1": 1 } as const;

export function Compose({ part, project, onClose }: { part: Part; project: Project; onClose: () => void }) {
  const parts = useApp((state) => state.parts);
  const [name, setName] = useState(() => freeName(part, "Packed"));
  const [placement, setPlacement] = useState<Schemas["Placement"]>("vertex");
  const channels = parts
    .filter((other) => other.mesh === part.mesh)
    .flatMap((other) =>
      other.sets.flatMap((from) =>
        channelName.map((letter, i) => ({
          key: `${other.id} ${from.id} ${i}`,
          at: { part: other.id, set: from.id, channel: i },
          says: `${other.id === part.id ? "" : `${other.name}, `}${from.name} · ${letter}${from.channels[i]?.meaning ? ` ${from.channels[i].meaning}` : ""}`,
        })),
      ),
    );
  const [chosen, setChosen] = useState<string[]>(() =>
    channelName.map((_, i) => (i === 3 ? "number 1" : (channels[i]?.key ?? "number 0"))),
  );
  const source = (key: string): Schemas["ChannelSource"] => {
    if (key in numbers) return { type: "number", number: numbers[key as keyof typeof numbers] };
    const found = channels.find((channel) => channel.key === key);
    return found ? { type: "channel", from: found.at } : { type: "number", number: 0 };
  };
  const accept = async () => {
    if (
      !(await project.edit({
        type: "compose_set",
        part: part.id,
        name: name.trim(),
        placement,
        channels: chosen.map(source),
      }))
    )
      return;
    setState({ said: { text: `Made the data set ${name.trim()} of four channels.`, bad: false } });
    onClose();
  };
  return (
    <Dialog open onClose={onClose} maxWidth="xs" fullWidth onKeyDown={(event) => event.stopPropagation()}>
      <DialogTitle>Compose a set of channels</DialogTitle>
      <DialogContent sx={{ display: "grid", gap: 1.5, pt: "8px !important" }}>
        <TextField
          label="Name of the new set"
          size="small"
          value={name}
          onChange={(event) => setName(event.target.value)}
          slotProps={{ htmlInput: { "data-test": "compose-name" } }}
        />
        <TextField
          select
          label="Placement"
          size="small"
          value={placement}
          onChange={(event) => setPlacement(event.target.value as Schemas["Placement"])}>
          <MenuItem value="vertex">Per vertex</MenuItem>
          <MenuItem value="corner">Per corner</MenuItem>
          <MenuItem value="face">Per face</MenuItem>
        </TextField>
        {channelName.map((letter, i) => (
          <Box key={letter} sx={{ display: "flex", alignItems: "center", gap: 1.5 }}>
            <Typography sx={{ fontWeight: 700, color: channelInk[i], width: 16 }}>{letter}</Typography>
            <TextField
              select
              size="small"
              fullWidth
              value={chosen[i] ?? "number 0"}
              onChange={(event) => setChosen(chosen.map((old, j) => (j === i ? event.target.value : old)))}
              slotProps={{ select: { SelectDisplayProps: { "aria-label": `Where ${letter} comes from` } } }}>
              {Object.entries(numbers).map(([key, number]) => (
                <MenuItem key={key} value={key}>
                  {number} everywhere
                </MenuItem>
              ))}
              {channels.map((channel) => (
                <MenuItem key={channel.key} value={channel.key}>
                  {channel.says}
                </MenuItem>
              ))}
            </TextField>
          </Box>
        ))}
        <Typography variant="caption" color="textSecondary">
          The numbers are copied as they are, also those of colors.
        </Typography>
      </DialogContent>
      <DialogActions>
        <Button color="inherit" onClick={onClose}>
          Cancel
        </Button>
        <Button variant="contained" disabled={name.trim() === ""} onClick={() => void accept()}>
          Make it
        </Button>
      </DialogActions>
    </Dialog>
  );
}

// The Deliver area: which file, how precise, and what the format could not carry.
import { Alert, Box, Button, FormControlLabel, MenuItem, Paper, Switch, TextField, Typography } from "@mui/material";
import { useState } from "react";
import { messageOf } from "../api/client";
import { useApp } from "../state";

type FormatKey = "glb" | "gltf" | "ply" | "obj" | "stl";

const formatWords: Record<FormatKey, { title: string; says: string }> = {
  glb: { title: "GLB (glTF 2.0)", says: "For engines and viewers. Color sets are stored as linear light, as the standard demands; data sets as they are." },
  gltf: { title: "glTF 2.0, one text", says: "The same as GLB with its arrays as text, for pipelines that edit it." },
  obj: { title: "OBJ", says: "One set per vertex, behind the coordinates; some readers pass over it." },
  stl: { title: "STL", says: "The shape alone. Every color is left out." },
  ply: { title: "PLY", says: "For scans and scripts. Numbers are stored as they are shown; one set per vertex and one per face fit." },
};

export function DeliverSheet({ project }: { project: number }) {
  const name = useApp((state) => state.project);
  const parts = useApp((state) => state.parts);
  const [format, setFormat] = useState<FormatKey>("glb");
  const [depth, setDepth] = useState("usual");
  const [alpha, setAlpha] = useState(true);
  const [body, setBody] = useState("little");
  const [visibleOnly, setVisibleOnly] = useState(false);
  const someHidden = parts.some((part) => !part.visible);
  const isGltf = format === "glb" || format === "gltf";
  const hasDepth = isGltf || format === "ply";
  const [busy, setBusy] = useState(false);
  const [done, setDone] = useState<{ file: string; bytes: number; notes: string[] } | null>(null);
  const [trouble, setTrouble] = useState<string | null>(null);
  const write = async () => {
    setBusy(true);
    setTrouble(null);
    setDone(null);
    try {
      const query = new URLSearchParams({ format, depth, alpha: String(alpha), body, visible_only: String(visibleOnly) });
      const response = await fetch(`/api/v1/projects/${project}/export?${query}`);
      if (!response.ok) {
        setTrouble(messageOf(await response.json()));
        return;
      }
      const blob = await response.blob();
      const file = /filename="([^"]+)"/.exec(response.headers.get("content-disposition") ?? "")?.[1] ?? `${name}.${format}`;
      const link = document.createElement("a");
      link.href = URL.createObjectURL(blob);
      link.download = file;
      link.click();
      window.setTimeout(() => URL.revokeObjectURL(link.href), 60_000);
      setDone({ file, bytes: blob.size, notes: JSON.parse(response.headers.get("speckle-notes") ?? "[]") as string[] });
    } catch {
      setTrouble(messageOf(null));
    } finally {
      setBusy(false);
    }
  };
  return (
    <Paper variant="outlined" component="section" sx={{ p: 1.75, borderRadius: 4 }} onKeyDown={(event) => event.stopPropagation()}>
      <Typography variant="h2" sx={{ mb: 1.5 }}>Export</Typography>
      <Box sx={{ display: "grid", gap: 1.75 }}>
        <TextField select size="small" label="Format" value={format} onChange={(event) => {
          setFormat(event.target.value as FormatKey);
          setDepth("usual");
          setBody("little");
        }} helperText={formatWords[format].says} slotProps={{ select: { SelectDisplayProps: { id: "format" } } }}>
          {(Object.keys(formatWords) as FormatKey[]).map((key) => <MenuItem key={key} value={key}>{formatWords[key].title}</MenuItem>)}
        </TextField>
        {hasDepth && <TextField select size="small" label="Numbers" value={depth} onChange={(event) => setDepth(event.target.value)}>
          <MenuItem value="usual">{isGltf ? "As usual: 32-bit floats" : "As usual: 8 bits"}</MenuItem>
          <MenuItem value="bits8">8 bits{isGltf ? ": small, coarse in the darks" : ""}</MenuItem>
          {isGltf && <MenuItem value="bits16">16 bits</MenuItem>}
          <MenuItem value="float">32-bit floats</MenuItem>
        </TextField>}
        {(format === "ply" || format === "stl") && (
          <TextField select size="small" label="Body" value={body} onChange={(event) => setBody(event.target.value)}>
            <MenuItem value="little">Binary, little-endian</MenuItem>
            {format === "ply" && <MenuItem value="big">Binary, big-endian</MenuItem>}
            <MenuItem value="ascii">Text</MenuItem>
          </TextField>
        )}
        {someHidden && <FormControlLabel control={<Switch size="small" checked={visibleOnly} onChange={(event) => setVisibleOnly(event.target.checked)} />} label={<Typography variant="body2">Only visible parts</Typography>} />}
        {format !== "stl" && <FormControlLabel control={<Switch size="small" checked={alpha} onChange={(event) => setAlpha(event.target.checked)} />} label={<Typography variant="body2">Write alpha</Typography>} />}
        <Button variant="contained" onClick={() => void write()} loading={busy} disabled={parts.length === 0} data-test="export">Export {parts.length > 1 ? `${parts.length} parts` : ""}</Button>
        {parts.length === 0 && <Typography variant="body2" color="textSecondary">There is nothing to export yet: bring a mesh in first.</Typography>}
        {trouble && <Alert severity="error">{trouble}</Alert>}
        {done && (
          <Alert severity={done.notes.length > 0 ? "info" : "success"} data-test="exported">
            <b>{done.file}</b>, {(done.bytes / 1e6).toFixed(2)} MB, was handed to your browser.
            {done.notes.map((note) => <Box key={note}>{note}</Box>)}
          </Alert>
        )}
      </Box>
    </Paper>
  );
}

export function DeliverTray() {
  const parts = useApp((state) => state.parts);
  const sets = parts.flatMap((part) => part.sets.map((each) => `${part.name}: ${each.name} (${each.encoding})`));
  return (
    <Typography variant="body2" color="textSecondary">
      {sets.length > 0 ? <>What goes out: <b>{sets.join(" · ")}</b></> : "No set to send out yet: only the shape would be written."}
    </Typography>
  );
}

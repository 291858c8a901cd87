// The Gather area: the parts and their numbers, bringing meshes in, and what an import did.
import { Box, Button, Paper, Typography } from "@mui/material";
import { choosePart, count, length, set, useApp, type Part } from "../state";

function PartRow({ part, active }: { part: Part; active: boolean }) {
  const rows: [string, string][] = [
    ["Vertices", count(part.vertices)],
    ["Faces", part.faces === part.triangles ? count(part.faces) : `${count(part.faces)} (${count(part.triangles)} triangles)`],
    ["Size", part.max.map((value, i) => length(value - (part.min[i] ?? 0)).replace(" u", "")).join(" × ") + " u"],
    ["Edge, median", length(part.median_edge)],
    ["Pieces", `${count(part.pieces)}, ${part.watertight ? "watertight" : "open"}`],
    ["Sets", part.sets.map((each) => each.name).join(", ") || "none yet"],
  ];
  return (
    <Box sx={{ borderTop: 1, borderColor: "divider", borderTopStyle: "dashed", py: 1 }}>
      <Button size="small" color={active ? "primary" : "inherit"} onClick={() => choosePart(part.id)} aria-pressed={active} sx={{ px: 0.5, ml: -0.5, fontWeight: 700 }}>{part.name}</Button>
      {rows.map(([name, value]) => (
        <Box key={name} sx={{ display: "flex", gap: 1 }}>
          <Typography variant="body2" color="textSecondary" sx={{ width: 96, flexShrink: 0 }}>{name}</Typography>
          <Typography variant="body2">{value}</Typography>
        </Box>
      ))}
    </Box>
  );
}

export function GatherSheet() {
  const parts = useApp((state) => state.parts);
  const active = useApp((state) => state.part);
  const report = useApp((state) => state.report);
  return (
    <>
      {report && <Report />}
      <Paper variant="outlined" component="section" sx={{ p: 1.75, borderRadius: 4 }}>
        <Typography variant="h2" sx={{ mb: 1 }}>Parts</Typography>
        {parts.map((part) => <PartRow key={part.id} part={part} active={part.id === active} />)}
        {parts.length === 0 && <Typography variant="body2" color="textSecondary">None yet.</Typography>}
      </Paper>
    </>
  );
}

function Report() {
  const report = useApp((state) => state.report);
  if (!report) return null;
  const clean = report.repairs.length === 0 && report.notes.length === 0;
  return (
    <Paper variant="outlined" component="section" aria-label="Import report" data-test="report" sx={{ p: 1.75, borderRadius: 4 }}>
      <Box sx={{ display: "flex", alignItems: "baseline" }}>
        <Typography variant="h2" sx={{ flex: 1 }}>Brought in</Typography>
        <Button size="small" color="inherit" onClick={() => set({ report: null })}>Close</Button>
      </Box>
      <Typography variant="body2" color="textSecondary" sx={{ wordBreak: "break-word" }}>{report.file}</Typography>
      {report.parts.map((part, i) => (
        <Typography key={i} variant="body2" sx={{ mt: 0.75 }}>
          <b>{part.name}</b>: {count(part.vertices)} vertices, {count(part.faces)} faces, {part.sets.length > 0 ? `sets ${part.sets.join(", ")}` : "no color set"}
        </Typography>
      ))}
      {report.repairs.length > 0 && <Typography variant="h3" sx={{ mt: 1.25 }}>Mended</Typography>}
      {report.repairs.map((repair, i) => <Typography key={i} variant="body2">{repair.part}: {repair.message}</Typography>)}
      {report.notes.length > 0 && <Typography variant="h3" sx={{ mt: 1.25 }}>In the file, not kept</Typography>}
      {report.notes.map((note, i) => <Typography key={i} variant="body2">{note}</Typography>)}
      {clean && <Typography variant="body2" color="success" sx={{ mt: 1 }}>✓ Nothing had to be mended or left out.</Typography>}
    </Paper>
  );
}

export function GatherTray({ onBring }: { onBring: () => void }) {
  return (
    <>
      <Button variant="contained" onClick={onBring} sx={{ flexShrink: 0 }}>Bring in a mesh…</Button>
      <Typography variant="body2" color="textSecondary">
        PLY or GLB, with or without colors. A file can be dropped anywhere on this page as well.
      </Typography>
    </>
  );
}

// The first thing one sees: projects to go on with, demo pieces, and a place to drop one's own.
import { Box, Button, ButtonBase, IconButton, Paper, Tooltip, Typography } from "@mui/material";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, messageOf, type Schemas } from "./api/client";
import { EggMark } from "./parts/icons";
import { lehmer } from "./parts/random";
import { set } from "./state";

/** The signature: a scatter of dots, the same at every draw. */
const random = lehmer(7);
const inks = ["#D9512C", "#1E6F7C", "#2A2933", "#C99B52", "#4F7A33"];
const dots = Array.from({ length: 90 }, (_, i) => ({
  x: random() * 1000,
  y: random() ** 1.6 * 240,
  radius: 0.8 + random() ** 3 * 6,
  ink: inks[i % inks.length],
  opacity: 0.25 + random() * 0.6,
}));

function Speckles() {
  return (
    <Box component="svg" viewBox="0 0 1000 240" preserveAspectRatio="xMidYMin slice" aria-hidden sx={{ position: "absolute", inset: 0, width: 1, height: 240, pointerEvents: "none", maskImage: "linear-gradient(to right, transparent 35%, #000 80%)" }}>
      {dots.map((dot, i) => <circle key={i} cx={dot.x} cy={dot.y} r={dot.radius} fill={dot.ink} opacity={dot.opacity} />)}
    </Box>
  );
}

function ago(ms: number): string {
  const minutes = Math.round((Date.now() - ms) / 60_000);
  if (minutes < 1) return "just now";
  if (minutes < 60) return `${minutes} min ago`;
  if (minutes < 60 * 24) return `${Math.round(minutes / 60)} h ago`;
  return new Date(ms).toLocaleDateString();
}

export function Shelf({ open, onBring }: { open: (project: number) => void; onBring: () => void }) {
  const client = useQueryClient();
  const projects = useQuery({
    queryKey: ["projects"],
    queryFn: async () => {
      const { data, error } = await api.GET("/api/v1/projects");
      if (error || !data) throw new Error(messageOf(error));
      return data;
    },
  });
  const pieces = useQuery({ queryKey: ["pieces"], queryFn: async () => (await api.GET("/api/v1/pieces")).data ?? [] });
  const [making, setMaking] = useState<string | null>(null);
  const [deleting, setDeleting] = useState<number | null>(null);
  const openPiece = async (piece: string) => {
    setMaking(piece);
    const { data, error } = await api.POST("/api/v1/pieces", { body: { piece } });
    setMaking(null);
    if (data) open(data.id);
    else set({ said: { text: messageOf(error), bad: true } });
  };
  const remove = async (project: Schemas["ProjectCard"]) => {
    setDeleting(null);
    const { error } = await api.DELETE("/api/v1/projects/{project}", { params: { path: { project: project.id } } });
    set({ said: error ? { text: messageOf(error), bad: true } : { text: `Deleted ${project.name}.`, bad: false } });
    await client.invalidateQueries({ queryKey: ["projects"] });
  };
  return (
    <Box sx={{ height: 1, overflow: "auto", position: "relative" }}>
      <Speckles />
      <Box sx={{ maxWidth: 980, mx: "auto", px: 4, py: 6, position: "relative" }}>
        <Box sx={{ display: "flex", alignItems: "center", gap: 1.5 }}><EggMark /><Typography variant="h1">Jaunty Speckle</Typography></Box>
        <Typography sx={{ mt: 1, mb: 4, maxWidth: 520 }} color="textSecondary">
          Give a mesh its color, point by point, and hand it to the shader, the renderer or the printer that reads it next.
        </Typography>
        {projects.error && <Typography color="error" sx={{ mb: 2 }}>{projects.error.message}</Typography>}
        {(projects.data?.length ?? 0) > 0 && (
          <>
            <Typography variant="h2" sx={{ mb: 1.5 }}>Go on with</Typography>
            <Box sx={{ display: "grid", gridTemplateColumns: "repeat(auto-fill, minmax(230px, 1fr))", gap: 1.5, mb: 4 }}>
              {projects.data?.map((project) => (
                <Paper key={project.id} variant="outlined" sx={{ borderRadius: 3, position: "relative", display: "flex", alignItems: "stretch" }}>
                  {deleting === project.id ? (
                    <Box sx={{ p: 1.5, flex: 1 }}>
                      <Typography variant="body2">Delete <b>{project.name}</b> and its whole history?</Typography>
                      <Button size="small" color="error" onClick={() => void remove(project)}>Delete</Button>
                      <Button size="small" color="inherit" onClick={() => setDeleting(null)}>Keep</Button>
                    </Box>
                  ) : (
                    <>
                      <ButtonBase data-test="project" onClick={() => open(project.id)} sx={{ flex: 1, minWidth: 0, p: 1.75, display: "block", textAlign: "left", borderRadius: 3 }}>
                        <Typography variant="h3" noWrap>{project.name}</Typography>
                        <Typography variant="body2" color="textSecondary">opened {ago(project.opened_ms)}</Typography>
                      </ButtonBase>
                      <Tooltip title={`Delete ${project.name}…`}><IconButton size="small" aria-label={`Delete ${project.name}`} onClick={() => setDeleting(project.id)} sx={{ alignSelf: "flex-start", m: 0.5, width: 32, height: 32, fontSize: 16 }}>×</IconButton></Tooltip>
                    </>
                  )}
                </Paper>
              ))}
            </Box>
          </>
        )}
        <Typography variant="h2" sx={{ mb: 1.5 }}>Begin with</Typography>
        <Box sx={{ display: "grid", gridTemplateColumns: "repeat(auto-fill, minmax(280px, 1fr))", gap: 1.5 }}>
          {pieces.data?.map((piece) => (
            <Paper key={piece.key} variant="outlined" sx={{ p: 2, borderRadius: 3 }}>
              <Typography variant="h3">{piece.title}</Typography>
              <Typography variant="body2" color="textSecondary" sx={{ my: 1 }}>{piece.blurb} From Skerrybank Toyworks.</Typography>
              <Button variant="contained" onClick={() => void openPiece(piece.key)} loading={making === piece.key} data-test={`piece-${piece.key}`}>Open a fresh one</Button>
            </Paper>
          ))}
          <Paper variant="outlined" sx={{ p: 2, borderRadius: 3, borderStyle: "dashed", bgcolor: "transparent" }}>
            <Typography variant="h3">Bring your own</Typography>
            <Typography variant="body2" color="textSecondary" sx={{ my: 1 }}>Drop a PLY or GLB file anywhere here. It stays on this machine.</Typography>
            <Button variant="outlined" color="secondary" onClick={onBring}>Choose a file…</Button>
          </Paper>
        </Box>
      </Box>
    </Box>
  );
}

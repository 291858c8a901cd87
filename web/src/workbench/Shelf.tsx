// The first thing one sees: projects to go on with, demo pieces, and a place to drop one's own.
import {
  Box,
  Button,
  ButtonBase,
  Checkbox,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  FormControlLabel,
  IconButton,
  Menu,
  MenuItem,
  Paper,
  TextField,
  Typography,
} from "@mui/material";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, messageOf, type Schemas } from "../api/client";
import { copyProject, deleteProject, makePiece, makeProject, renameProject, type Outcome } from "../api/writes";
import { EggMark, MoreIcon } from "../widgets/icons";
import { NameDialog } from "../widgets/NameDialog";
import { lehmer } from "../model/random";
import { set } from "../model/state";
import { bytes } from "../model/words";
import { useFormatWords } from "../model/formats";

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
    <Box
      component="svg"
      viewBox="0 0 1000 240"
      preserveAspectRatio="xMidYMin slice"
      aria-hidden
      sx={{
        position: "absolute",
        inset: 0,
        width: 1,
        height: 240,
        pointerEvents: "none",
        maskImage: "linear-gradient(to right, transparent 35%, #000 80%)",
      }}>
      {dots.map((dot, i) => (
        <circle key={i} cx={dot.x} cy={dot.y} r={dot.radius} fill={dot.ink} opacity={dot.opacity} />
      ))}
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

type ProjectCard = Schemas["ProjectCard"];

/** From how many projects on a search is worth its room. */
const SEARCH_FROM = 5;

const pictureGround = {
  bgcolor: "#8b8a88",
  display: "block",
  width: "100%",
  objectFit: "contain",
  borderRadius: "11px 11px 0 0",
} as const;

export function Shelf({ open, onBring }: { open: (project: number) => void; onBring: () => void }) {
  const client = useQueryClient();
  const formats = useFormatWords();
  const shelf = useQuery({
    queryKey: ["projects"],
    queryFn: async () => {
      const { data, error } = await api.GET("/api/v1/projects");
      if (error || !data) throw new Error(messageOf(error));
      return data;
    },
  });
  const pieces = useQuery({
    queryKey: ["pieces"],
    queryFn: async () => {
      const { data, error } = await api.GET("/api/v1/pieces");
      if (!data) throw new Error(messageOf(error));
      return data;
    },
  });
  const [wanted, setWanted] = useState("");
  const [naming, setNaming] = useState(false);
  const all = shelf.data?.projects ?? [];
  const found = all.filter(({ name }) => name.toLowerCase().includes(wanted.trim().toLowerCase()));
  const renew = () => client.invalidateQueries({ queryKey: ["projects"] });
  const create = async (name: string) => {
    const { data, trouble } = await makeProject(name);
    if (data) open(data.id);
    return trouble;
  };
  return (
    <Box sx={{ height: 1, overflow: "auto", position: "relative" }}>
      <Speckles />
      <Box sx={{ maxWidth: 1080, mx: "auto", px: 4, py: 4, position: "relative" }}>
        <Box sx={{ display: "flex", alignItems: "center", gap: 1.5 }}>
          <EggMark />
          <Typography variant="h1">Jaunty Speckle</Typography>
        </Box>
        <Typography sx={{ mt: 0.5, mb: 3, maxWidth: 560 }} color="textSecondary">
          Give a mesh its color, point by point, and hand it to the shader, the renderer or the printer that reads it
          next.
        </Typography>
        {shelf.error && (
          <Typography color="error" sx={{ mb: 2 }}>
            {shelf.error.message}
          </Typography>
        )}
        {all.length > 0 && (
          <>
            <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, mb: 1.5 }}>
              <Typography variant="h2" sx={{ flex: 1 }}>
                Go on with
              </Typography>
              {all.length >= SEARCH_FROM && (
                <TextField
                  size="small"
                  placeholder="Search"
                  value={wanted}
                  onChange={(event) => setWanted(event.target.value)}
                  slotProps={{ htmlInput: { "aria-label": "Search the projects", "data-test": "search" } }}
                  sx={{ width: 200, "& .MuiInputBase-root": { bgcolor: "background.paper" } }}
                />
              )}
              <Button
                variant="outlined"
                color="secondary"
                onClick={() => setNaming(true)}
                data-test="new-project"
                sx={{ bgcolor: "background.paper" }}>
                New empty project…
              </Button>
            </Box>
            <Box
              sx={{ display: "grid", gridTemplateColumns: "repeat(auto-fill, minmax(210px, 1fr))", gap: 1.5, mb: 1 }}>
              {found.map((project) => (
                <Card key={project.id} project={project} open={open} renew={renew} />
              ))}
            </Box>
            {found.length === 0 && (
              <Typography variant="body2" color="textSecondary" sx={{ mb: 1 }}>
                No project is called “{wanted}”.
              </Typography>
            )}
          </>
        )}
        {shelf.data && all.length > 0 && (
          <Typography variant="body2" color="textSecondary" data-test="disk" sx={{ mb: 3 }}>
            {all.length} {all.length === 1 ? "project" : "projects"} in {bytes(shelf.data.file_bytes)} on this machine
            {shelf.data.free_bytes > 1e6 ? `, ${bytes(shelf.data.free_bytes)} of it free for the next` : ""}
          </Typography>
        )}
        <Typography variant="h2" sx={{ mb: 1.5 }}>
          Begin with
        </Typography>
        <Box sx={{ display: "grid", gridTemplateColumns: "repeat(auto-fill, minmax(240px, 1fr))", gap: 1.5 }}>
          {pieces.data?.map((piece) => (
            <Piece key={piece.key} piece={piece} open={open} />
          ))}
          <Paper
            variant="outlined"
            sx={{
              p: 2,
              borderRadius: 3,
              borderStyle: "dashed",
              bgcolor: "transparent",
              display: "flex",
              flexDirection: "column",
              gap: 1,
              alignItems: "flex-start",
            }}>
            <Typography variant="h3">Bring your own</Typography>
            <Typography variant="body2" color="textSecondary">
              Drop mesh files anywhere here: {formats}, with what lies beside them, in a zip or a folder. Or a whole
              project that was exported (.speckle). They stay on this machine.
            </Typography>
            <Box sx={{ flex: 1 }} />
            <Button variant="outlined" color="secondary" onClick={onBring}>
              Choose files…
            </Button>
            {all.length === 0 && (
              <Button color="secondary" onClick={() => setNaming(true)} data-test="new-project">
                New empty project…
              </Button>
            )}
          </Paper>
        </Box>
      </Box>
      {naming && (
        <NameDialog
          title="A new project"
          name="Untitled"
          act="Create"
          onName={create}
          onClose={() => setNaming(false)}
        />
      )}
    </Box>
  );
}

function Piece({ piece, open }: { piece: Schemas["PieceCard"]; open: (project: number) => void }) {
  const [making, setMaking] = useState(false);
  const [dense, setDense] = useState(false);
  const openPiece = async () => {
    setMaking(true);
    const { data, trouble } = await makePiece(piece.key, dense);
    setMaking(false);
    if (data) open(data.id);
    else set({ said: { text: trouble, bad: true } });
  };
  return (
    <Paper variant="outlined" sx={{ borderRadius: 3, display: "flex", flexDirection: "column" }}>
      <Box component="img" src={`/api/v1/pieces/${piece.key}/picture`} alt="" sx={{ ...pictureGround, height: 140 }} />
      <Box sx={{ p: 1.75, flex: 1, display: "flex", flexDirection: "column" }}>
        <Typography variant="h3">{piece.title}</Typography>
        <Typography variant="body2" color="textSecondary" sx={{ my: 0.75, flex: 1 }}>
          {piece.blurb} From Skerrybank Toyworks.
        </Typography>
        <Box sx={{ display: "flex", alignItems: "center", gap: 1.5 }}>
          <Button
            variant="contained"
            onClick={() => void openPiece()}
            loading={making}
            data-test={`piece-${piece.key}`}>
            Open
          </Button>
          <FormControlLabel
            control={
              <Checkbox
                size="small"
                checked={dense}
                onChange={(event) => setDense(event.target.checked)}
                sx={{ p: 0.5 }}
              />
            }
            label={<Typography variant="body2">as dense as a scan</Typography>}
          />
        </Box>
      </Box>
    </Paper>
  );
}

function Card({
  project,
  open,
  renew,
}: {
  project: ProjectCard;
  open: (project: number) => void;
  renew: () => Promise<void>;
}) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [asking, setAsking] = useState<"name" | "delete" | null>(null);
  const after = async ({ trouble }: Outcome<unknown>, done: string) => {
    set({ said: trouble !== null ? { text: trouble, bad: true } : { text: done, bad: false } });
    await renew();
  };
  const rename = async (name: string) => {
    const outcome = await renameProject(project.id, name);
    if (outcome.trouble === null) await after(outcome, `Renamed to ${name}.`);
    return outcome.trouble;
  };
  const copy = async () => after(await copyProject(project.id), `Copied ${project.name} with its history.`);
  const remove = async () => after(await deleteProject(project.id), `Deleted ${project.name}.`);
  const choose = (act: () => void) => () => {
    setAnchor(null);
    act();
  };
  return (
    <Paper variant="outlined" data-test="card" sx={{ borderRadius: 3, position: "relative" }}>
      <ButtonBase
        data-test="project"
        onClick={() => open(project.id)}
        sx={{
          width: 1,
          display: "block",
          textAlign: "left",
          borderRadius: 3,
          "&:focus-visible": { outline: "2px solid", outlineColor: "secondary.main" },
        }}>
        <Box
          component="img"
          src={`/api/v1/projects/${project.id}/picture?r=${project.revision}`}
          alt=""
          sx={{ ...pictureGround, height: 118 }}
        />
        <Box sx={{ p: 1.25, pr: 5 }}>
          <Typography variant="h3" noWrap>
            {project.name}
          </Typography>
          <Typography variant="caption" color="textSecondary">
            opened {ago(project.opened_ms)} · {bytes(project.bytes)}
          </Typography>
        </Box>
      </ButtonBase>
      <IconButton
        size="small"
        aria-label={`More for ${project.name}`}
        data-test="more"
        onClick={(event) => setAnchor(event.currentTarget)}
        sx={{ position: "absolute", right: 4, bottom: 10, width: 34, height: 34 }}>
        <MoreIcon fontSize="small" />
      </IconButton>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        <MenuItem onClick={choose(() => setAsking("name"))}>Rename…</MenuItem>
        <MenuItem onClick={choose(() => void copy())}>Duplicate</MenuItem>
        <MenuItem component="a" href={`/api/v1/projects/${project.id}/file`} onClick={() => setAnchor(null)}>
          Export as one file
        </MenuItem>
        <MenuItem onClick={choose(() => setAsking("delete"))} sx={{ color: "error.main" }}>
          Delete…
        </MenuItem>
      </Menu>
      {asking === "name" && (
        <NameDialog
          title="Rename the project"
          name={project.name}
          act="Rename"
          onName={rename}
          onClose={() => setAsking(null)}
        />
      )}
      <Dialog open={asking === "delete"} onClose={() => setAsking(null)} maxWidth="xs">
        <DialogTitle>Delete {project.name}?</DialogTitle>
        <DialogContent>
          <Typography variant="body2">
            Its parts, its colors and its whole history go ({bytes(project.bytes)}). This cannot be undone; export it as
            one file first to keep a copy.
          </Typography>
        </DialogContent>
        <DialogActions>
          <Button color="inherit" onClick={() => setAsking(null)}>
            Keep it
          </Button>
          <Button
            color="error"
            variant="contained"
            data-test="delete"
            onClick={() => {
              setAsking(null);
              void remove();
            }}>
            Delete
          </Button>
        </DialogActions>
      </Dialog>
    </Paper>
  );
}

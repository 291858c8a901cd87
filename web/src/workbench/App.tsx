// Shelf or workbench, and bringing files in, which works on both.
import {
  Alert,
  Box,
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  LinearProgress,
  Snackbar,
  Typography,
} from "@mui/material";
import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState, type DragEvent } from "react";
import type { Schemas } from "../api/client";
import { sendMesh, sendProject, type ImportChoices, type Outcome } from "../api/writes";
import { ImportDialog } from "./ImportDialog";
import { filesOf } from "../widgets/dropped";
import { Shelf } from "./Shelf";
import { set, useApp } from "../model/state";
import { Workbench } from "./Workbench";
import { useAccepted } from "../model/formats";

function projectOfAddress(): number | null {
  const found = /^#\/project\/(\d+)$/.exec(location.hash)?.[1];
  return found ? Number(found) : null;
}

interface Sending {
  file: string;
  share: number;
  abort: AbortController;
}

const LAYER = /\.usd[ac]?$/i;

/** What goes along with a mesh: layers of USD refer to each other as well. */
function besideOf(file: File, meshes: File[], beside: File[]): File[] {
  return LAYER.test(file.name)
    ? [...beside, ...meshes.filter((other) => other !== file && LAYER.test(other.name))]
    : beside;
}

export function App() {
  const accepted = useAccepted();
  const [project, setProject] = useState(projectOfAddress);
  const [sending, setSending] = useState<Sending | null>(null);
  const [trouble, setTrouble] = useState<string | null>(null);
  const [over, setOver] = useState(false);
  const picker = useRef<HTMLInputElement>(null);
  const said = useApp((state) => state.said);
  const notice = useApp((state) => state.notice);
  const parts = useApp((state) => state.parts.length);
  const client = useQueryClient();

  useEffect(() => {
    const follow = () => setProject(projectOfAddress());
    window.addEventListener("hashchange", follow);
    return () => window.removeEventListener("hashchange", follow);
  }, []);
  const open = (id: number | null) => {
    location.hash = id === null ? "" : `/project/${id}`;
    if (id === null) void client.invalidateQueries({ queryKey: ["projects"] });
  };

  const [chosen, setChosen] = useState<File[] | null>(null);

  /** Asks how the files are to be taken, unless they are whole projects. */
  const take = (list: Iterable<File> | null) => {
    const files = Array.from(list ?? []);
    if (picker.current) picker.current.value = "";
    if (files.length === 0) return;
    if (files.every((file) => /\.speckle$/i.test(file.name))) void bringProjects(files);
    else setChosen(files);
  };
  const sent = async <Answer,>(
    file: File,
    send: (sending: { progress: (share: number) => void; signal: AbortSignal }) => Promise<Outcome<Answer>>,
  ): Promise<Answer | null> => {
    const abort = new AbortController();
    setSending({ file: file.name, share: 0, abort });
    const { data, trouble } = await send({
      progress: (share) => setSending({ file: file.name, share, abort }),
      signal: abort.signal,
    });
    setSending(null);
    if (trouble !== null && !abort.signal.aborted) setTrouble(trouble);
    return data;
  };
  const bringProjects = async (files: File[]) => {
    for (const file of files) {
      const made = await sent(file, (sending) => sendProject(file, sending));
      if (!made) return;
      open(made.id);
    }
  };
  const bringMeshes = async (meshes: File[], beside: File[], choices: ImportChoices) => {
    setChosen(null);
    let goal = project;
    const reports: Schemas["ImportReport"][] = [];
    for (const file of meshes) {
      const report = await sent(file, (sending) =>
        sendMesh(file, besideOf(file, meshes, beside), goal, choices, sending),
      );
      if (!report) return;
      if (goal === null) open(report.project);
      goal = report.project;
      reports.push(report);
      // The workbench clears what it knows when it opens; the report comes after that.
      requestAnimationFrame(() => requestAnimationFrame(() => set({ reports: [...reports], area: "gather" })));
    }
  };
  const choose = useCallback(() => picker.current?.click(), []);
  const drag = (event: DragEvent, is: boolean) => {
    if (!event.dataTransfer.types.includes("Files")) return;
    event.preventDefault();
    setOver(is);
  };
  return (
    <Box
      sx={{ height: 1 }}
      onDragOver={(event) => drag(event, true)}
      onDragLeave={(event) => {
        if (event.relatedTarget === null) setOver(false);
      }}
      onDrop={(event) => {
        drag(event, false);
        void filesOf(event.dataTransfer).then(take);
      }}>
      {project === null ? (
        <Shelf open={open} onBring={choose} />
      ) : (
        <Workbench key={project} id={project} close={() => open(null)} onBring={choose} />
      )}
      <input
        ref={picker}
        type="file"
        accept={accepted}
        multiple
        hidden
        data-test="file"
        onChange={(event) => take(event.target.files)}
      />
      {over && (
        <Box
          sx={{
            position: "fixed",
            inset: 10,
            zIndex: 2000,
            border: "3px dotted",
            borderColor: "primary.main",
            borderRadius: 4,
            bgcolor: "color-mix(in srgb, var(--mui-palette-background-default) 82%, transparent)",
            display: "grid",
            placeItems: "center",
            pointerEvents: "none",
          }}>
          <Typography variant="h1">{project === null ? "Drop to begin a project" : "Drop to bring it in"}</Typography>
        </Box>
      )}
      {chosen && (
        <ImportDialog
          files={chosen}
          fresh={project === null || parts === 0}
          onBring={(meshes, beside, choices) => void bringMeshes(meshes, beside, choices)}
          onClose={() => setChosen(null)}
        />
      )}
      <Dialog open={sending !== null} maxWidth="xs" fullWidth>
        <DialogTitle>Bringing in {sending?.file}</DialogTitle>
        <DialogContent>
          <LinearProgress
            variant={(sending?.share ?? 0) < 1 ? "determinate" : "indeterminate"}
            value={(sending?.share ?? 0) * 100}
          />
          <Typography variant="body2" color="textSecondary" sx={{ mt: 1 }}>
            {(sending?.share ?? 0) < 1 ? "Sending the file" : "Reading and checking the mesh"}
          </Typography>
        </DialogContent>
        <DialogActions>
          <Button color="inherit" onClick={() => sending?.abort.abort()} disabled={(sending?.share ?? 0) >= 1}>
            Cancel
          </Button>
        </DialogActions>
      </Dialog>
      <Dialog open={trouble !== null} onClose={() => setTrouble(null)} maxWidth="sm" data-test="trouble">
        <DialogTitle>The file was not brought in</DialogTitle>
        <DialogContent>
          <Typography>{trouble}</Typography>
          <Typography variant="body2" color="textSecondary" sx={{ mt: 1.5 }}>
            Nothing was changed.
          </Typography>
        </DialogContent>
        <DialogActions>
          <Button onClick={() => setTrouble(null)} variant="contained">
            Close
          </Button>
        </DialogActions>
      </Dialog>
      <Snackbar
        open={said !== null}
        autoHideDuration={said?.bad ? 9000 : 4000}
        onClose={(_, reason) => {
          if (reason !== "clickaway") set({ said: null });
        }}
        anchorOrigin={{ vertical: "bottom", horizontal: "center" }}>
        <Alert
          severity={said?.bad ? "error" : "success"}
          variant="filled"
          data-test="said"
          onClose={() => set({ said: null })}>
          {said?.text}
        </Alert>
      </Snackbar>
      <Snackbar open={notice !== null} anchorOrigin={{ vertical: "top", horizontal: "center" }}>
        <Alert severity="error" variant="filled" data-test="notice" onClose={() => set({ notice: null })}>
          {notice}
        </Alert>
      </Snackbar>
    </Box>
  );
}

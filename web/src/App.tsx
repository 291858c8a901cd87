// Shelf or workbench, and bringing files in, which works on both.
import { Alert, Box, Button, Dialog, DialogActions, DialogContent, DialogTitle, LinearProgress, Snackbar, Typography } from "@mui/material";
import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState, type DragEvent } from "react";
import { sendFile } from "./api/client";
import { Shelf } from "./Shelf";
import { set, useApp } from "./state";
import { Workbench } from "./Workbench";

function projectOfAddress(): number | null {
  const found = /^#\/project\/(\d+)$/.exec(location.hash)?.[1];
  return found ? Number(found) : null;
}

interface Sending {
  file: string;
  share: number;
  abort: AbortController;
}

export function App() {
  const [project, setProject] = useState(projectOfAddress);
  const [sending, setSending] = useState<Sending | null>(null);
  const [trouble, setTrouble] = useState<string | null>(null);
  const [over, setOver] = useState(false);
  const picker = useRef<HTMLInputElement>(null);
  const said = useApp((state) => state.said);
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

  const bring = async (files: FileList | null) => {
    let goal = project;
    for (const file of Array.from(files ?? [])) {
      const abort = new AbortController();
      setSending({ file: file.name, share: 0, abort });
      try {
        const report = await sendFile(file, goal, (share) => setSending({ file: file.name, share, abort }), abort.signal);
        if (goal === null) open(report.project);
        goal = report.project;
        // The workbench clears what it knows when it opens; the report comes after that.
        requestAnimationFrame(() => requestAnimationFrame(() => set({ report, area: "gather" })));
      } catch (error) {
        if (!(error instanceof DOMException)) setTrouble(error instanceof Error ? error.message : String(error));
        break;
      } finally {
        setSending(null);
      }
    }
    if (picker.current) picker.current.value = "";
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
        void bring(event.dataTransfer.files);
      }}
    >
      {project === null ? <Shelf open={open} onBring={choose} /> : <Workbench key={project} id={project} close={() => open(null)} onBring={choose} />}
      <input ref={picker} type="file" accept=".ply,.glb" multiple hidden data-test="file" onChange={(event) => void bring(event.target.files)} />
      {over && (
        <Box sx={{ position: "fixed", inset: 10, zIndex: 2000, border: "3px dotted", borderColor: "primary.main", borderRadius: 4, bgcolor: "color-mix(in srgb, var(--mui-palette-background-default) 82%, transparent)", display: "grid", placeItems: "center", pointerEvents: "none" }}>
          <Typography variant="h1">{project === null ? "Drop to begin a project" : "Drop to bring it in"}</Typography>
        </Box>
      )}
      <Dialog open={sending !== null} maxWidth="xs" fullWidth>
        <DialogTitle>Bringing in {sending?.file}</DialogTitle>
        <DialogContent>
          <LinearProgress variant={(sending?.share ?? 0) < 1 ? "determinate" : "indeterminate"} value={(sending?.share ?? 0) * 100} />
          <Typography variant="body2" color="textSecondary" sx={{ mt: 1 }}>{(sending?.share ?? 0) < 1 ? "Sending the file" : "Reading and checking the mesh"}</Typography>
        </DialogContent>
        <DialogActions><Button color="inherit" onClick={() => sending?.abort.abort()} disabled={(sending?.share ?? 0) >= 1}>Cancel</Button></DialogActions>
      </Dialog>
      <Dialog open={trouble !== null} onClose={() => setTrouble(null)} maxWidth="sm" data-test="trouble">
        <DialogTitle>The file was not brought in</DialogTitle>
        <DialogContent>
          <Typography>{trouble}</Typography>
          <Typography variant="body2" color="textSecondary" sx={{ mt: 1.5 }}>Nothing was changed.</Typography>
        </DialogContent>
        <DialogActions><Button onClick={() => setTrouble(null)} variant="contained">Close</Button></DialogActions>
      </Dialog>
      <Snackbar open={said !== null} autoHideDuration={said?.bad ? 9000 : 4000} onClose={(_, reason) => { if (reason !== "clickaway") set({ said: null }); }} anchorOrigin={{ vertical: "bottom", horizontal: "center" }}>
        <Alert severity={said?.bad ? "error" : "success"} variant="filled" onClose={() => set({ said: null })}>{said?.text}</Alert>
      </Snackbar>
    </Box>
  );
}

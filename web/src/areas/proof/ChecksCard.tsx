// What is wrong, or will be, for whoever receives it: with its place, why it matters, and what mends it.
import { Box, Button, Paper, TextField, Typography } from "@mui/material";
import { useEffect, useState } from "react";
import type { Schemas } from "../../api/client";
import { checksOf, newWord } from "../../api/writes";
import { set, useApp } from "../../model/state";
import type { Area } from "../../model/choices";
import { count } from "../../model/words";
import type { Project } from "../../project/project";
import { Choose } from "../../widgets/rows";
import { useShare, Working } from "../../widgets/waiting";

type Finding = Schemas["CheckFinding"];
type Target = Schemas["CheckTarget"];

const targets = [
  ["shader", "a shader"],
  ["spools", "a printer with several spools"],
  ["full_color", "a printer in full color"],
  ["archive", "an archive"],
] as const satisfies readonly (readonly [Target, string])[];

/** How long a project rests before it is checked anew, in milliseconds. */
const REST = 600;

const titles: Record<Area, string> = {
  gather: "Gather",
  bake: "Bake",
  paint: "Paint",
  proof: "Proof",
  layers: "Layers",
  deliver: "Deliver",
};

export function ChecksCard({ project }: { project: Project }) {
  const [target, setTarget] = useState<Target>("shader");
  const revision = useApp((state) => state.history.revision);
  const [found, setFound] = useState<Finding[] | null>(null);
  const [trouble, setTrouble] = useState<string | null>(null);
  const [work, setWork] = useState<string | null>(null);
  const share = useShare(work);
  useEffect(() => {
    const own = new AbortController();
    const timer = setTimeout(() => {
      const word = newWord();
      setWork(word);
      void checksOf(project.id, target, { signal: own.signal, work: word }).then(({ data, trouble }) => {
        if (own.signal.aborted) return;
        setWork(null);
        setFound(data);
        setTrouble(trouble);
      });
    }, REST);
    return () => {
      clearTimeout(timer);
      own.abort();
      setWork(null);
    };
  }, [project, target, revision]);
  useEffect(() => () => project.stage.showPlaces(null), [project]);
  const told = found?.filter((finding) => finding.silenced == null) ?? [];
  const left = found?.filter((finding) => finding.silenced != null) ?? [];
  return (
    <Paper variant="outlined" component="section" aria-label="Checks" sx={{ p: 1.75, borderRadius: 4 }}>
      <Box sx={{ display: "flex", alignItems: "baseline" }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          Checks
        </Typography>
        <Typography variant="body2" color="textSecondary" data-test="checks-said">
          {found === null ? "" : told.length === 0 ? "nothing found" : `${count(told.length)} found`}
        </Typography>
      </Box>
      <Choose label="Goes to" value={target} options={targets} onChange={setTarget} />
      {trouble && (
        <Typography variant="body2" sx={{ color: "error.main" }}>
          {trouble}
        </Typography>
      )}
      {work !== null && found === null && <Working busy share={share} onCancel={null} />}
      {told.map((finding) => (
        <FindingRow key={finding.key} finding={finding} project={project} />
      ))}
      {left.length > 0 && (
        <Typography variant="caption" color="textSecondary" component="p" sx={{ mt: 1 }}>
          Left as they are
        </Typography>
      )}
      {left.map((finding) => (
        <Box
          key={finding.key}
          data-test="silenced"
          sx={{ display: "flex", alignItems: "center", gap: 1, opacity: 0.75 }}>
          <Typography variant="caption" sx={{ flex: 1 }}>
            {finding.says}: {finding.silenced}
          </Typography>
          <Button
            size="small"
            color="inherit"
            onClick={() => void project.edit({ type: "silence_check", key: finding.key, reason: null })}
            sx={{ py: 0, minWidth: 0 }}>
            Tell again
          </Button>
        </Box>
      ))}
      <Button
        component="a"
        href={`/api/v1/projects/${project.id}/report?${new URLSearchParams({ for: target })}`}
        download
        size="small"
        color="secondary"
        data-test="report">
        All of it on one page
      </Button>
    </Paper>
  );
}

function FindingRow({ finding, project }: { finding: Finding; project: Project }) {
  const [reason, setReason] = useState<string | null>(null);
  const { remedy, place } = finding;
  const show = () => {
    if (finding.part != null) set({ part: finding.part });
    if (place) project.stage.lookAt(place);
  };
  const leave = () => {
    void project.edit({ type: "silence_check", key: finding.key, reason });
    setReason(null);
  };
  return (
    <Box data-test="finding" sx={{ borderTop: 1, borderColor: "divider", borderTopStyle: "dashed", py: 0.75 }}>
      <Typography variant="body2" sx={{ fontWeight: 700 }}>
        {finding.says.charAt(0).toUpperCase() + finding.says.slice(1)}
      </Typography>
      <Typography variant="caption" color="textSecondary" component="p">
        {finding.why}
      </Typography>
      <Box sx={{ display: "flex", gap: 0.5 }}>
        {remedy?.kind === "edit" && (
          <Button
            size="small"
            color="secondary"
            data-test="remedy"
            onClick={() => void project.edit(remedy.edit)}
            sx={{ py: 0, minWidth: 0 }}>
            {remedy.label}
          </Button>
        )}
        {remedy?.kind === "by_hand" && remedy.area !== "proof" && (
          <Button size="small" color="secondary" onClick={() => set({ area: remedy.area })} sx={{ py: 0, minWidth: 0 }}>
            Mend it in {titles[remedy.area]}
          </Button>
        )}
        {place && (
          <Button size="small" color="inherit" data-test="show-finding" onClick={show} sx={{ py: 0, minWidth: 0 }}>
            Show
          </Button>
        )}
        <Button
          size="small"
          color="inherit"
          data-test="leave"
          onClick={() => setReason(reason === null ? "" : null)}
          sx={{ py: 0, minWidth: 0, ml: "auto" }}>
          Leave it…
        </Button>
      </Box>
      {reason !== null && (
        <Box sx={{ display: "flex", gap: 1, mt: 0.5 }}>
          <TextField
            size="small"
            fullWidth
            autoFocus
            placeholder="Why it is meant to be so"
            value={reason}
            onChange={(event) => setReason(event.target.value)}
            onKeyDown={(event) => {
              event.stopPropagation();
              if (event.key === "Enter" && reason.trim()) leave();
              if (event.key === "Escape") setReason(null);
            }}
            slotProps={{ htmlInput: { "aria-label": "Why it is meant to be so", maxLength: 200 } }}
          />
          <Button size="small" disabled={!reason.trim()} data-test="leave-it" onClick={leave}>
            Leave it
          </Button>
        </Box>
      )}
    </Box>
  );
}

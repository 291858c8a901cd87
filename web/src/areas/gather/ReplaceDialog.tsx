// Other colors or another shape for a part, from a file: looked at first, so that what will happen is
// known before it does.
import {
  Alert,
  Box,
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  LinearProgress,
  MenuItem,
  TextField,
  Typography,
} from "@mui/material";
import { useRef, useState } from "react";
import type { Schemas } from "../../api/client";
import { sendReplacement, type ReplacementChoices } from "../../api/writes";
import { filesOf } from "../../widgets/dropped";
import { unitWord, units } from "../../model/units";
import type { Project } from "../../project/project";
import { set, useApp, type Part } from "../../model/state";
import { count, figure, symbols } from "../../model/words";
import { Origin } from "./Reports";

/** Meshes further apart than this share of the part's size are hardly meant for each other. */
const ELSEWHERE = 0.05;

const placements = { vertex: "per vertex", corner: "per corner", face: "per face" } as const;

interface Props {
  part: Part;
  what: "colors" | "shape";
  project: Project;
  onClose: () => void;
}

export function ReplaceDialog({ part, what, project, onClose }: Props) {
  const picker = useRef<HTMLInputElement>(null);
  const [files, setFiles] = useState<File[]>([]);
  const [choices, setChoices] = useState<ReplacementChoices>({});
  const [seen, setSeen] = useState<Schemas["Replacement"] | null>(null);
  const [trouble, setTrouble] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const unit = useApp((state) => symbols[state.traits.unit]);
  const [file, ...beside] = files;
  const asked = useRef(0);
  /** Asks what would happen; only the last answer counts. */
  const look = async (files: File[], choices: ReplacementChoices) => {
    const [file, ...beside] = files;
    if (!file) return;
    const own = ++asked.current;
    setFiles(files);
    setChoices(choices);
    setBusy(true);
    const { data, trouble } = await sendReplacement(project.id, part.id, file, beside, {
      ...choices,
      what,
      look: true,
    });
    if (own !== asked.current) return;
    setBusy(false);
    if (data) setSeen(data);
    setTrouble(trouble);
  };
  const turn = (change: ReplacementChoices) => void look(files, { ...choices, ...change });
  const replace = async () => {
    if (!file) return;
    setBusy(true);
    const { trouble } = await sendReplacement(project.id, part.id, file, beside, { ...choices, what, look: false });
    setBusy(false);
    setTrouble(trouble);
    if (trouble !== null) return;
    set({
      said: {
        bad: false,
        text: `${what === "colors" ? "The colors" : "The shape"} of ${part.name} ${what === "colors" ? "are" : "is"} the file's now. Undo brings back what was.`,
      },
    });
    onClose();
  };
  const take = (list: Iterable<File> | null) => {
    const chosen = Array.from(list ?? []);
    if (chosen.length === 0) return;
    setSeen(null);
    void look(chosen, {});
  };
  return (
    <Dialog
      open
      onClose={onClose}
      maxWidth="sm"
      fullWidth
      data-test="replace"
      onKeyDown={(event) => event.stopPropagation()}
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        event.stopPropagation();
        void filesOf(event.dataTransfer).then(take);
      }}>
      <DialogTitle>
        {what === "colors" ? `Other colors for ${part.name}` : `Another shape for ${part.name}`}
      </DialogTitle>
      <DialogContent sx={{ display: "grid", gap: 1.5 }}>
        <Typography variant="body2" color="textSecondary">
          {what === "colors"
            ? "The file's sets are laid over those of the same name; locked channels stay, and the mesh stays."
            : "The file's mesh takes the place of this one. Everything painted, masks and recipes are taken over to it."}
        </Typography>
        <Box sx={{ display: "flex", alignItems: "center", gap: 1.5 }}>
          <Button variant="outlined" onClick={() => picker.current?.click()} autoFocus>
            {file ? "Another file…" : "Choose a file…"}
          </Button>
          <Typography variant="body2" noWrap>
            {file ? [file, ...beside].map((each) => each.name).join(", ") : "or drop one here"}
          </Typography>
          <input
            ref={picker}
            type="file"
            multiple
            hidden
            data-test="replacement-file"
            onChange={(event) => take(event.target.files)}
          />
        </Box>
        <LinearProgress sx={{ visibility: busy ? "visible" : "hidden" }} />
        {trouble && (
          <Alert severity="error" data-test="replace-trouble">
            {trouble}
          </Alert>
        )}
        {file && (seen ?? trouble) && (
          <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1.25 }}>
            {seen && seen.parts.length > 1 && (
              <TextField
                select
                size="small"
                label="Its part"
                value={choices.from ?? seen.from}
                onChange={(event) => turn({ from: event.target.value })}>
                {[...new Set(seen.parts)].map((name) => (
                  <MenuItem key={name} value={name}>
                    {name}
                  </MenuItem>
                ))}
              </TextField>
            )}
            <TextField
              select
              size="small"
              label="Matched by"
              value={choices.matching ?? "auto"}
              onChange={(event) =>
                turn({
                  matching: event.target.value === "auto" ? undefined : (event.target.value as "index" | "nearest"),
                })
              }>
              <MenuItem value="auto">
                whichever fits
                {seen && !choices.matching ? `: ${seen.report.matching === "index" ? "order" : "place"}` : ""}
              </MenuItem>
              <MenuItem value="index">order, corner by corner</MenuItem>
              <MenuItem value="nearest">place, the nearest surface</MenuItem>
            </TextField>
            <TextField
              select
              size="small"
              label="One step of its numbers is a"
              value={choices.unit ?? seen?.traits.unit ?? "millimetre"}
              onChange={(event) => turn({ unit: event.target.value as Schemas["Unit"] })}>
              {units.map((each) => (
                <MenuItem key={each} value={each}>
                  {unitWord(each)}
                </MenuItem>
              ))}
            </TextField>
            <TextField
              select
              size="small"
              label="Up is"
              value={choices.up ?? seen?.traits.up ?? "y"}
              onChange={(event) => turn({ up: event.target.value as "y" | "z" })}>
              <MenuItem value="y">+Y</MenuItem>
              <MenuItem value="z">+Z</MenuItem>
            </TextField>
          </Box>
        )}
        {seen && <Seen seen={seen} part={part} what={what} unit={unit} />}
      </DialogContent>
      <DialogActions>
        <Button color="inherit" onClick={onClose}>
          Cancel
        </Button>
        <Button
          variant="contained"
          disabled={!seen || busy || trouble !== null}
          onClick={() => void replace()}
          data-test="replace-now">
          Replace
        </Button>
      </DialogActions>
    </Dialog>
  );
}

/** What will happen, in words and numbers. */
function Seen({
  seen,
  part,
  what,
  unit,
}: {
  seen: Schemas["Replacement"];
  part: Part;
  what: "colors" | "shape";
  unit: string;
}) {
  const { report, reasons } = seen;
  const far = report.max_distance > 0;
  const size = Math.hypot(
    ...part.max.map((high, i) => (high - (part.min[i] ?? 0)) * Math.abs(part.transform.scale?.[i] ?? 1)),
  );
  const isElsewhere = report.mean_distance > ELSEWHERE * size;
  return (
    <Box data-test="replacement" sx={{ display: "grid", gap: 0.75 }}>
      <Typography variant="body2">
        Matched by{" "}
        {report.matching === "index" ? "order, corner by corner" : "place, each to the nearest point of the surface"}:{" "}
        {far
          ? `at most ${figure(report.max_distance)} ${unit} apart, ${figure(report.mean_distance)} ${unit} in the mean`
          : "every point lies where it lay"}
        .
      </Typography>
      {isElsewhere && (
        <Alert severity="warning" sx={{ py: 0 }} data-test="elsewhere">
          The two hardly lie on each other: are unit and axis right, and is it the right part?
        </Alert>
      )}
      {what === "shape" && (
        <Typography variant="body2">
          {count(report.faces[0] ?? 0)} faces become {count(report.faces[1] ?? 0)}.
        </Typography>
      )}
      {report.sets.map((each) => (
        <Typography key={each.from} variant="body2">
          <b>{each.name}</b>
          {each.from !== each.name && ` from ${each.from}`}
          {each.is_new
            ? ": new"
            : what === "shape"
              ? ": taken over"
              : `: ${count(each.changed)} of ${count(each.of)} change`}
          {each.was && (
            <Box component="span" sx={{ color: "warning.main" }}>
              , held {placements[each.placement]} from now on, since corners of a {each.was} differ
            </Box>
          )}
        </Typography>
      ))}
      {seen.origin ? (
        <Origin origin={seen.origin} />
      ) : (
        <Typography variant="caption" color="textSecondary">
          The file does not say which project it comes from, nor when.
        </Typography>
      )}
      <Typography variant="caption" color="textSecondary">
        Its numbers are read{" "}
        {reasons.unit === reasons.up ? reasons.unit : `in the unit ${reasons.unit}, with up ${reasons.up}`}.
      </Typography>
      {[...seen.repairs.map((repair) => repair.message), ...seen.notes].map((line, i) => (
        <Typography key={i} variant="caption" color="textSecondary">
          {line}
        </Typography>
      ))}
    </Box>
  );
}

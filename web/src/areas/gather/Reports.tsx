// What an import did: how the numbers were taken and why, what came in, what was mended or left out.
import { Box, Button, MenuItem, Paper, Select, Tooltip, Typography } from "@mui/material";
import { useEffect, useRef } from "react";
import type { Schemas } from "../../api/client";
import { unitWord, units } from "../../model/units";
import type { Project } from "../../project/project";
import { set, useApp } from "../../model/state";
import { count, counted } from "../../model/words";

export function Reports({ project }: { project: Project }) {
  const reports = useApp((state) => state.reports);
  const top = useRef<HTMLDivElement>(null);
  // The sheet may have been scrolled to its end: a report is there to be read.
  // What it gives is no cleanup: browsers that tell when they have scrolled give a promise.
  useEffect(() => {
    top.current?.scrollIntoView({ block: "nearest" });
  }, [reports]);
  const close = () => {
    project.stage.showPlaces(null);
    set({ reports: [] });
  };
  return (
    <Paper
      ref={top}
      variant="outlined"
      component="section"
      aria-label="Import report"
      data-test="report"
      sx={{ p: 1.75, borderRadius: 4 }}>
      <Box sx={{ display: "flex", alignItems: "baseline" }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          Brought in
        </Typography>
        <Button size="small" color="inherit" onClick={close}>
          Close
        </Button>
      </Box>
      {reports.map((report, i) => (
        <Report key={i} nth={i} report={report} project={project} />
      ))}
    </Paper>
  );
}

function Report({ report, nth, project }: { report: Schemas["ImportReport"]; nth: number; project: Project }) {
  const parts = useApp((state) => state.parts);
  const clean = report.repairs.length === 0 && report.notes.length === 0;
  const show = (repair: Schemas["Repair"]) => {
    const part = parts.find((each) => each.name === repair.part) ?? parts.at(-1);
    if (part) project.stage.showPlaces(part.id, (repair.places ?? []).flat());
  };
  const list = (title: string, notice: boolean) => {
    const those = report.repairs.filter((repair) => (repair.notice ?? false) === notice);
    if (those.length === 0) return null;
    return (
      <>
        <Typography variant="h3" sx={{ mt: 1.25 }}>
          {title}
        </Typography>
        {those.map((repair, i) => (
          <Box key={i} sx={{ display: "flex", alignItems: "flex-start", gap: 1 }}>
            <Typography variant="body2" sx={{ flex: 1 }}>
              {report.parts.length > 1 && <b>{repair.part}: </b>}
              {repair.message}
            </Typography>
            {(repair.places?.length ?? 0) > 0 && (
              <Tooltip title="Mark the places on the model">
                <Button
                  size="small"
                  color="secondary"
                  data-test="show-places"
                  onClick={() => show(repair)}
                  sx={{ py: 0, minHeight: 24 }}>
                  Show
                </Button>
              </Tooltip>
            )}
          </Box>
        ))}
      </>
    );
  };
  return (
    <Box
      sx={nth > 0 ? { mt: 1.25, pt: 1.25, borderTop: 1, borderColor: "divider", borderTopStyle: "dashed" } : undefined}>
      <Typography variant="body2" color="textSecondary" sx={{ wordBreak: "break-word" }}>
        {report.file}
      </Typography>
      <Reading report={report} nth={nth} project={project} />
      {report.origin && <Origin origin={report.origin} />}
      {report.parts.map((part) => (
        <Typography key={part.id} variant="body2" sx={{ mt: 0.75 }}>
          <b>{part.name}</b>: {counted(part.vertices, "vertex", "vertices")}, {counted(part.faces, "face", "faces")},{" "}
          {part.sets.length > 0 ? `sets ${part.sets.join(", ")}` : "no color set"}
          {part.selections > 0 && `, ${part.selections} named selections`}
        </Typography>
      ))}
      {list("Mended", false)}
      {list("Noticed, and left as it is", true)}
      {report.notes.length > 0 && (
        <Typography variant="h3" sx={{ mt: 1.25 }}>
          In the file, not kept
        </Typography>
      )}
      {report.notes.map((note, i) => (
        <Typography key={i} variant="body2">
          {note}
        </Typography>
      ))}
      {clean && (
        <Typography variant="body2" color="success" sx={{ mt: 1 }}>
          ✓ Nothing had to be mended or left out.
        </Typography>
      )}
    </Box>
  );
}

/** What the numbers were taken for, why, and the way to say otherwise. */
function Reading({ report, nth, project }: { report: Schemas["ImportReport"]; nth: number; project: Project }) {
  const there = useApp((state) => state.parts);
  const { traits, reasons } = report;
  const ids = report.parts.map((part) => part.id).filter((id) => there.some((part) => part.id === id));
  const correct = async (change: Partial<Schemas["ProjectTraits"]>) => {
    const meant = { ...traits, ...change };
    // A project that took its unit from the file is what was misread; else the parts were converted wrongly.
    const done = await project.edit(
      report.is_first
        ? { type: "set_project", traits: meant }
        : { type: "convert_parts", parts: ids, taken: traits, meant },
    );
    if (done)
      set({
        reports: useApp
          .getState()
          .reports.map((each, i) =>
            i === nth
              ? { ...each, traits: meant, reasons: { unit: "as you say", up: "as you say", guessed: false } }
              : each,
          ),
      });
  };
  const same = reasons.unit === reasons.up;
  return (
    <Box data-test="reading" sx={{ mt: 0.5 }}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 0.75 }}>
        <Typography variant="body2">Read as</Typography>
        <Select
          variant="standard"
          disableUnderline
          value={traits.unit}
          disabled={ids.length === 0}
          inputProps={{ "aria-label": "The file was in" }}
          onChange={(event) => void correct({ unit: event.target.value as Schemas["Unit"] })}
          sx={{ fontSize: 14, fontWeight: 650 }}>
          {units.map((unit) => (
            <MenuItem key={unit} value={unit} dense>
              {unitWord(unit).toLowerCase()}
            </MenuItem>
          ))}
        </Select>
        <Typography variant="body2">with</Typography>
        <Select
          variant="standard"
          disableUnderline
          value={traits.up}
          disabled={ids.length === 0}
          inputProps={{ "aria-label": "Up in the file was" }}
          onChange={(event) => void correct({ up: event.target.value as Schemas["UpAxis"] })}
          sx={{ fontSize: 14, fontWeight: 650 }}>
          <MenuItem value="y" dense>
            +Y
          </MenuItem>
          <MenuItem value="z" dense>
            +Z
          </MenuItem>
        </Select>
        <Typography variant="body2">up</Typography>
      </Box>
      <Typography variant="caption" component="p" sx={{ color: reasons.guessed ? "warning.main" : "text.secondary" }}>
        {reasons.guessed && <b>A guess. </b>}
        {same ? `Both: ${reasons.unit}.` : `Unit: ${reasons.unit}. Up: ${reasons.up}.`}
      </Typography>
    </Box>
  );
}

/** Where a file says it comes from, and how that stands to what is here. */
export function Origin({ origin }: { origin: Schemas["OriginSays"] }) {
  const changes = Math.abs(origin.since) === 1 ? "one change" : `${count(Math.abs(origin.since))} changes`;
  const text = !origin.is_own
    ? `It was sent from another project, ${origin.project}, on ${origin.date}, at its revision ${origin.revision}.`
    : origin.since === 0
      ? `It was sent from this project on ${origin.date}, and nothing has changed here since.`
      : origin.since > 0
        ? `It is older than what is here: sent from this project on ${origin.date} at revision ${origin.revision}, ${changes} ago.`
        : `It is newer than what is here: sent on ${origin.date} at revision ${origin.revision}, ${changes} further on.`;
  return (
    <Typography
      variant="body2"
      data-test="origin"
      sx={{ mt: 0.5, color: origin.is_own && origin.since > 0 ? "warning.main" : undefined }}>
      {text}
    </Typography>
  );
}

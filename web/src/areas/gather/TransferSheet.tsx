// Colors carried to the active part: from what, how far, what goes where, and what it would do.
import {
  Alert,
  Box,
  Button,
  Checkbox,
  FormControlLabel,
  LinearProgress,
  MenuItem,
  Paper,
  Select,
  TextField,
  Typography,
} from "@mui/material";
import { useEffect, useMemo, useRef, useState } from "react";
import type { Schemas } from "../../api/client";
import { shelfOf, sendTransfer, stepsOf } from "../../api/writes";
import { activePart, set, selectionsOf, snapshotNames, useApp, type Part } from "../../model/state";
import { alongWords, count, figure } from "../../model/words";
import type { Project } from "../../project/project";
import { Choose, Row, Sliding, Switching } from "../../widgets/rows";
import { Align } from "./Align";
import { AlsoOn } from "./AlsoOn";
import { Gap } from "./Gap";
import { TransferTable } from "./TransferTable";
import { Working } from "../../widgets/waiting";
import { differenceUnit } from "./differenceUnit";
import { fromOf, useTransfer, type Chosen, type Rules } from "./transferInHand";

const kinds: readonly (readonly [Chosen["kind"], string])[] = [
  ["parts", "parts of this project"],
  ["snapshot", "a snapshot"],
  ["earlier", "an earlier step"],
  ["project", "another project"],
  ["file", "a file"],
];
const fates = [
  ["stays", "stays as it is"],
  ["is_filled", "is filled in from around"],
] as const;
export function TransferSheet({ project }: { project: Project }) {
  const part = useApp(activePart);
  if (!part)
    return (
      <Paper variant="outlined" component="section" aria-label="Transfer" sx={{ p: 1.75, borderRadius: 4 }}>
        <Typography variant="body2" color="textSecondary">
          There is no part yet that colors could go to. Bring a mesh in first.
        </Typography>
      </Paper>
    );
  return <TransferTo key={part.id} project={project} part={part} />;
}

/** Rules with what is found out by itself. */
const without = (rules: Rules, ...keys: (keyof Rules)[]): Rules =>
  Object.fromEntries(Object.entries(rules).filter(([key]) => !(keys as string[]).includes(key)));

/** Where colors come from at first: what shows on the stage and has some. */
function firstChoice(others: Part[], snapshots: string[]): Chosen {
  const able = others.find((other) => other.visible && other.sets.length > 0) ?? others[0];
  const [snapshot] = snapshots;
  if (able) return { kind: "parts", parts: [able.id] };
  if (snapshot !== undefined) return { kind: "snapshot", name: snapshot };
  return { kind: "file", files: [], part: null };
}

function TransferTo({ project, part }: { project: Project; part: Part }) {
  const parts = useApp((state) => state.parts);
  const others = parts.filter((other) => other.id !== part.id);
  const snapshots = snapshotNames([part]);
  const [chosen, setChosen] = useState<Chosen>(() => firstChoice(others, snapshots));
  const [rules, setRules] = useState<Rules>({});
  const [nth, setNth] = useState(0);
  const [doing, setDoing] = useState(false);
  const [also, setAlso] = useState<number[]>([]);
  const from = fromOf(chosen, part);
  const files = chosen.kind === "file" ? chosen.files : [];
  const order = from.length > 0 && !part.locked ? { from, rules, also } : null;
  const { seen, trouble, busy, share, cancel } = useTransfer(project, part, order, files, nth);
  const turn = (change: Partial<Rules>) => setRules((before) => ({ ...before, ...change }));
  const choose = (next: Chosen) => {
    setChosen(next);
    setNth(0);
    // Another source has other sets, and lies elsewhere.
    setRules(without(rules, "rows", "within"));
  };
  const carry = async () => {
    if (!order) return;
    setDoing(true);
    const { data, trouble } = await sendTransfer(project.id, part.id, order, false, files);
    setDoing(false);
    if (trouble !== null) {
      set({ said: { text: trouble, bad: true } });
      return;
    }
    const { lost, vertices, sets } = data.report;
    if (also.length === 0 && !rules.keep_lost && sets.every((each) => each.changed === 0)) {
      set({ said: { text: `Nothing changed: ${part.name} has what ${data.from} shows already.`, bad: false } });
      return;
    }
    const all =
      lost === 0 ? "every vertex found its place" : `${count(lost)} of ${count(vertices)} vertices found none`;
    const who = also.length > 0 ? `${part.name} and ${count(also.length)} more have` : `${part.name} has`;
    set({ said: { text: `${who} the colors of ${data.from}: ${all}. Undo takes them back.`, bad: false } });
  };
  const groups = [...selectionsOf(part).map((each) => each.name), ...part.selections.map((each) => each.name)];
  const report = seen?.report;
  return (
    <Paper
      variant="outlined"
      component="section"
      aria-label="Transfer"
      data-test="transfer"
      sx={{ p: 1.75, borderRadius: 4 }}
      onKeyDown={(event) => {
        if (!(event.ctrlKey || event.metaKey)) event.stopPropagation();
      }}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1, mb: 0.75 }}>
        <Typography variant="h2" noWrap sx={{ flex: 1, minWidth: 0 }}>
          Colors for {part.name}
        </Typography>
        <Button
          size="small"
          variant="contained"
          data-test="do-transfer"
          title="One step, which undo takes back"
          disabled={!report || busy || doing || trouble !== null}
          onClick={() => void carry()}>
          Transfer
        </Button>
      </Box>
      <Choose
        label="From"
        value={chosen.kind}
        options={kinds}
        onChange={(kind) =>
          choose(
            kind === "parts"
              ? { kind, parts: others.slice(0, 1).map((other) => other.id) }
              : kind === "snapshot"
                ? { kind, name: snapshots[0] ?? "" }
                : kind === "earlier"
                  ? { kind, step: null }
                  : kind === "project"
                    ? { kind, project: null, part: part.name }
                    : { kind, files: [], part: null },
          )
        }
      />
      <From project={project} part={part} others={others} snapshots={snapshots} chosen={chosen} onChoose={choose} />
      {chosen.kind === "file" && seen && seen.parts.length > 1 && (
        <Choose
          label="Its part"
          value={chosen.part ?? ""}
          options={[["", "of the same name, or the first"], ...seen.parts.map((name) => [name, name] as const)]}
          onChange={(name) => choose({ ...chosen, part: name === "" ? null : name })}
        />
      )}
      {part.locked && (
        <Alert severity="warning" sx={{ mt: 1 }}>
          {part.name} is locked: unlock it in the list of parts first.
        </Alert>
      )}
      <Working busy={busy || doing} share={share} onCancel={busy ? cancel : null} />
      {trouble && (
        <Alert severity="error" data-test="transfer-trouble" sx={{ mb: 1 }}>
          {trouble}
        </Alert>
      )}
      {order && (
        <>
          <Choose
            label="Place by"
            value={rules.along ?? "nearest"}
            options={alongWords}
            onChange={(along) => turn({ along })}
          />
          <Gap
            gap={report?.gap ?? null}
            within={rules.within ?? report?.within ?? null}
            onChange={(within) => turn({ within })}
          />
          <Sliding
            label="Angle up to"
            value={rules.angle_degrees ?? 90}
            min={5}
            max={180}
            step={5}
            unit="°"
            onChange={(angle_degrees) => turn({ angle_degrees })}
          />
          {from.length > 1 && (
            <Switching
              label="Blend where several are near"
              on={rules.blend ?? false}
              onChange={(blend) => turn({ blend })}
            />
          )}
          <AlsoOn label="Also to" part={part} also={also} onChange={setAlso} />
          {groups.length > 0 && (
            <Choose
              label="Only in"
              value={rules.only ?? ""}
              options={[["", "the whole part"], ...groups.map((name) => [name, name] as const)]}
              onChange={(only) => setRules(only === "" ? without(rules, "only") : { ...rules, only })}
            />
          )}
          <Choose
            label="What is lost"
            value={rules.lost ?? "stays"}
            options={fates}
            onChange={(lost) => turn({ lost })}
          />
          <Switching
            label="Keep what is lost as a selection"
            on={rules.keep_lost ?? false}
            onChange={(keep_lost) => turn({ keep_lost })}
          />
        </>
      )}
      {seen && report && (
        <>
          <Typography variant="h3" sx={{ mt: 1 }}>
            What goes where
          </Typography>
          <TransferTable
            part={part}
            from={seen.sets}
            proposal={seen.proposal}
            rows={rules.rows ?? report.rows}
            shown={nth}
            onShow={setNth}
            onChange={(rows) => {
              setNth(0);
              turn({ rows });
            }}
          />
          {!trouble && <Findings part={part} from={seen.from} report={report} nth={nth} />}
          {!trouble &&
            seen.also.map((other) => (
              <Typography key={other.part} variant="body2" color="textSecondary">
                {other.part}: {count(other.report.vertices - other.report.lost)} of {count(other.report.vertices)}{" "}
                vertices find their place.
              </Typography>
            ))}
        </>
      )}
    </Paper>
  );
}

/** What it would do, in figures. */
function Findings({
  part,
  from,
  report,
  nth,
}: {
  part: Part;
  from: string;
  report: Schemas["TransferReport"];
  nth: number;
}) {
  const row = report.sets[nth] ?? report.sets[0];
  const found = report.vertices - report.lost;
  return (
    <Box sx={{ mt: 1 }} data-test="transfer-findings">
      <Typography variant="body2">
        <b>{count(found)}</b> of {count(report.vertices)} vertices find their place on {from}
        {report.lost > 0 && (
          <Box component="span" sx={{ color: "warning.main", fontWeight: 700 }}>
            , {count(report.lost)} are lost
          </Box>
        )}
        .{report.averaged > 0 && ` The source is finer at ${count(report.averaged)}: they take the mean of their area.`}
      </Typography>
      {row && !row.is_new && (
        <Typography variant="body2" color="textSecondary">
          {row.name} changes in {count(row.changed)} of {count(row.of)}: by {figure(row.mean)} in the mean, 95 % by{" "}
          {figure(row.most_of_them)} at most, {figure(row.most)} where most ({differenceUnit(part, row.name)}).
        </Typography>
      )}
      {row?.is_new && (
        <Typography variant="body2" color="textSecondary">
          {row.name} becomes a new set.
        </Typography>
      )}
    </Box>
  );
}

interface FromProps {
  project: Project;
  part: Part;
  others: Part[];
  snapshots: string[];
  chosen: Chosen;
  onChoose: (chosen: Chosen) => void;
}

/** What colors come from, by its kind. */
function From({ project, part, others, snapshots, chosen, onChoose }: FromProps) {
  const words = (text: string) => (
    <Typography variant="body2" color="textSecondary" sx={{ py: 0.5 }}>
      {text}
    </Typography>
  );
  switch (chosen.kind) {
    case "parts": {
      if (others.length === 0)
        return words("The project has no other part. Bring one in, or take a snapshot, an earlier step or a file.");
      const turn = (id: number, on: boolean) =>
        onChoose({ kind: "parts", parts: on ? [...chosen.parts, id] : chosen.parts.filter((other) => other !== id) });
      const [only] = chosen.parts;
      return (
        <Box>
          {others.map((other) => (
            <FormControlLabel
              key={other.id}
              sx={{ display: "flex", ml: -0.5, minHeight: 28 }}
              control={
                <Checkbox
                  size="small"
                  sx={{ p: 0.25 }}
                  checked={chosen.parts.includes(other.id)}
                  disabled={other.sets.length === 0}
                  onChange={(event) => turn(other.id, event.target.checked)}
                />
              }
              label={
                <Typography variant="body2">
                  {other.name}{" "}
                  <Typography component="span" variant="caption" color="textSecondary">
                    {other.sets.length === 0 ? "has no set" : `${count(other.vertices)} v`}
                  </Typography>
                </Typography>
              }
            />
          ))}
          {chosen.parts.length === 1 && only !== undefined && <Align project={project} part={part} source={only} />}
        </Box>
      );
    }
    case "snapshot":
      if (snapshots.length === 0) return words("There is no snapshot yet. Take one in Paint, under Views.");
      return (
        <Choose
          label="Snapshot"
          value={chosen.name}
          options={snapshots.map((name) => [name, name] as const)}
          onChange={(name) => onChoose({ kind: "snapshot", name })}
        />
      );
    case "earlier":
      return <Steps project={project} step={chosen.step} onChoose={(step) => onChoose({ kind: "earlier", step })} />;
    case "project":
      return <OtherProject project={project} chosen={chosen} onChoose={onChoose} />;
    case "file":
      return <FromFile files={chosen.files} onChoose={(files) => onChoose({ kind: "file", files, part: null })} />;
  }
}

function Steps({
  project,
  step,
  onChoose,
}: {
  project: Project;
  step: number | null;
  onChoose: (step: number | null) => void;
}) {
  const [steps, setSteps] = useState<Schemas["HistoryStep"][] | null>(null);
  const revision = useApp((state) => state.history.revision);
  useEffect(() => {
    let isWanted = true;
    void stepsOf(project.id).then(({ data, trouble }) => {
      if (!isWanted) return;
      if (trouble !== null) set({ said: { text: trouble, bad: true } });
      else {
        setSteps(data);
        // One that was undone is nowhere any more.
        if (step !== null && !data.some((each) => each.number === step)) onChoose(null);
      }
    });
    return () => {
      isWanted = false;
    };
    // What was chosen is looked at when the history changes, not the other way round.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [project.id, revision]);
  if (steps === null) return <LinearProgress />;
  return (
    <Row label="As it was after">
      <Select
        variant="standard"
        disableUnderline
        fullWidth
        displayEmpty
        value={step ?? ""}
        onChange={(event) => onChoose(Number(event.target.value))}
        inputProps={{ "aria-label": "As it was after" }}
        MenuProps={{ slotProps: { paper: { sx: { maxHeight: 420 } } } }}
        sx={{ fontSize: 13, fontWeight: 600 }}>
        <MenuItem value="" disabled dense>
          choose a step
        </MenuItem>
        {steps.map((each) => (
          <MenuItem key={each.number} value={each.number} dense>
            {each.number} · {each.label}
          </MenuItem>
        ))}
      </Select>
    </Row>
  );
}

function OtherProject({
  project,
  chosen,
  onChoose,
}: {
  project: Project;
  chosen: Extract<Chosen, { kind: "project" }>;
  onChoose: (chosen: Chosen) => void;
}) {
  const [projects, setProjects] = useState<{ id: number; name: string }[] | null>(null);
  useEffect(() => {
    let isWanted = true;
    void shelfOf().then(({ data }) => {
      if (isWanted && data) setProjects(data.projects.filter((other) => other.id !== project.id));
    });
    return () => {
      isWanted = false;
    };
  }, [project.id]);
  const names = useMemo(() => projects ?? [], [projects]);
  const [typed, setTyped] = useState(chosen.part);
  return (
    <>
      <Choose
        label="Project"
        value={chosen.project === null ? "" : String(chosen.project)}
        options={[["", "choose one"], ...names.map(({ id, name }) => [String(id), name] as const)]}
        onChange={(id) => onChoose({ ...chosen, project: id === "" ? null : Number(id) })}
      />
      <Row label="Its part">
        <TextField
          size="small"
          variant="standard"
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
          onBlur={() => onChoose({ ...chosen, part: typed.trim() })}
          onKeyDown={(event) => {
            if (event.key === "Enter") onChoose({ ...chosen, part: typed.trim() });
          }}
          slotProps={{ htmlInput: { "aria-label": "Its part" } }}
        />
      </Row>
    </>
  );
}

function FromFile({ files, onChoose }: { files: File[]; onChoose: (files: File[]) => void }) {
  const picker = useRef<HTMLInputElement>(null);
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 1, py: 0.5 }}>
      <Button size="small" variant="outlined" onClick={() => picker.current?.click()} sx={{ flexShrink: 0 }}>
        {files.length > 0 ? "Another file…" : "Choose a file…"}
      </Button>
      <Typography variant="body2" noWrap color="textSecondary">
        {files.length > 0 ? files.map((file) => file.name).join(", ") : "read for this alone"}
      </Typography>
      <input
        ref={picker}
        type="file"
        multiple
        hidden
        data-test="transfer-file"
        onChange={(event) => onChoose(Array.from(event.target.files ?? []))}
      />
    </Box>
  );
}

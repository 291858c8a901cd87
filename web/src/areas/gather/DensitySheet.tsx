// Fewer triangles for the active part: how far, what weighs in, and what it would cost.
import { Alert, Box, Button, Paper, Typography } from "@mui/material";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { sendDecimation } from "../../api/writes";
import { activePart, set, useApp, type Part } from "../../model/state";
import { count, figure, symbols } from "../../model/words";
import type { Project } from "../../project/project";
import { Choose, Sliding, Switching } from "../../widgets/rows";
import { useLighter, type Rules } from "./lighterInHand";
import { differenceUnit, Working } from "./Working";

const goals = [
  ["share", "a share of the triangles"],
  ["count", "so many triangles"],
  ["error", "as near as"],
] as const;
const fates = [
  ["place", "in its place"],
  ["beside", "as a copy beside it"],
] as const;

export function DensitySheet({ project }: { project: Project }) {
  const part = useApp(activePart);
  return (
    <Paper
      variant="outlined"
      component="section"
      aria-label="Density"
      data-test="density"
      sx={{ p: 1.75, borderRadius: 4 }}
      onKeyDown={(event) => {
        if (!(event.ctrlKey || event.metaKey)) event.stopPropagation();
      }}>
      {part ? (
        <Decimate key={part.id} project={project} part={part} />
      ) : (
        <Typography variant="body2" color="textSecondary">
          There is no part yet. Bring a mesh in first.
        </Typography>
      )}
    </Paper>
  );
}

/** How much something weighs in beside the shape. */
function Weight({
  label,
  value = 0.5,
  onChange,
}: {
  label: string;
  value?: number;
  onChange: (value: number) => void;
}) {
  return (
    <Sliding
      label={label}
      value={100 * value}
      min={0}
      max={100}
      step={5}
      unit="%"
      onChange={(percent) => onChange(percent / 100)}
    />
  );
}

/** What a goal of a kind starts from. */
function goalOf(kind: Rules["goal"]["kind"], part: Part, diagonal: number): Rules["goal"] {
  switch (kind) {
    case "share":
      return { kind, share: 0.25 };
    case "count":
      return { kind, triangles: Math.max(1, Math.round(part.triangles / 4)) };
    case "error":
      return { kind, within: Number((diagonal / 1000).toPrecision(2)) };
  }
}

function Decimate({ project, part }: { project: Project; part: Part }) {
  const unit = useApp((state) => symbols[state.traits.unit]);
  const scale = Math.cbrt((part.transform.scale ?? [1, 1, 1]).reduce((all, one) => Math.abs(all * one), 1));
  const diagonal = scale * Math.hypot(...part.max.map((value, i) => value - (part.min[i] ?? 0)));
  const [rules, setRules] = useState<Rules>({
    goal: goalOf("share", part, diagonal),
    colors: 0.5,
    creases: 0.5,
    groups: 0.5,
    keep_rims: false,
    even: false,
  });
  const [fate, setFate] = useState<"place" | "beside">("place");
  const [doing, setDoing] = useState(false);
  // What was just done is looked at as it is, until something is turned.
  const [isDone, setIsDone] = useState(false);
  const { seen, trouble, busy, cancel } = useLighter(project, part, isDone ? null : rules);
  const turn = (change: Partial<Rules>) => {
    setIsDone(false);
    setRules((before) => ({ ...before, ...change }));
  };
  const { goal } = rules;
  const report = seen?.report;
  const decimate = async () => {
    setDoing(true);
    const order = { rules, beside: fate === "beside", look: false };
    const { data, trouble } = await sendDecimation(project.id, part.id, order);
    setDoing(false);
    if (trouble !== null) {
      set({ said: { text: trouble, bad: true } });
      return;
    }
    setIsDone(true);
    const [, after] = data.report.triangles;
    const where = fate === "beside" ? `A copy of ${part.name} has` : `${part.name} has`;
    set({ said: { text: `${where} ${count(after ?? 0)} triangles. Undo takes it back.`, bad: false } });
  };
  return (
    <>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1, mb: 0.75 }}>
        <Typography variant="h2" noWrap sx={{ flex: 1, minWidth: 0 }}>
          Fewer triangles for {part.name}
        </Typography>
        <Button
          size="small"
          variant="contained"
          data-test="do-decimate"
          title="One step, which undo takes back"
          disabled={!report || busy || doing || trouble !== null || part.locked}
          onClick={() => void decimate()}>
          Decimate
        </Button>
      </Box>
      {part.locked && <Alert severity="warning">{part.name} is locked: unlock it in the list of parts first.</Alert>}
      <Choose
        label="Down to"
        value={goal.kind}
        options={goals}
        onChange={(kind) => turn({ goal: goalOf(kind, part, diagonal) })}
      />
      {goal.kind === "share" && (
        <Sliding
          label="Share"
          value={100 * goal.share}
          min={1}
          max={99}
          step={1}
          unit="%"
          onChange={(share) => turn({ goal: { kind: "share", share: share / 100 } })}
        />
      )}
      {goal.kind === "count" && (
        <Sliding
          label="Triangles"
          value={goal.triangles}
          min={4}
          max={Math.max(5, part.triangles - 1)}
          step={1}
          curved
          onChange={(triangles) => turn({ goal: { kind: "count", triangles: Math.round(triangles) } })}
        />
      )}
      {goal.kind === "error" && (
        <Sliding
          label="Distance"
          value={goal.within}
          min={diagonal / 100_000}
          max={diagonal / 50}
          step={diagonal / 100_000}
          unit={unit}
          digits={diagonal < 1 ? 6 : diagonal < 100 ? 4 : 3}
          curved
          onChange={(within) => turn({ goal: { kind: "error", within } })}
        />
      )}
      <Weight label="Colors weigh" value={rules.colors} onChange={(colors) => turn({ colors })} />
      <Weight label="Creases" value={rules.creases} onChange={(creases) => turn({ creases })} />
      {(part.selections.length > 0 || part.helpers.some((helper) => helper.role === "selection")) && (
        <Weight label="Selections" value={rules.groups} onChange={(groups) => turn({ groups })} />
      )}
      {!part.watertight && (
        <Switching
          label="Leave open edges as they are"
          on={rules.keep_rims ?? false}
          onChange={(keep_rims) => turn({ keep_rims })}
        />
      )}
      <Switching label="Even triangles" on={rules.even ?? false} onChange={(even) => turn({ even })} />
      <Choose label="It comes" value={fate} options={fates} onChange={setFate} />
      <Working busy={busy || doing} onCancel={busy ? cancel : null} />
      {trouble && (
        <Alert severity="error" data-test="density-trouble">
          {trouble}
        </Alert>
      )}
      {isDone && (
        <Typography variant="body2" color="textSecondary">
          Done. Turn anything to look further.
        </Typography>
      )}
      {report && !trouble && <Findings part={part} report={report} unit={unit} />}
    </>
  );
}

/** What it would cost, in figures. */
function Findings({ part, report, unit }: { part: Part; report: Schemas["DecimationReport"]; unit: string }) {
  const [before = 0, after = 0] = report.triangles;
  const share = (100 * report.max_distance) / Math.max(report.size, 1e-30);
  return (
    <Box data-test="density-findings">
      <Typography variant="body2">
        <b>{count(after)}</b> of {count(before)} triangles, {count(report.vertices[1] ?? 0)} vertices.
      </Typography>
      {!report.reached && (
        <Typography variant="body2" sx={{ color: "warning.main", fontWeight: 700 }}>
          It cannot go as far as that: borders and seams hold it.
        </Typography>
      )}
      <Typography variant="body2">
        The surface is off by {figure(report.mean_distance)} {unit} in the mean, by {figure(report.max_distance)} {unit}{" "}
        where most ({figure(share)} % of its size).
      </Typography>
      {report.sets.map((each) => (
        <Typography key={each.name} variant="body2" color="textSecondary">
          {each.name}: off by {figure(each.mean)} in the mean, 95 % by {figure(each.most_of_them)} at most (
          {differenceUnit(part, each.name)}).
        </Typography>
      ))}
    </Box>
  );
}

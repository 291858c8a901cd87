// What all tools share that give the active part another shape: it is looked at first, told in figures, and done in one
// step.
import { Alert, Box, Button, Paper, Typography } from "@mui/material";
import { useEffect, useState, type ReactNode } from "react";
import type { Schemas } from "../../api/client";
import { sendReform } from "../../api/writes";
import { activePart, set, useApp, type Part } from "../../model/state";
import { count, figure, symbols } from "../../model/words";
import type { Project } from "../../project/project";
import { Choose } from "../../widgets/rows";
import { AlsoOn } from "./AlsoOn";
import { useRemade, type Reform } from "./remadeInHand";
import { Working } from "../../widgets/waiting";
import { differenceUnit } from "./differenceUnit";

const fates = [
  ["place", "in its place"],
  ["beside", "as a copy beside it"],
] as const;

/** The sheet of a family of such tools, for the active part. */
export function ShapeSheet({
  label,
  mark,
  children,
}: {
  label: string;
  mark: string;
  children: (part: Part) => ReactNode;
}) {
  const part = useApp(activePart);
  return (
    <Paper
      variant="outlined"
      component="section"
      aria-label={label}
      data-test={mark}
      sx={{ p: 1.75, borderRadius: 4 }}
      onKeyDown={(event) => {
        if (!(event.ctrlKey || event.metaKey)) event.stopPropagation();
      }}>
      {part ? (
        children(part)
      ) : (
        <Typography variant="body2" color="textSecondary">
          There is no part yet. Bring a mesh in first.
        </Typography>
      )}
    </Paper>
  );
}

/** How large a part is in the project, from corner to corner of its box. */
export function sizeOf(part: Part): number {
  const scale = Math.cbrt((part.transform.scale ?? [1, 1, 1]).reduce((all, one) => Math.abs(all * one), 1));
  return scale * Math.hypot(...part.max.map((value, i) => value - (part.min[i] ?? 0)));
}

/** What a part can be narrowed down to: its selections and its groups, by name. */
export const narrowings = (part: Part): string[] => [
  ...part.helpers.filter((helper) => helper.role === "selection").map((helper) => helper.name),
  ...part.selections.map((group) => group.name),
];

/** Which faces of a part a tool is for; nothing to choose where all there is are all. */
export function Where({
  part,
  only,
  onChange,
}: {
  part: Part;
  only: string | null;
  onChange: (only: string | null) => void;
}) {
  const names = [...new Set(narrowings(part))];
  if (names.length === 0 && only === null) return null;
  const options: (readonly [string, string])[] = [
    ["", "the whole part"],
    ...names.map((name) => [name, `only ${name}`] as const),
    // What was chosen and is there no more: it is told, and can be left.
    ...(only !== null && !names.includes(only) ? [[only, `only ${only}, which is gone`] as const] : []),
  ];
  return (
    <Choose label="On" value={only ?? ""} options={options} onChange={(name) => onChange(name === "" ? null : name)} />
  );
}

/** A tool in hand: what it would do is shown, and done when the button is pressed. */
export function ShapeTool({
  project,
  part,
  title,
  verb,
  done,
  reform,
  staysBeside = true,
  alwaysBeside = false,
  isForMany = true,
  onSeen,
  children,
}: {
  project: Project;
  part: Part;
  title: string;
  /** What stands on the button. */
  verb: string;
  /** What is said when it was done: "has 2 000 triangles". */
  done: (report: Schemas["ReformReport"]) => string;
  /** What is asked; null where nothing is yet. */
  reform: Reform | null;
  /** Whether it can become a copy beside. */
  staysBeside?: boolean;
  /** Whether that is all it can become. */
  alwaysBeside?: boolean;
  /** Whether other parts may become the same in the same step. */
  isForMany?: boolean;
  /** Told of what would be, whenever that is another; null where nothing is looked at. */
  onSeen?: (answer: Schemas["ReformAnswer"] | null) => void;
  children?: ReactNode;
}) {
  const unit = useApp((state) => symbols[state.traits.unit]);
  const [fate, setFate] = useState<"place" | "beside">("place");
  const [doing, setDoing] = useState(false);
  const [also, setAlso] = useState<number[]>([]);
  // What was just done is looked at as it is, until something is turned.
  const [doneLast, setDoneLast] = useState<string | null>(null);
  const isDone = doneLast !== null && doneLast === JSON.stringify(reform);
  const { seen, look, trouble, busy, share, cancel } = useRemade(project, part, isDone ? null : reform, also);
  const report = isDone ? undefined : seen?.report;
  const answer = isDone || trouble !== null ? null : seen;
  useEffect(() => {
    onSeen?.(answer);
    // Who is told may be another each time.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [answer]);
  const act = async () => {
    if (!reform) return;
    setDoing(true);
    const beside = alwaysBeside || (staysBeside && fate === "beside");
    const { data, trouble } = await sendReform(project.id, part.id, { reform, also, beside, look: false });
    setDoing(false);
    if (trouble !== null) {
      set({ said: { text: trouble, bad: true } });
      return;
    }
    setDoneLast(JSON.stringify(reform));
    const who = alwaysBeside ? `A sheet` : beside ? `A copy of ${part.name}` : part.name;
    const more =
      also.length > 0 ? `, and ${count(also.length)} more ${also.length === 1 ? "part" : "parts"} likewise` : "";
    set({ said: { text: `${who} ${done(data.report)}${more}. Undo takes it back.`, bad: false } });
  };
  return (
    <>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1, mb: 0.75 }}>
        <Typography variant="h2" noWrap sx={{ flex: 1, minWidth: 0 }}>
          {title}
        </Typography>
        <Button
          size="small"
          variant="contained"
          data-test={`do-${reform?.kind ?? "nothing"}`}
          title="One step, which undo takes back"
          disabled={!report || look === null || busy || doing || trouble !== null || part.locked}
          onClick={() => void act()}>
          {verb}
        </Button>
      </Box>
      {part.locked && <Alert severity="warning">{part.name} is locked: unlock it in the list of parts first.</Alert>}
      {children}
      {isForMany && <AlsoOn part={part} also={also} onChange={setAlso} />}
      {staysBeside && !alwaysBeside && <Choose label="It comes" value={fate} options={fates} onChange={setFate} />}
      <Working busy={busy || doing} share={share} onCancel={busy ? cancel : null} />
      {trouble && (
        <Alert severity="error" data-test="shape-trouble">
          {trouble}
        </Alert>
      )}
      {isDone && (
        <Box sx={{ display: "flex", alignItems: "center", gap: 1 }}>
          <Typography variant="body2" color="textSecondary" sx={{ flex: 1 }}>
            Done. Turn anything to look further.
          </Typography>
          <Button size="small" color="secondary" data-test="once-more" onClick={() => setDoneLast(null)}>
            Once more
          </Button>
        </Box>
      )}
      {report && !trouble && <Findings part={part} report={report} unit={unit} />}
      {answer?.also.map((other) => (
        <Typography key={other.part} variant="body2" color="textSecondary">
          {other.part}: {count(other.report.triangles[1] ?? 0)} triangles, {count(other.report.triangles[0] ?? 0)} until
          now.
        </Typography>
      ))}
    </>
  );
}

/** What it would do, in figures. */
function Findings({ part, report, unit }: { part: Part; report: Schemas["ReformReport"]; unit: string }) {
  const [before = 0, after = 0] = report.triangles;
  const { max_distance: most, mean_distance: mean } = report;
  const share = (100 * (most ?? 0)) / Math.max(report.size, 1e-30);
  return (
    <Box data-test="shape-findings">
      <Typography variant="body2">
        {before === after ? (
          <>
            <b>{count(after)}</b> triangles as before, {count(report.vertices[1] ?? 0)} vertices.
          </>
        ) : (
          <>
            <b>{count(after)}</b> triangles, {count(before)} until now, and {count(report.vertices[1] ?? 0)} vertices.
          </>
        )}
      </Typography>
      {!report.reached && (
        <Typography variant="body2" sx={{ color: "warning.main", fontWeight: 700 }}>
          It cannot go as far as that: borders and seams hold it.
        </Typography>
      )}
      {typeof most === "number" && (
        <Typography variant="body2">
          {typeof mean === "number"
            ? `The surface is off by ${figure(mean)} ${unit} in the mean, by ${figure(most)} ${unit} where most`
            : `Points go ${figure(most)} ${unit} at most`}{" "}
          ({figure(share)} % of its size).
        </Typography>
      )}
      {report.notes.map((note) => (
        <Typography key={note} variant="body2">
          {note}
        </Typography>
      ))}
      {report.sets.map((each) => (
        <Typography key={each.name} variant="body2" color="textSecondary">
          {each.name}: off by {figure(each.mean)} in the mean, 95 % by {figure(each.most_of_them)} at most (
          {differenceUnit(part, each.name)}).
        </Typography>
      ))}
    </Box>
  );
}

// What is wrong with the active part, where, and what mends it.
import { Box, Button, Checkbox, LinearProgress, Tooltip, Typography } from "@mui/material";
import { useEffect, useState } from "react";
import type { Schemas } from "../../api/client";
import { faultsOf, newWord } from "../../api/writes";
import { useApp, type Part } from "../../model/state";
import { count, symbols } from "../../model/words";
import type { Project } from "../../project/project";
import { Choose, Sliding } from "../../widgets/rows";
import { useShare } from "./looking";
import { ShapeSheet, ShapeTool, sizeOf } from "./ShapeTool";

type Fault = Schemas["Fault"];
type Finding = Schemas["Finding"];
type Remedy = "weld" | "degenerate" | "double_walls" | "loose" | "winding" | "holes";

/** What is said of each, and what mends it. */
const words: Record<Fault, { one: string; many: string; remedy: Remedy | null; hint: string }> = {
  near: {
    one: "vertex lies nearly where another does",
    many: "vertices lie nearly where others do",
    remedy: "weld",
    hint: "Joined, and colors that differ stay at the corners",
  },
  split: {
    one: "vertex is split off at one place",
    many: "vertices are split off at one place",
    remedy: "weld",
    hint: "Files do so at seams and hard edges: no need to join them",
  },
  degenerate: {
    one: "face has no area, or stands there twice",
    many: "faces have no area, or stand there twice",
    remedy: "degenerate",
    hint: "They go",
  },
  double_wall: {
    one: "face lies back to back with another",
    many: "faces lie back to back with others",
    remedy: "double_walls",
    hint: "The later one of each pair goes",
  },
  loose: { one: "vertex belongs to no face", many: "vertices belong to no face", remedy: "loose", hint: "They go" },
  winding: {
    one: "edge has faces that look to different sides",
    many: "edges have faces that look to different sides",
    remedy: "winding",
    hint: "Faces of each piece look the same way, and outwards",
  },
  inside_out: {
    one: "piece looks inwards, or some of it does",
    many: "pieces look inwards, or some of them do",
    remedy: "winding",
    hint: "Faces of each piece look the same way, and outwards",
  },
  hole: { one: "hole", many: "holes", remedy: "holes", hint: "Closed by a flat lid each" },
  branching: {
    one: "edge has more than two faces",
    many: "edges have more than two faces",
    remedy: null,
    hint: "Nothing mends that by itself",
  },
};
const fates = [
  ["keep", "stay as they are"],
  ["forget", "follow the faces"],
  ["hard_edges", "sharp at hard edges"],
] as const;

export function MendSheet({ project }: { project: Project }) {
  return (
    <ShapeSheet label="Mend" mark="mend">
      {(part) => <Mend key={part.id} project={project} part={part} />}
    </ShapeSheet>
  );
}

/** What is wrong with a part, looked over anew whenever it changes. */
function useFaults(project: Project, part: Part): { found: Finding[] | string | null; share: number | null } {
  const [found, setFound] = useState<{ of: string; all: Finding[] | string } | null>(null);
  const [page] = useState(newWord);
  const of = `${part.id} ${part.mesh}`;
  const work = `${page}-${part.mesh}`.slice(0, 64);
  const isSeen = found?.of === of;
  const share = useShare(isSeen ? null : work);
  useEffect(() => {
    const own = new AbortController();
    void faultsOf(project.id, part.id, { signal: own.signal, work }).then(({ data, trouble }) => {
      if (!own.signal.aborted) setFound({ of, all: data ?? trouble });
    });
    // Whoever looks elsewhere has it given up.
    return () => own.abort();
  }, [project.id, part.id, of, work]);
  return { found: isSeen ? found.all : null, share };
}

function Mend({ project, part }: { project: Project; part: Part }) {
  const unit = useApp((state) => symbols[state.traits.unit]);
  const size = sizeOf(part);
  const { found, share } = useFaults(project, part);
  const [left, setLeft] = useState<ReadonlySet<Remedy>>(new Set());
  const [within, setWithin] = useState(Number((size * 1e-5).toPrecision(2)));
  const [most, setMost] = useState(64);
  const [normals, setNormals] = useState<Schemas["MendingNormals"]>({ kind: "keep" });
  const findings = Array.isArray(found) ? found : [];
  useEffect(() => () => project.stage.showPlaces(null), [project, part.id]);
  // What is split at seams is no fault: it is joined only where it is asked for.
  const usual = findings.filter(({ fault }) => fault !== "split").flatMap(({ fault }) => words[fault].remedy ?? []);
  const isOn = (remedy: Remedy) => usual.includes(remedy) !== left.has(remedy);
  const turn = (remedy: Remedy) =>
    setLeft((before) => {
      const next = new Set(before);
      if (!next.delete(remedy)) next.add(remedy);
      return next;
    });
  const rules: Schemas["MendingRules"] = {
    weld: isOn("weld") ? (findings.some(({ fault }) => fault === "near") ? within : 0) : null,
    degenerate: isOn("degenerate"),
    double_walls: isOn("double_walls"),
    loose: isOn("loose"),
    winding: isOn("winding"),
    holes: isOn("holes") ? most : null,
    normals,
  };
  const asksForAny = findings.some(({ fault }) => {
    const { remedy } = words[fault];
    return remedy !== null && isOn(remedy);
  });
  const reform = asksForAny || normals.kind !== "keep" ? ({ kind: "mend", rules } as const) : null;
  return (
    <ShapeTool
      project={project}
      part={part}
      title={`Mend ${part.name}`}
      verb="Mend"
      done={() => "is mended"}
      reform={reform}>
      <Typography variant="body2" color="textSecondary" data-test="faults-said">
        {found === null
          ? "Looking it over …"
          : typeof found === "string"
            ? found
            : findings.length === 0
              ? "Looked over: nothing is wrong with its mesh."
              : "Looked over. What is ticked is mended, all in one step."}
      </Typography>
      {found === null && (
        <LinearProgress
          variant={share === null ? "indeterminate" : "determinate"}
          value={100 * (share ?? 0)}
          aria-label="How much is looked over"
        />
      )}
      {findings.map((finding) => (
        <Row
          key={finding.fault}
          finding={finding}
          on={words[finding.fault].remedy !== null && isOn(words[finding.fault].remedy as Remedy)}
          onTurn={turn}
          onShow={() => project.stage.showPlaces(part.id, finding.places.flat())}
        />
      ))}
      {findings.some(({ fault }) => fault === "near") && isOn("weld") && (
        <Sliding
          label="Join within"
          value={within}
          min={size * 1e-7}
          max={size / 50}
          step={size * 1e-7}
          unit={unit}
          digits={size < 1 ? 7 : size < 100 ? 5 : 4}
          curved
          onChange={setWithin}
        />
      )}
      {findings.some(({ fault }) => fault === "hole") && isOn("holes") && (
        <Sliding
          label="Holes up to"
          value={most}
          min={3}
          max={1024}
          step={1}
          unit="edges"
          curved
          onChange={(edges) => setMost(Math.round(edges))}
        />
      )}
      <Choose
        label="Normals"
        value={normals.kind}
        options={fates}
        onChange={(kind) => setNormals(kind === "hard_edges" ? { kind, degrees: 30 } : { kind })}
      />
      {normals.kind === "hard_edges" && (
        <Sliding
          label="Sharp from"
          value={normals.degrees}
          min={0}
          max={180}
          step={1}
          unit="°"
          onChange={(degrees) => setNormals({ kind: "hard_edges", degrees })}
        />
      )}
      {part.own_normals && (
        <Typography variant="body2" color="textSecondary">
          Its file says normals of its own.
        </Typography>
      )}
    </ShapeTool>
  );
}

/** One thing that is wrong, with its remedy. */
function Row({
  finding,
  on,
  onTurn,
  onShow,
}: {
  finding: Finding;
  on: boolean;
  onTurn: (remedy: Remedy) => void;
  onShow: () => void;
}) {
  const { one, many, remedy, hint } = words[finding.fault];
  const largest =
    typeof finding.largest === "number" && finding.count > 0 ? `, the largest of ${count(finding.largest)} edges` : "";
  const text = `${count(finding.count)} ${finding.count === 1 ? one : many}${largest}`;
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 0.5 }} data-test={`fault-${finding.fault}`}>
      <Checkbox
        size="small"
        checked={on}
        disabled={remedy === null}
        slotProps={{ input: { "aria-label": `Mend: ${text}` } }}
        onChange={() => remedy && onTurn(remedy)}
        sx={{ p: 0.5, ml: -0.75 }}
      />
      <Tooltip title={hint} placement="left">
        <Typography variant="body2" sx={{ flex: 1 }}>
          {text}
        </Typography>
      </Tooltip>
      <Button size="small" color="secondary" onClick={onShow} sx={{ py: 0, minHeight: 24 }}>
        Show
      </Button>
    </Box>
  );
}

// What is wrong with the active part, where, and what mends it.
import { Box, Button, Checkbox, LinearProgress, Tooltip, Typography } from "@mui/material";
import { useEffect, useState, type ReactNode } from "react";
import type { Schemas } from "../../api/client";
import { faultsOf, newWord } from "../../api/writes";
import { useApp, type Part } from "../../model/state";
import { count, symbols } from "../../model/words";
import type { Project } from "../../project/project";
import { Choose, Sliding } from "../../widgets/rows";
import { useShare } from "../../widgets/waiting";
import { AlsoOn } from "./AlsoOn";
import { narrowings, ShapeSheet, ShapeTool, sizeOf } from "./ShapeTool";

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

const lidWords = [
  ["flat", "flat"],
  ["smooth", "go on as what is around"],
] as const;
const tools = [
  ["mend", "mend what is wrong"],
  ["split", "split it into parts"],
  ["join", "join parts with it"],
  ["settle", "take in where it stands"],
] as const;
type Tool = (typeof tools)[number][0];

export function MendSheet({ project }: { project: Project }) {
  const [tool, setTool] = useState<Tool>("mend");
  const choose = <Choose label="To" value={tool} options={tools} onChange={setTool} />;
  return (
    <ShapeSheet label="Mend" mark="mend">
      {(part) => {
        const props = { project, part, choose };
        if (tool === "split") return <Split key={part.id} {...props} />;
        if (tool === "join") return <Join key={part.id} {...props} />;
        if (tool === "settle") return <Settle key={part.id} {...props} />;
        return <Mend key={part.id} {...props} />;
      }}
    </ShapeSheet>
  );
}

interface Props {
  project: Project;
  part: Part;
  choose: ReactNode;
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

function Mend({ project, part, choose }: Props) {
  const unit = useApp((state) => symbols[state.traits.unit]);
  const size = sizeOf(part);
  const { found, share } = useFaults(project, part);
  const [left, setLeft] = useState<ReadonlySet<Remedy>>(new Set());
  const [within, setWithin] = useState(Number((size * 1e-5).toPrecision(2)));
  const [most, setMost] = useState(64);
  const [lids, setLids] = useState<Schemas["MendingLids"]>("flat");
  const [stitch, setStitch] = useState(0);
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
    lids,
    stitch: stitch > 0 ? stitch : null,
    normals,
  };
  const asksForAny = findings.some(({ fault }) => {
    const { remedy } = words[fault];
    return remedy !== null && isOn(remedy);
  });
  const reform = asksForAny || stitch > 0 || normals.kind !== "keep" ? ({ kind: "mend", rules } as const) : null;
  return (
    <ShapeTool
      project={project}
      part={part}
      title={`Mend ${part.name}`}
      verb="Mend"
      done={() => "is mended"}
      reform={reform}>
      {choose}
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
      {findings.some(({ fault }) => fault === "hole") && isOn("holes") && (
        <Choose label="Lids" value={lids} options={lidWords} onChange={setLids} />
      )}
      {!part.watertight && (
        <Sliding
          label="Stitch rims"
          value={stitch}
          min={0}
          max={size / 20}
          step={size / 20_000}
          unit={unit}
          digits={size < 1 ? 5 : size < 100 ? 3 : 2}
          zero="not"
          onChange={setStitch}
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

type Into = Schemas["SplitInto"];

function Split({ project, part, choose }: Props) {
  const groups = [...new Set(narrowings(part))];
  const options: (readonly [string, string])[] = [
    ["pieces", "pieces that hang together"],
    ["materials", "materials"],
    ["groups", "groups of the file"],
    ["not_manifold", "what is not manifold, and the rest"],
    ...groups.map((name) => [`selection ${name}`, `${name}, and the rest`] as const),
  ];
  const [by, setBy] = useState("pieces");
  const into: Into = by.startsWith("selection ")
    ? { kind: "selection", name: by.slice("selection ".length) }
    : { kind: by as Exclude<Into["kind"], "selection"> };
  return (
    <ShapeTool
      project={project}
      part={part}
      title={`Split ${part.name}`}
      verb="Split"
      done={() => "is split: the largest keeps its name"}
      reform={{ kind: "split", into }}
      staysBeside={false}
      isForMany={false}>
      {choose}
      <Choose label="Into" value={by} options={options} onChange={setBy} />
    </ShapeTool>
  );
}

function Join({ project, part, choose }: Props) {
  const [others, setOthers] = useState<number[]>([]);
  return (
    <ShapeTool
      project={project}
      part={part}
      title={`Join with ${part.name}`}
      verb="Join"
      done={() => "has taken them up"}
      reform={others.length > 0 ? { kind: "join", with: others } : null}
      staysBeside={false}
      isForMany={false}>
      {choose}
      <AlsoOn label="Takes up" part={part} also={others} onChange={setOthers} />
      <Typography variant="body2" color="textSecondary">
        They come to lie in {part.name} where they stand. Sets of one name become one; where a part has none of it, its
        ground shows.
      </Typography>
    </ShapeTool>
  );
}

function Settle({ project, part, choose }: Props) {
  const { translation = [0, 0, 0], rotation_degrees = [0, 0, 0], scale = [1, 1, 1] } = part.transform;
  const stands = [...translation, ...rotation_degrees, ...scale.map((x) => x - 1)].some((x) => x !== 0);
  return (
    <ShapeTool
      project={project}
      part={part}
      title={`${part.name} where it stands`}
      verb="Take it in"
      done={() => "has it in its points now"}
      reform={stands ? { kind: "settle" } : null}
      staysBeside={false}>
      {choose}
      <Typography variant="body2" color="textSecondary">
        {stands
          ? "It stays where it is, but its points say so by themselves: its place becomes 0, its turn 0°, its scale 1."
          : "Its points say already where it stands: nothing to take in."}
      </Typography>
    </ShapeTool>
  );
}

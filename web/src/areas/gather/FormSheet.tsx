// Another form for the active part: points moved by what a channel says, bumps smoothed away, or what is too much cut off.
import { Alert } from "@mui/material";
import { useState, type ReactNode } from "react";
import type { Schemas } from "../../api/client";
import { useApp, type Part } from "../../model/state";
import { figure, symbols } from "../../model/words";
import type { Project } from "../../project/project";
import { Choose, Sliding, Switching } from "../../widgets/rows";
import { ShapeSheet, ShapeTool, sizeOf, Where } from "./ShapeTool";

const tools = [
  ["displace", "move points by a channel"],
  ["smooth", "smooth bumps away"],
  ["trim", "trim by a channel"],
  ["drape", "lay a sheet over it"],
] as const;
type Tool = (typeof tools)[number][0];
const letters = ["R", "G", "B", "A"] as const;

export function FormSheet({ project }: { project: Project }) {
  const [tool, setTool] = useState<Tool>("displace");
  const choose = <Choose label="To" value={tool} options={tools} onChange={setTool} />;
  return (
    <ShapeSheet label="Form" mark="form">
      {(part) => {
        const props = { project, part, choose };
        if (tool === "smooth") return <Smooth key={part.id} {...props} />;
        if (tool === "trim") return <Trim key={part.id} {...props} />;
        if (tool === "drape") return <Drape key={part.id} {...props} />;
        return <Displace key={part.id} {...props} />;
      }}
    </ShapeSheet>
  );
}

interface Props {
  project: Project;
  part: Part;
  choose: ReactNode;
}

/** What numbers are read from, as one word: a set by its number and a channel of it, or an image by its name. */
type Numbers = `set ${number} ${number}` | `image ${string}`;

/** All that can say something on a part: its channels, its mask and selections, images by its texture coordinates. */
function useNumbers(part: Part): (readonly [Numbers, string])[] {
  const images = useApp((state) => state.images);
  const of = part.sets.flatMap((set) =>
    letters.map((letter, i) => {
      const own = set.channels[i]?.meaning;
      return [`set ${set.id} ${i}`, `${set.name} · ${own ? own : letter}`] as readonly [Numbers, string];
    }),
  );
  const helpers = part.helpers.filter((helper) => helper.role === "mask" || helper.role === "selection");
  return [
    ...of,
    ...helpers.map((helper) => [`set ${helper.id} 0`, helper.name] as readonly [Numbers, string]),
    ...(part.uv_sets > 0 ? images : []).map(
      ({ name }) => [`image ${name}`, `image ${name}`] as readonly [Numbers, string],
    ),
  ];
}

const numbersBy = (numbers: Numbers): Schemas["NumbersBy"] => {
  if (numbers.startsWith("image ")) return { kind: "image", image: numbers.slice(6), uv_set: 0, channel: null };
  const [, set = 0, channel = 0] = numbers.split(" ").map(Number);
  return { kind: "channel", set, channel };
};

function Displace({ project, part, choose }: Props) {
  const unit = useApp((state) => symbols[state.traits.unit]);
  const size = sizeOf(part);
  const channels = useNumbers(part);
  const [by, setBy] = useState<Numbers | "evenly">(channels[0]?.[0] ?? "evenly");
  const [along, setAlong] = useState<"normal" | "x" | "y" | "z">("normal");
  const [rules, setRules] = useState({
    amount: Number((size / 100).toPrecision(2)),
    midpoint: 0,
    contrast: 1,
    fade: 0,
    may_fold: false,
  });
  const [only, setOnly] = useState<string | null>(null);
  const turn = (change: Partial<typeof rules>) => setRules((before) => ({ ...before, ...change }));
  const digits = size < 1 ? 5 : size < 100 ? 3 : 2;
  const axes = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] };
  const whole: Schemas["DisplacementRules"] = {
    ...rules,
    by: by === "evenly" ? { kind: "evenly" } : numbersBy(by),
    way: along === "normal" ? { kind: "normal" } : { kind: "direction", to: axes[along] as [number, number, number] },
  };
  const isThere = by === "evenly" || channels.some(([key]) => key === by);
  return (
    <ShapeTool
      project={project}
      part={part}
      title={`Move points of ${part.name}`}
      verb="Move"
      done={(report) => `has points moved by ${figure(report.max_distance ?? 0)} ${unit} at most`}
      reform={isThere ? { kind: "displace", rules: whole, only } : null}>
      {choose}
      <Choose
        label="By"
        value={isThere ? by : "evenly"}
        options={[["evenly", "the same everywhere"] as const, ...channels]}
        onChange={setBy}
      />
      <Choose
        label="Along"
        value={along}
        options={
          [
            ["normal", "their normals"],
            ["x", "X"],
            ["y", "Y"],
            ["z", "Z"],
          ] as const
        }
        onChange={setAlong}
      />
      <Where part={part} only={only} onChange={setOnly} />
      <Sliding
        label="Amount"
        value={rules.amount}
        min={-size / 10}
        max={size / 10}
        step={size / 2000}
        unit={unit}
        digits={digits}
        onChange={(amount) => turn({ amount })}
      />
      {by !== "evenly" && (
        <>
          <Sliding
            label="Midpoint"
            value={rules.midpoint}
            min={0}
            max={1}
            step={0.01}
            digits={2}
            onChange={(midpoint) => turn({ midpoint })}
          />
          <Sliding
            label="Contrast"
            value={rules.contrast}
            min={0.1}
            max={4}
            step={0.05}
            digits={2}
            onChange={(contrast) => turn({ contrast })}
          />
        </>
      )}
      {(!part.watertight || only !== null) && (
        <Sliding
          label="Fade at rims"
          value={rules.fade}
          min={0}
          max={size / 5}
          step={size / 500}
          unit={unit}
          digits={digits}
          zero="not"
          onChange={(fade) => turn({ fade })}
        />
      )}
      <Switching label="Let faces fold over" on={rules.may_fold} onChange={(may_fold) => turn({ may_fold })} />
    </ShapeTool>
  );
}

function Smooth({ project, part, choose }: Props) {
  const unit = useApp((state) => symbols[state.traits.unit]);
  const [rules, setRules] = useState({ rounds: 10, keep_volume: true, keep_rims: true });
  const [only, setOnly] = useState<string | null>(null);
  const turn = (change: Partial<typeof rules>) => setRules((before) => ({ ...before, ...change }));
  return (
    <ShapeTool
      project={project}
      part={part}
      title={`Smooth ${part.name}`}
      verb="Smooth"
      done={(report) => `has points moved by ${figure(report.max_distance ?? 0)} ${unit} at most`}
      reform={{ kind: "smooth", rules, only }}>
      {choose}
      <Where part={part} only={only} onChange={setOnly} />
      <Sliding
        label="Rounds"
        value={rules.rounds}
        min={1}
        max={200}
        step={1}
        curved
        onChange={(rounds) => turn({ rounds: Math.round(rounds) })}
      />
      <Switching label="Keep its volume" on={rules.keep_volume} onChange={(keep_volume) => turn({ keep_volume })} />
      {!part.watertight && (
        <Switching
          label="Leave open rims where they are"
          on={rules.keep_rims}
          onChange={(keep_rims) => turn({ keep_rims })}
        />
      )}
    </ShapeTool>
  );
}

function Trim({ project, part, choose }: Props) {
  const channels = useNumbers(part);
  const [by, setBy] = useState<Numbers | null>(channels[0]?.[0] ?? null);
  const [rules, setRules] = useState({ threshold: 0.5, keep_above: false, keep_both: false });
  const turn = (change: Partial<typeof rules>) => setRules((before) => ({ ...before, ...change }));
  const isThere = by !== null && channels.some(([key]) => key === by);
  return (
    <ShapeTool
      project={project}
      part={part}
      title={`Trim ${part.name}`}
      verb="Trim"
      done={() => (rules.keep_both ? "is cut in two parts" : "is trimmed")}
      reform={isThere ? { kind: "trim", rules: { by: numbersBy(by), ...rules } } : null}
      staysBeside={!rules.keep_both}>
      {choose}
      {channels.length === 0 && (
        <Alert severity="info">{part.name} has no set yet that could say where: add one first.</Alert>
      )}
      {isThere && <Choose label="Where" value={by} options={channels} onChange={setBy} />}
      <Choose
        label="Stays"
        value={rules.keep_above ? "above" : "below"}
        options={
          [
            ["below", "what lies below"],
            ["above", "what lies above"],
          ] as const
        }
        onChange={(side) => turn({ keep_above: side === "above" })}
      />
      <Sliding
        label="Threshold"
        value={rules.threshold}
        min={0}
        max={1}
        step={0.01}
        digits={2}
        onChange={(threshold) => turn({ threshold })}
      />
      <Switching
        label="Keep what is cut off as a part"
        on={rules.keep_both}
        onChange={(keep_both) => turn({ keep_both })}
      />
    </ShapeTool>
  );
}

function Drape({ project, part, choose }: Props) {
  const unit = useApp((state) => symbols[state.traits.unit]);
  const up = useApp((state) => state.traits.up);
  const size = sizeOf(part);
  const round = (x: number) => Number(x.toPrecision(2));
  const [falls, setFalls] = useState<"down" | "x" | "y" | "z">("down");
  const [rules, setRules] = useState({
    side: round(size),
    step: round(size / 60),
    turn: 0,
    offset: round(size / 200),
    stiffness: 10,
    flat_edge: 0,
    warp: 0,
  });
  const turn = (change: Partial<typeof rules>) => setRules((before) => ({ ...before, ...change }));
  const digits = size < 1 ? 5 : size < 100 ? 3 : 2;
  const ways = { down: up === "y" ? [0, -1, 0] : [0, 0, -1], x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] };
  const { side, ...others } = rules;
  const length = { unit, digits };
  return (
    <ShapeTool
      project={project}
      part={part}
      title={`A sheet over ${part.name}`}
      verb="Lay it"
      done={() => "lies over it as a part of its own"}
      reform={{
        kind: "drape",
        rules: { ...others, sides: [side, side], falls: ways[falls] as [number, number, number], seed: 0 },
      }}
      alwaysBeside>
      {choose}
      <Choose
        label="Falls"
        value={falls}
        options={
          [
            ["down", "down"],
            ["x", "along X"],
            ["y", "along Y"],
            ["z", "along Z"],
          ] as const
        }
        onChange={setFalls}
      />
      <Sliding
        label="Size"
        value={rules.side}
        min={size / 20}
        max={size * 2}
        step={size / 200}
        {...length}
        onChange={(next) => turn({ side: next })}
      />
      <Sliding
        label="Points apart"
        value={rules.step}
        min={size / 500}
        max={size / 5}
        step={size / 1000}
        {...length}
        curved
        onChange={(step) => turn({ step })}
      />
      <Sliding
        label="Turned"
        value={rules.turn}
        min={-90}
        max={90}
        step={1}
        unit="°"
        onChange={(degrees) => turn({ turn: degrees })}
      />
      <Sliding
        label="Above it"
        value={rules.offset}
        min={0}
        max={size / 10}
        step={size / 2000}
        {...length}
        onChange={(offset) => turn({ offset })}
      />
      <Sliding
        label="Stiffness"
        value={rules.stiffness}
        min={0}
        max={200}
        step={1}
        zero="falls as it can"
        onChange={(stiffness) => turn({ stiffness: Math.round(stiffness) })}
      />
      <Sliding
        label="Flat at edges"
        value={rules.flat_edge}
        min={0}
        max={size / 2}
        step={size / 200}
        {...length}
        zero="not"
        onChange={(flat_edge) => turn({ flat_edge })}
      />
      <Sliding
        label="Out of line"
        value={rules.warp}
        min={0}
        max={size / 20}
        step={size / 2000}
        {...length}
        zero="not"
        onChange={(warp) => turn({ warp })}
      />
    </ShapeTool>
  );
}

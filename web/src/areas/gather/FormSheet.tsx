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

/** A number of a channel: the set by its number and the channel, or nothing. */
type Channel = `${number} ${number}`;

/** The channels of a part that can say something, those of its mask and selections too. */
function channelsOf(part: Part): (readonly [Channel, string])[] {
  const of = part.sets.flatMap((set) =>
    letters.map((letter, i) => {
      const own = set.channels[i]?.meaning;
      return [`${set.id} ${i}`, `${set.name} · ${own ? own : letter}`] as readonly [Channel, string];
    }),
  );
  const helpers = part.helpers.filter((helper) => helper.role === "mask" || helper.role === "selection");
  return [...of, ...helpers.map((helper) => [`${helper.id} 0`, helper.name] as readonly [Channel, string])];
}

const parted = (channel: Channel) => {
  const [set = 0, at = 0] = channel.split(" ").map(Number);
  return { set, channel: at };
};

function Displace({ project, part, choose }: Props) {
  const unit = useApp((state) => symbols[state.traits.unit]);
  const size = sizeOf(part);
  const channels = channelsOf(part);
  const [by, setBy] = useState<Channel | "evenly">(channels[0]?.[0] ?? "evenly");
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
    by: by === "evenly" ? { kind: "evenly" } : { kind: "channel", ...parted(by) },
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
  const channels = channelsOf(part);
  const [by, setBy] = useState<Channel | null>(channels[0]?.[0] ?? null);
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
      reform={isThere ? { kind: "trim", rules: { ...parted(by), ...rules } } : null}
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

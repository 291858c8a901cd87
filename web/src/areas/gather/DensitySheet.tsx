// Fewer or finer faces for the active part.
import { Alert } from "@mui/material";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import type { Part } from "../../model/state";
import { useApp } from "../../model/state";
import { count, symbols } from "../../model/words";
import type { Project } from "../../project/project";
import { Choose, Sliding, Switching } from "../../widgets/rows";
import { ShapeSheet, ShapeTool, sizeOf, Where } from "./ShapeTool";

type Fewer = Schemas["DecimationRules"];
type Finer = Schemas["SubdivisionRules"];

const ways = [
  ["fewer", "fewer triangles"],
  ["finer", "finer faces"],
  ["shorter", "edges up to a length"],
  ["detail", "as fine as colors need it"],
] as const;
const goals = [
  ["share", "a share of the triangles"],
  ["count", "so many triangles"],
  ["error", "as near as"],
] as const;
const schemes = [
  ["flat", "the shape as it is"],
  ["loop", "rounded, in triangles"],
  ["catmull_clark", "rounded, in quads"],
] as const;

export function DensitySheet({ project }: { project: Project }) {
  const [way, setWay] = useState<(typeof ways)[number][0]>("fewer");
  const choose = <Choose label="To get" value={way} options={ways} onChange={setWay} />;
  return (
    <ShapeSheet label="Density" mark="density">
      {(part) => {
        const props = { project, part, choose };
        if (way === "finer") return <Subdivide key={part.id} {...props} />;
        if (way === "shorter") return <Refine key={part.id} {...props} />;
        if (way === "detail") return <Detail key={part.id} {...props} />;
        return <Decimate key={part.id} {...props} />;
      }}
    </ShapeSheet>
  );
}

interface Props {
  project: Project;
  part: Part;
  choose: React.ReactNode;
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
function goalOf(kind: Fewer["goal"]["kind"], part: Part, size: number): Fewer["goal"] {
  switch (kind) {
    case "share":
      return { kind, share: 0.25 };
    case "count":
      return { kind, triangles: Math.max(1, Math.round(part.triangles / 4)) };
    case "error":
      return { kind, within: Number((size / 1000).toPrecision(2)) };
  }
}

function Decimate({ project, part, choose }: Props) {
  const unit = useApp((state) => symbols[state.traits.unit]);
  const size = sizeOf(part);
  const [rules, setRules] = useState<Fewer>({
    goal: goalOf("share", part, size),
    colors: 0.5,
    creases: 0.5,
    groups: 0.5,
    keep_rims: false,
    even: false,
  });
  const [only, setOnly] = useState<string | null>(null);
  const turn = (change: Partial<Fewer>) => setRules((before) => ({ ...before, ...change }));
  const { goal } = rules;
  return (
    <ShapeTool
      project={project}
      part={part}
      title={`Fewer triangles for ${part.name}`}
      verb="Decimate"
      done={(report) => `has ${count(report.triangles[1] ?? 0)} triangles`}
      reform={{ kind: "decimate", rules, only }}>
      {choose}
      <Where part={part} only={only} onChange={setOnly} />
      <Choose
        label="Down to"
        value={goal.kind}
        options={goals}
        onChange={(kind) => turn({ goal: goalOf(kind, part, size) })}
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
          min={size / 100_000}
          max={size / 50}
          step={size / 100_000}
          unit={unit}
          digits={size < 1 ? 6 : size < 100 ? 4 : 3}
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
    </ShapeTool>
  );
}

function Subdivide({ project, part, choose }: Props) {
  const [rules, setRules] = useState<Finer>({ scheme: "flat", times: 1, creases: null });
  const [only, setOnly] = useState<string | null>(null);
  const turn = (change: Partial<Finer>) => setRules((before) => ({ ...before, ...change }));
  const isFlat = rules.scheme === "flat";
  return (
    <ShapeTool
      project={project}
      part={part}
      title={`Finer faces for ${part.name}`}
      verb="Subdivide"
      done={(report) => `has ${count(report.triangles[1] ?? 0)} triangles`}
      reform={{ kind: "subdivide", rules, only }}>
      {choose}
      <Where part={part} only={only} onChange={setOnly} />
      <Choose
        label="With"
        value={rules.scheme}
        options={schemes}
        onChange={(scheme) => turn({ scheme, times: 1, creases: scheme === "flat" ? null : (rules.creases ?? null) })}
      />
      <Sliding
        label={isFlat ? "Cuts per edge" : "Times"}
        value={rules.times}
        min={1}
        max={isFlat ? 16 : 5}
        step={1}
        onChange={(times) => turn({ times: Math.round(times) })}
      />
      {!isFlat && (
        <Switching
          label="Keep sharp edges sharp"
          on={typeof rules.creases === "number"}
          onChange={(on) => turn({ creases: on ? 45 : null })}
        />
      )}
      {!isFlat && typeof rules.creases === "number" && (
        <Sliding
          label="Sharp from"
          value={rules.creases}
          min={1}
          max={180}
          step={1}
          unit="°"
          onChange={(creases) => turn({ creases })}
        />
      )}
    </ShapeTool>
  );
}

function Refine({ project, part, choose }: Props) {
  const unit = useApp((state) => symbols[state.traits.unit]);
  const edge = part.median_edge;
  const [length, setLength] = useState(Number(edge.toPrecision(2)));
  const [only, setOnly] = useState<string | null>(null);
  return (
    <ShapeTool
      project={project}
      part={part}
      title={`Shorter edges for ${part.name}`}
      verb="Refine"
      done={(report) => `has ${count(report.triangles[1] ?? 0)} triangles`}
      reform={{ kind: "refine", length, only }}>
      {choose}
      <Where part={part} only={only} onChange={setOnly} />
      <Sliding
        label="Edges up to"
        value={length}
        min={edge / 32}
        max={edge * 8}
        step={edge / 100}
        unit={unit}
        digits={edge < 0.1 ? 5 : edge < 10 ? 3 : 2}
        curved
        onChange={setLength}
      />
    </ShapeTool>
  );
}

/** What a mesh can be fine enough for, as one word: an image by its name, or a set of another part. */
type Wanted = `image ${string}` | `part ${number} ${number}`;

function Detail({ project, part, choose }: Props) {
  const unit = useApp((state) => symbols[state.traits.unit]);
  const images = useApp((state) => state.images);
  const parts = useApp((state) => state.parts);
  const wanted: (readonly [Wanted, string])[] = [
    ...(part.uv_sets > 0 ? images : []).map(({ name }) => [`image ${name}`, `the image ${name}`] as const),
    ...parts
      .filter((other) => other.id !== part.id)
      .flatMap((other) =>
        other.sets.map((set) => [`part ${other.id} ${set.id}`, `${set.name} of ${other.name}`] as const),
      ),
  ];
  const edge = part.median_edge;
  const [chosen, setChosen] = useState<Wanted | null>(wanted[0]?.[0] ?? null);
  const [rules, setRules] = useState({ difference: 5, shortest: Number((edge / 8).toPrecision(2)) });
  const turn = (change: Partial<typeof rules>) => setRules((before) => ({ ...before, ...change }));
  const isThere = chosen !== null && wanted.some(([key]) => key === chosen);
  const of = (): Schemas["DetailFor"] | null => {
    if (!isThere) return null;
    if (chosen.startsWith("image ")) return { kind: "image", image: chosen.slice(6), uv_set: 0 };
    const [, id, set] = chosen.split(" ").map(Number);
    const other = parts.find((each) => each.id === id);
    const own = other?.sets.find((each) => each.id === set);
    return other && own ? { kind: "part", part: other.name, set: own.name } : null;
  };
  const goal = of();
  return (
    <ShapeTool
      project={project}
      part={part}
      title="Where it is too coarse"
      verb="Refine there"
      done={(report) => `has ${count(report.triangles[1] ?? 0)} triangles`}
      reform={goal && { kind: "detail", rules: { ...rules, of: goal } }}
      isForMany={false}>
      {choose}
      {wanted.length === 0 ? (
        <Alert severity="info">
          There is nothing yet that it could be fine enough for: an image by texture coordinates, or another part with
          colors.
        </Alert>
      ) : (
        <Choose
          label="To show"
          value={isThere ? chosen : ""}
          options={wanted}
          onChange={(next) => setChosen(next || null)}
        />
      )}
      <Sliding
        label="Within"
        value={rules.difference}
        min={0.5}
        max={30}
        step={0.5}
        digits={1}
        unit="ΔE"
        onChange={(difference) => turn({ difference })}
      />
      <Sliding
        label="Edges down to"
        value={rules.shortest}
        min={edge / 64}
        max={edge}
        step={edge / 200}
        unit={unit}
        digits={edge < 0.1 ? 5 : edge < 10 ? 3 : 2}
        curved
        onChange={(shortest) => turn({ shortest })}
      />
    </ShapeTool>
  );
}

// The numbers of a step's source.
import { Box, Button, InputBase, Typography } from "@mui/material";
import { useEffect, useRef, type ReactNode } from "react";
import type { Schemas } from "../../api/client";
import { addImage } from "../../api/writes";
import { ColorWell } from "../../widgets/ColorWell";
import { Choose, Row, Sliding, Switching } from "../../widgets/rows";
import type { Project } from "../../project/project";
import { facts, hex, set, snapshotNames, symbols, useApp, type ColorSet, type Part } from "../../model/state";
import { channelName } from "../../model/theme";
import { boxOf } from "../../project/tools";
import { amongWords, directionWords, noiseWords, type Direction, type Root, type Source } from "../../model/recipes";
import { useTyped } from "../../widgets/typed";

interface Props {
  source: Source;
  part: Part;
  set: ColorSet;
  project: Project;
  /** `turning`: one of many on the way, as a slider gives them. */
  onChange: (source: Source, turning: boolean) => void;
}

type Vec = [number, number, number];
const vec = (numbers: readonly number[]): Vec => [numbers[0] ?? 0, numbers[1] ?? 0, numbers[2] ?? 0];

function Coordinate({ label, value, accept }: { label: string; value: number; accept: (number: number) => void }) {
  const { typed, field } = useTyped(String(value), accept);
  return (
    <InputBase
      value={typed ?? Number(value.toFixed(3)).toString()}
      inputProps={{ "aria-label": label, inputMode: "decimal", style: { textAlign: "right", padding: 0 } }}
      {...field}
      sx={{ width: 58, fontSize: 13, fontWeight: 650 }}
    />
  );
}

/** Three numbers that are typed. */
function Vector({
  label,
  value,
  onChange,
}: {
  label: string;
  value: readonly number[];
  onChange: (value: Vec) => void;
}) {
  return (
    <Row label={label}>
      {["x", "y", "z"].map((axis, i) => (
        <Coordinate
          key={axis}
          label={`${label}, ${axis}`}
          value={value[i] ?? 0}
          accept={(number) => onChange(vec(value.map((old, j) => (j === i ? number : old))))}
        />
      ))}
    </Row>
  );
}

function DirectionField({
  label,
  direction,
  onChange,
}: {
  label: string;
  direction: Direction;
  onChange: (direction: Direction) => void;
}) {
  const key = typeof direction === "string" ? direction : "to";
  return (
    <>
      <Choose
        label={label}
        value={key}
        options={directionWords}
        onChange={(next) => onChange(next === "to" ? { to: [0.5, 1, 0.5] } : next)}
      />
      {typeof direction === "object" && (
        <Vector label="That way" value={direction.to} onChange={(to) => onChange({ to })} />
      )}
    </>
  );
}

const spaces = [
  ["world", "the project's"],
  ["part", "the part's own"],
] as const;

/** The names of what is selected or grouped on a part. */
const selections = (part: Part) => [
  ...part.selections.map((each) => each.name),
  ...part.helpers.filter((each) => each.role === "selection").map((each) => each.name),
];

function RootField({
  root,
  part,
  ofTrail,
  onChange,
}: {
  root: Root;
  part: Part;
  ofTrail: boolean;
  onChange: (root: Root) => void;
}) {
  const parts = useApp((state) => state.parts);
  const placing = useApp((state) => state.placing);
  // A place is clicked later: by then the recipe may be another.
  const latest = useRef(onChange);
  useEffect(() => {
    latest.current = onChange;
  });
  const names = selections(part);
  const others = parts.filter((each) => each.id !== part.id).map((each) => each.name);
  const options: [Root["kind"], string][] = [
    ["end", "an end of the part"],
    ["point", "a point on it"],
    ["open_edge", "its open edge"],
    ["selection", "a selection"],
  ];
  if (!ofTrail) options.push(["part", "another part"]);
  const starts: Record<Root["kind"], Root> = {
    end: { kind: "end", towards: "down" },
    point: { kind: "point", at: [0, 1, 2].map((i) => ((part.min[i] ?? 0) + (part.max[i] ?? 0)) / 2) },
    open_edge: { kind: "open_edge" },
    selection: { kind: "selection", name: names[0] ?? "" },
    part: { kind: "part", name: others[0] ?? "" },
  };
  return (
    <>
      <Choose label="From" value={root.kind} options={options} onChange={(kind) => onChange(starts[kind])} />
      {root.kind === "end" && (
        <DirectionField
          label="The end"
          direction={root.towards}
          onChange={(towards) => onChange({ kind: "end", towards })}
        />
      )}
      {root.kind === "point" && (
        <>
          <Vector label="The point" value={root.at} onChange={(at) => onChange({ kind: "point", at })} />
          <Button
            size="small"
            color="secondary"
            aria-pressed={placing !== null}
            data-test="place-root"
            onClick={() =>
              set({
                placing: placing
                  ? null
                  : { says: "Click where it starts", take: (at) => latest.current({ kind: "point", at }) },
              })
            }>
            {placing ? "Click on the stage… (Esc)" : "Take it from the stage"}
          </Button>
        </>
      )}
      {root.kind === "selection" &&
        (names.length > 0 ? (
          <Choose
            label="Selection"
            value={names.includes(root.name) ? root.name : ""}
            options={names.map((name) => [name, name] as const)}
            onChange={(name) => onChange({ kind: "selection", name })}
          />
        ) : (
          <Typography variant="caption" sx={{ color: "warning.main" }}>
            This part has no selection yet: make one in Paint, under Select.
          </Typography>
        ))}
      {root.kind === "part" &&
        (others.length > 0 ? (
          <Choose
            label="Part"
            value={others.includes(root.name) ? root.name : ""}
            options={others.map((name) => [name, name] as const)}
            onChange={(name) => onChange({ kind: "part", name })}
          />
        ) : (
          <Typography variant="caption" sx={{ color: "warning.main" }}>
            There is no other part in this project.
          </Typography>
        ))}
    </>
  );
}

function ImageField({
  source,
  part,
  project,
  onChange,
}: {
  source: Extract<Source, { kind: "image" }>;
  part: Part;
  project: Project;
  onChange: (source: Source, turning: boolean) => void;
}) {
  const images = useApp((state) => state.images);
  const symbol = useApp((state) => symbols[state.traits.unit]);
  const picker = useRef<HTMLInputElement>(null);
  const { size } = boxOf(part);
  const lay: Schemas["ImageLay"] = source.lay ?? { kind: "uv", uv_set: 0 };
  const put = (change: Partial<typeof source>) => onChange({ ...source, ...change }, false);
  const turn = (change: Partial<typeof source>) => onChange({ ...source, ...change }, true);
  const bring = async (file: File | undefined) => {
    if (picker.current) picker.current.value = "";
    if (!file) return;
    const { trouble } = await addImage(project.id, file);
    if (trouble !== null) set({ said: { text: trouble, bad: true } });
    else put({ image: file.name });
  };
  const pair = (numbers: readonly number[] | undefined, start: number): [number, number] => [
    numbers?.[0] ?? start,
    numbers?.[1] ?? start,
  ];
  const [across, down] = pair(source.repeat, 1);
  const [right, below] = pair(source.offset, 0);
  const known = images.find((image) => image.name === source.image);
  return (
    <>
      <Row label="Image">
        {images.length > 0 && (
          <Choice
            value={known ? source.image : ""}
            options={images.map((image) => image.name)}
            onChange={(image) => put({ image })}
          />
        )}
        <Button
          size="small"
          color="secondary"
          onClick={() => picker.current?.click()}
          sx={{ whiteSpace: "nowrap", minWidth: 0 }}>
          {images.length > 0 ? "Add…" : "Choose an image…"}
        </Button>
      </Row>
      <input
        ref={picker}
        type="file"
        accept="image/*"
        hidden
        data-test="image-file"
        onChange={(event) => void bring(event.target.files?.[0])}
      />
      {known && (
        <Box sx={{ display: "flex", gap: 1, alignItems: "center", py: 0.5 }}>
          <Box
            component="img"
            src={`/api/v1/projects/${project.id}/images?${new URLSearchParams({ name: known.name, size: String(known.bytes) })}`}
            alt={known.name}
            sx={{ maxWidth: 120, maxHeight: 64, borderRadius: 1, border: 1, borderColor: "divider" }}
          />
          <Typography variant="caption" color="textSecondary">
            {known.width} × {known.height}
          </Typography>
          <Box sx={{ flex: 1 }} />
          <Button
            size="small"
            color="inherit"
            onClick={() => void project.edit({ type: "delete_image", name: known.name })}
            sx={{ minWidth: 0, whiteSpace: "nowrap" }}>
            Take out
          </Button>
        </Box>
      )}
      {!known && source.image !== "" && (
        <Typography variant="caption" sx={{ color: "warning.main" }}>
          {source.image} is not in the project: add it, or choose another.
        </Typography>
      )}
      <Choose
        label="Lies"
        value={lay.kind}
        options={[
          ["uv", "by UV"],
          ["along", "along a direction"],
          ["three_axes", "from three axes"],
        ]}
        onChange={(kind) =>
          put({
            lay:
              kind === "uv"
                ? { kind, uv_set: 0 }
                : kind === "along"
                  ? { kind, direction: "minus_z", width: 0 }
                  : { kind, width: 0 },
          })
        }
      />
      {lay.kind === "uv" && part.uv_sets > 1 && (
        <Sliding
          label="UV set"
          value={(lay.uv_set ?? 0) + 1}
          min={1}
          max={part.uv_sets}
          step={1}
          onChange={(n) => put({ lay: { kind: "uv", uv_set: n - 1 } })}
        />
      )}
      {lay.kind === "uv" && part.uv_sets === 0 && (
        <Typography variant="caption" sx={{ color: "warning.main" }}>
          {part.name} has no UVs: lay the image along a direction or from three axes.
        </Typography>
      )}
      {lay.kind === "along" && (
        <DirectionField
          label="Looking"
          direction={lay.direction}
          onChange={(direction) => put({ lay: { ...lay, direction } })}
        />
      )}
      {lay.kind !== "uv" && (
        <Sliding
          label="Width"
          value={lay.width || Math.max(...size)}
          min={Math.max(...size) / 50}
          max={Math.max(...size) * 2}
          step={Math.max(...size) / 200}
          unit={symbol}
          digits={size[0] < 10 ? 3 : 1}
          onChange={(width) => turn({ lay: { ...lay, width } })}
        />
      )}
      <Sliding
        label="Across"
        value={across}
        min={-8}
        max={8}
        step={0.25}
        digits={2}
        unit="×"
        onChange={(n) => {
          if (n !== 0) turn({ repeat: [n, down] });
        }}
      />
      <Sliding
        label="Down"
        value={down}
        min={-8}
        max={8}
        step={0.25}
        digits={2}
        unit="×"
        onChange={(n) => {
          if (n !== 0) turn({ repeat: [across, n] });
        }}
      />
      <Sliding
        label="To the right"
        value={right}
        min={-1}
        max={1}
        step={0.01}
        digits={2}
        onChange={(n) => turn({ offset: [n, below] })}
      />
      <Sliding
        label="Downwards"
        value={below}
        min={-1}
        max={1}
        step={0.01}
        digits={2}
        onChange={(n) => turn({ offset: [right, n] })}
      />
      <Sliding
        label="Turn"
        value={source.turn ?? 0}
        min={-180}
        max={180}
        step={1}
        unit="°"
        onChange={(angle) => turn({ turn: angle })}
      />
      <Choose
        label="Beside it"
        value={source.wrap ?? "repeat"}
        options={[
          ["repeat", "the same again"],
          ["mirror", "its mirror image"],
          ["clamp", "its border goes on"],
        ]}
        onChange={(wrap) => put({ wrap })}
      />
      <Choose
        label="Averaged"
        value={source.averaged ?? "footprint"}
        options={[
          ["footprint", "over each element"],
          ["point", "not at all"],
          ["piece", "over each piece"],
        ]}
        onChange={(averaged) => put({ averaged })}
      />
      <Switching
        label="Hard pixels, without blending"
        on={source.hard_pixels ?? false}
        onChange={(hard_pixels) => put({ hard_pixels })}
      />
    </>
  );
}

/** A choice within a row. */
function Choice({
  value,
  options,
  onChange,
}: {
  value: string;
  options: readonly string[];
  onChange: (value: string) => void;
}) {
  return (
    <Box
      component="select"
      value={value}
      aria-label="Image"
      onChange={(event: React.ChangeEvent<HTMLSelectElement>) => onChange(event.target.value)}
      sx={{
        flex: 1,
        minWidth: 0,
        font: "inherit",
        fontSize: 13,
        fontWeight: 600,
        border: 0,
        bgcolor: "transparent",
        color: "text.primary",
      }}>
      {!options.includes(value) && <option value="">choose</option>}
      {options.map((option) => (
        <option key={option} value={option}>
          {option}
        </option>
      ))}
    </Box>
  );
}

function ChannelField({
  source,
  part,
  set: own,
  onChange,
}: {
  source: Extract<Source, { kind: "channel" }>;
  part: Part;
  set: ColorSet;
  onChange: (source: Source, turning: boolean) => void;
}) {
  const parts = useApp((state) => state.parts);
  const same = parts.filter((other) => other.mesh === part.mesh);
  const from = same.find((other) => other.name === (source.part ?? part.name)) ?? part;
  const channels: readonly (readonly [Schemas["Target"], string])[] = [
    ...channelName.map((name, i) => {
      const meaning = from.sets.find((each) => each.name === source.set)?.channels[i]?.meaning;
      return [name, meaning ? `${name} ${meaning}` : name] as const;
    }),
    ["RGB", "R G B together"],
  ];
  return (
    <>
      {same.length > 1 && (
        <Choose
          label="Part"
          value={from.name}
          options={same.map((other) => [other.name, other.name] as const)}
          onChange={(name) => onChange({ ...source, part: name === part.name ? null : name }, false)}
        />
      )}
      <Choose
        label="Set"
        value={from.sets.some((each) => each.name === source.set) ? source.set : ""}
        options={from.sets.map(
          (each) => [each.name, each.id === own.id ? `${each.name} (this one)` : each.name] as const,
        )}
        onChange={(name) => onChange({ ...source, set: name }, false)}
      />
      <Choose
        label="Channel"
        value={source.channel}
        options={channels}
        onChange={(channel) => onChange({ ...source, channel }, false)}
      />
    </>
  );
}

type Length = (
  label: string,
  value: number | undefined,
  share: number,
  none: string,
  change: (value: number) => Source,
) => ReactNode;

/** Radii that are looked at, each with how much it counts. */
function Scales({
  scales,
  diagonal,
  length,
  onChange,
}: {
  scales: readonly Schemas["WeighedScale"][];
  diagonal: number;
  length: Length;
  onChange: (scales: Schemas["WeighedScale"][], turning: boolean) => void;
}) {
  const shown = scales.length > 0 ? scales : [{ scale: 0, weight: 1 }];
  const put = (nth: number, change: Partial<Schemas["WeighedScale"]>) =>
    shown.map((each, i) => (i === nth ? { ...each, ...change } : each));
  return (
    <>
      {shown.map((each, i) => (
        <Box key={i}>
          {length(shown.length > 1 ? `Scale ${i + 1}` : "Scale", each.scale, 0.25, "finest", (scale) => ({
            kind: "relief",
            scales: put(i, { scale }),
          }))}
          {shown.length > 1 && (
            <Sliding
              label="Counts"
              value={each.weight ?? 1}
              min={0}
              max={4}
              step={0.05}
              digits={2}
              unit="×"
              onChange={(weight) => {
                const next = put(i, { weight });
                if (next.some((other) => (other.weight ?? 1) > 0)) onChange(next, true);
              }}
            />
          )}
        </Box>
      ))}
      <Row label="Scales">
        <Button
          size="small"
          color="secondary"
          disabled={shown.length >= facts().limits.scales}
          data-test="add-scale"
          onClick={() => {
            const last = shown[shown.length - 1];
            onChange([...shown, { scale: (last?.scale || diagonal / 100) * 4, weight: 1 }], false);
          }}
          sx={{ minWidth: 0 }}>
          One more
        </Button>
        {shown.length > 1 && (
          <Button size="small" color="inherit" onClick={() => onChange(shown.slice(0, -1), false)} sx={{ minWidth: 0 }}>
            One less
          </Button>
        )}
      </Row>
    </>
  );
}

export function SourceFields({ source, part, set: own, project, onChange }: Props) {
  const symbol = useApp((state) => symbols[state.traits.unit]);
  const parts = useApp((state) => state.parts);
  const { size, center } = boxOf(part);
  const diagonal = Math.max(Math.hypot(...size), 1e-9);
  const digits = diagonal < 1 ? 4 : diagonal < 10 ? 3 : diagonal < 100 ? 2 : 1;
  const put = (next: Source) => onChange(next, false);
  const turn = (next: Source) => onChange(next, true);
  /** A length; its 0 means what `none` says. */
  const length = (
    label: string,
    value: number | undefined,
    share: number,
    none: string,
    change: (value: number) => Source,
  ) => (
    <Sliding
      label={label}
      value={value ?? 0}
      min={0}
      max={diagonal * share}
      step={(diagonal * share) / 200}
      unit={symbol}
      digits={digits}
      zero={none}
      onChange={(next) => turn(change(next))}
    />
  );
  const rays = (value: number | undefined, change: (rays: number) => Source) => (
    <Sliding
      label="Rays"
      value={value ?? 64}
      min={4}
      max={4096}
      step={4}
      curved
      onChange={(next) => turn(change(Math.round(next)))}
    />
  );
  const seed = (value: number | undefined, change: (seed: number) => Source) => (
    <Row label="Seed">
      <Typography variant="body2" sx={{ fontWeight: 650 }} data-test="seed">
        {value ?? 0}
      </Typography>
      <Button
        size="small"
        color="secondary"
        data-test="reseed"
        onClick={() => put(change(((value ?? 0) * 7 + 13) % 9973))}
        sx={{ minWidth: 0 }}>
        Another
      </Button>
    </Row>
  );
  switch (source.kind) {
    case "occlusion":
      return (
        <>
          {rays(source.rays, (n) => ({ ...source, rays: n }))}
          {length("Reach", source.reach, 1, "endless", (reach) => ({ ...source, reach }))}
          {length("Offset", source.offset, 0.02, "a hair", (offset) => ({ ...source, offset }))}
          <Switching
            label="Stands on a ground"
            on={source.ground ?? false}
            onChange={(ground) => put({ ...source, ground })}
          />
          <Switching
            label="Other visible parts shade too"
            on={source.other_parts ?? true}
            onChange={(other_parts) => put({ ...source, other_parts })}
          />
          <Switching
            label="The lighter of both sides: for sheets"
            on={source.both_sides ?? false}
            onChange={(both_sides) => put({ ...source, both_sides })}
          />
          <Switching
            label="It shades itself too"
            on={source.own_shape ?? true}
            onChange={(own_shape) => put({ ...source, own_shape })}
          />
          <Choose
            label="By distance"
            value={source.falloff ?? "none"}
            options={[
              ["none", "as much up to the reach"],
              ["linear", "less and less"],
              ["quadratic", "soon less"],
            ]}
            onChange={(falloff) =>
              put({ ...source, falloff, reach: source.reach || (falloff === "none" ? 0 : diagonal / 4) })
            }
          />
          <Choose
            label="Spread"
            value={source.spread ?? "cosine"}
            options={[
              ["cosine", "most along the normal"],
              ["even", "the same every way"],
            ]}
            onChange={(spread) => put({ ...source, spread })}
          />
          <Switching
            label="More light from one side"
            on={source.sky != null}
            onChange={(on) => put({ ...source, sky: on ? "up" : null })}
          />
          {source.sky != null && (
            <DirectionField label="That side" direction={source.sky} onChange={(sky) => put({ ...source, sky })} />
          )}
          {seed(source.seed, (n) => ({ ...source, seed: n }))}
        </>
      );
    case "open_way":
      return (
        <>
          {rays(source.rays, (n) => ({ ...source, rays: n }))}
          {length("Reach", source.reach, 1, "endless", (reach) => ({ ...source, reach }))}
          <Choose
            label="In numbers of"
            value={source.space ?? "world"}
            options={spaces}
            onChange={(space) => put({ ...source, space })}
          />
          <Switching
            label="Other visible parts count too"
            on={source.other_parts ?? true}
            onChange={(other_parts) => put({ ...source, other_parts })}
          />
          {seed(source.seed, (n) => ({ ...source, seed: n }))}
        </>
      );
    case "relief":
      return (
        <Scales
          scales={source.scales ?? []}
          diagonal={diagonal}
          length={length}
          onChange={(scales, turning) => onChange({ ...source, scales }, turning)}
        />
      );
    case "hollows":
    case "ridges":
      return length("Scale", source.scale, 0.25, "finest", (scale) => ({ ...source, scale }));
    case "edges":
      return (
        <>
          <Sliding
            label="Angle"
            value={source.angle ?? 30}
            min={0}
            max={180}
            step={1}
            unit="°"
            onChange={(angle) => turn({ ...source, angle })}
          />
          {length("Width", source.width, 0.1, "an edge", (width) => ({ ...source, width }))}
          <Choose
            label="Bends"
            value={source.bends ?? "both"}
            options={[
              ["both", "both ways"],
              ["out", "standing out"],
              ["in", "going in"],
            ]}
            onChange={(bends) => put({ ...source, bends })}
          />
        </>
      );
    case "thickness":
      return (
        <>
          {rays(source.rays, (n) => ({ ...source, rays: n }))}
          {length("1 is", source.reach, 0.5, "fitted", (reach) => ({ ...source, reach }))}
          {seed(source.seed, (n) => ({ ...source, seed: n }))}
        </>
      );
    case "openness":
      return (
        <>
          <DirectionField
            label="Light"
            direction={source.light ?? "up"}
            onChange={(light) => put({ ...source, light })}
          />
          <Sliding
            label="Spread"
            value={source.spread ?? 15}
            min={0}
            max={90}
            step={1}
            unit="°"
            onChange={(spread) => turn({ ...source, spread })}
          />
          {rays(source.rays, (n) => ({ ...source, rays: n }))}
          <Switching
            label="Other visible parts shade too"
            on={source.other_parts ?? true}
            onChange={(other_parts) => put({ ...source, other_parts })}
          />
          {seed(source.seed, (n) => ({ ...source, seed: n }))}
        </>
      );
    case "facing":
      return (
        <>
          <DirectionField
            label="Direction"
            direction={source.direction ?? "up"}
            onChange={(direction) => put({ ...source, direction })}
          />
          <Choose
            label="In numbers of"
            value={source.space ?? "world"}
            options={spaces}
            onChange={(space) => put({ ...source, space })}
          />
          <Sliding
            label="Half-angle"
            value={source.half_angle ?? 90}
            min={1}
            max={180}
            step={1}
            unit="°"
            onChange={(half_angle) => turn({ ...source, half_angle })}
          />
          <Sliding
            label="Softness"
            value={Math.round((source.softness ?? 1) * 100)}
            min={0}
            max={100}
            step={1}
            unit="%"
            onChange={(n) => turn({ ...source, softness: n / 100 })}
          />
        </>
      );
    case "height_ramp": {
      const up =
        typeof source.direction === "string" || source.direction === undefined ? (source.direction ?? "up") : "other";
      const axis =
        up === "up" || up === "down"
          ? useApp.getState().traits.up === "z"
            ? 2
            : 1
          : up.endsWith("x")
            ? 0
            : up.endsWith("y")
              ? 1
              : 2;
      const sign = up === "down" || up.startsWith("minus") ? -1 : 1;
      const [middle, extent] =
        source.space === "part"
          ? [((part.min[axis] ?? 0) + (part.max[axis] ?? 0)) / 2, (part.max[axis] ?? 0) - (part.min[axis] ?? 0)]
          : [center[axis] ?? 0, size[axis] ?? 1];
      const half = up === "other" ? diagonal : Math.max(extent / 2, 1e-9);
      const [low, high] = up === "other" ? [-diagonal, diagonal] : [middle * sign - half, middle * sign + half];
      const from = source.from ?? low;
      const to = source.to ?? high;
      return (
        <>
          <DirectionField
            label="Direction"
            direction={source.direction ?? "up"}
            onChange={(direction) => put({ ...source, direction, from: null, to: null })}
          />
          <Choose
            label="In numbers of"
            value={source.space ?? "world"}
            options={spaces}
            onChange={(space) => put({ ...source, space, from: null, to: null })}
          />
          <Sliding
            label="0 at"
            value={from}
            min={low}
            max={high}
            step={(high - low) / 200}
            unit={symbol}
            digits={digits}
            onChange={(n) => {
              if (n !== to) turn({ ...source, from: n, to });
            }}
          />
          <Sliding
            label="1 at"
            value={to}
            min={low}
            max={high}
            step={(high - low) / 200}
            unit={symbol}
            digits={digits}
            onChange={(n) => {
              if (n !== from) turn({ ...source, from, to: n });
            }}
          />
          {(source.from != null || source.to != null) && (
            <Button size="small" color="secondary" onClick={() => put({ ...source, from: null, to: null })}>
              Over the whole part
            </Button>
          )}
        </>
      );
    }
    case "between":
      return (
        <>
          <Vector label="0 at" value={source.from} onChange={(from) => put({ ...source, from })} />
          <Vector label="1 at" value={source.to} onChange={(to) => put({ ...source, to })} />
          <Choose
            label="In numbers of"
            value={source.space ?? "world"}
            options={spaces}
            onChange={(space) => put({ ...source, space })}
          />
        </>
      );
    case "distance":
      return (
        <>
          <RootField root={source.from} part={part} ofTrail={false} onChange={(from) => put({ ...source, from })} />
          {length("1 from", source.reach, 1, "its diagonal", (reach) => ({ ...source, reach }))}
        </>
      );
    case "trail":
      return (
        <>
          <RootField root={source.root} part={part} ofTrail onChange={(root) => put({ ...source, root })} />
          {length("1 from", source.reach, 1.5, "the far end", (reach) => ({ ...source, reach }))}
          <Choose
            label="Joined pieces"
            value={source.joined ?? "apart"}
            options={[
              ["apart", "each on its own"],
              ["goes_on", "it goes on into them"],
              ["holds", "move with where they join"],
            ]}
            onChange={(joined) => put({ ...source, joined })}
          />
          {(source.joined ?? "apart") !== "apart" &&
            length("Touching", source.touch, 0.05, "an edge", (touch) => ({ ...source, touch }))}
        </>
      );
    case "joint":
      return (
        <>
          <Choose
            label="Between"
            value={source.between ?? "pieces"}
            options={amongWords}
            onChange={(between) => put({ ...source, between })}
          />
          {length("Width", source.width, 0.3, "fitted", (width) => ({ ...source, width }))}
          {length("Full up to", source.offset, 0.1, "0", (offset) => ({ ...source, offset }))}
        </>
      );
    case "position":
    case "normal":
      return (
        <Choose
          label="In numbers of"
          value={source.space ?? "world"}
          options={spaces}
          onChange={(space) => put({ ...source, space })}
        />
      );
    case "noise": {
      const space = typeof source.space === "object" ? "uv" : (source.space ?? "part");
      const inUv = space === "uv";
      // The pattern stays as large as it is when it is looked up elsewhere.
      const scale = Math.cbrt(Math.abs(part.transform.scale.reduce((a, b) => a * b, 1)));
      const unit = { world: 1, part: scale, uv: Math.max(...size) };
      const to = (next: "world" | "part" | "uv") =>
        put({
          ...source,
          size: ((source.size ?? 0) * unit[space]) / unit[next],
          space: next === "uv" ? { uv: 0 } : next,
        });
      return (
        <>
          <Choose
            label="Kind"
            value={source.noise ?? "gradient"}
            options={noiseWords}
            onChange={(noise) => put({ ...source, noise })}
          />
          {inUv ? (
            <Sliding
              label="Size"
              value={source.size ?? 0}
              min={0}
              max={1}
              step={0.005}
              digits={3}
              zero="fitted"
              onChange={(n) => turn({ ...source, size: n })}
            />
          ) : (
            length("Size", source.size, 0.5, "fitted", (n) => ({ ...source, size: n }))
          )}
          <Sliding
            label="Octaves"
            value={source.octaves ?? 3}
            min={1}
            max={12}
            step={1}
            onChange={(octaves) => turn({ ...source, octaves })}
          />
          <Sliding
            label="Warp"
            value={source.warp ?? 0}
            min={0}
            max={3}
            step={0.05}
            digits={2}
            onChange={(warp) => turn({ ...source, warp })}
          />
          <Choose
            label="In"
            value={space}
            options={
              part.uv_sets > 0
                ? [
                    ["part", "the part's space"],
                    ["world", "the project's space"],
                    ["uv", "UV"],
                  ]
                : [
                    ["part", "the part's space"],
                    ["world", "the project's space"],
                  ]
            }
            onChange={to}
          />
          <Sliding
            label="Contrast"
            value={Math.round((source.contrast ?? 0) * 100)}
            min={0}
            max={100}
            step={1}
            unit="%"
            onChange={(n) => turn({ ...source, contrast: n / 100 })}
          />
          {(source.octaves ?? 3) > 1 && (
            <>
              <Sliding
                label="Finer by"
                value={source.lacunarity ?? 2}
                min={1}
                max={4}
                step={0.05}
                digits={2}
                unit="×"
                onChange={(lacunarity) => turn({ ...source, lacunarity })}
              />
              <Sliding
                label="Lower by"
                value={source.gain ?? 0.5}
                min={0}
                max={1}
                step={0.01}
                digits={2}
                unit="×"
                onChange={(gain) => turn({ ...source, gain })}
              />
            </>
          )}
          <Sliding
            label="Stretch"
            value={source.stretch ?? 1}
            min={0.1}
            max={10}
            step={0.1}
            digits={1}
            unit="×"
            curved
            onChange={(stretch) => turn({ ...source, stretch })}
          />
          {!inUv && (source.stretch ?? 1) !== 1 && (
            <DirectionField
              label="Along"
              direction={source.along ?? "up"}
              onChange={(along) => put({ ...source, along })}
            />
          )}
          {inUv && source.noise !== "simplex" && (
            <Switching
              label="Tiles: comes again with each square"
              on={source.tiles ?? false}
              onChange={(tiles) => put({ ...source, tiles })}
            />
          )}
          {seed(source.seed, (n) => ({ ...source, seed: n }))}
        </>
      );
    }
    case "per_piece":
      return (
        <>
          <Choose
            label="For each of"
            value={source.by ?? "pieces"}
            options={amongWords}
            onChange={(by) => put({ ...source, by })}
          />
          <Sliding
            label="Different"
            value={source.colors ?? 0}
            min={0}
            max={16}
            step={1}
            zero="one each"
            onChange={(n) => turn({ ...source, colors: n < 2 ? 0 : n })}
          />
          {seed(source.seed, (n) => ({ ...source, seed: n }))}
        </>
      );
    case "per_piece_shift": {
      const amounts = vec(source.amounts ?? [1, 1, 1]);
      return (
        <>
          <Choose
            label="For each of"
            value={source.by ?? "pieces"}
            options={amongWords}
            onChange={(by) => put({ ...source, by })}
          />
          {["Lightness", "Chroma", "Hue"].map((label, i) => (
            <Sliding
              key={label}
              label={label}
              value={Math.round((amounts[i] ?? 0) * 100)}
              min={0}
              max={100}
              step={1}
              unit="%"
              onChange={(n) => turn({ ...source, amounts: vec(amounts.map((old, k) => (k === i ? n / 100 : old))) })}
            />
          ))}
          {seed(source.seed, (n) => ({ ...source, seed: n }))}
        </>
      );
    }
    case "image":
      return <ImageField source={source} part={part} project={project} onChange={onChange} />;
    case "channel":
      return <ChannelField source={source} part={part} set={own} onChange={onChange} />;
    case "constant":
      return (
        <Sliding
          label="Number"
          value={source.value}
          min={0}
          max={1}
          step={0.01}
          digits={2}
          onChange={(value) => turn({ ...source, value })}
        />
      );
    case "color": {
      const [r, g, b] = vec(source.color);
      return (
        <Row label="Color">
          <ColorWell
            color={[r, g, b, 1]}
            mark="step-color"
            size={32}
            withAlpha={false}
            onChange={(color) => turn({ ...source, color: color.slice(0, 3) })}
          />
        </Row>
      );
    }
    case "material":
      if (part.materials.length > 0) return <MaterialList materials={part.materials} />;
      return (
        <Typography variant="caption" color="textSecondary">
          {part.sets.some((each) => each.name === "Material")
            ? "Taken from the set Material, which the file brought."
            : `${part.name} brought no colors of materials; a set called Material would serve as well.`}
        </Typography>
      );
    case "hand_paint":
      return (
        <Typography variant="caption" color="textSecondary">
          Paint into {own.name} in Paint: it lands here, over what the steps above make. Erasing shows them again.
          {snapshotNames(parts).length > 0 ? " Snapshots keep both." : ""}
        </Typography>
      );
  }
}

/** What the part's surfaces are made of, as its file said. */
function MaterialList({ materials }: { materials: Part["materials"] }) {
  return (
    <Box component="ul" data-test="materials" sx={{ m: 0, p: 0, listStyle: "none", display: "grid", gap: 0.5 }}>
      {materials.map((material, i) => (
        <Box component="li" key={i} sx={{ display: "flex", alignItems: "center", gap: 1, minWidth: 0 }}>
          <Box
            sx={{
              width: 14,
              height: 14,
              flex: "none",
              borderRadius: "50%",
              border: 1,
              borderColor: "divider",
              bgcolor: hex(material.color),
            }}
          />
          <Typography variant="body2" noWrap title={material.name}>
            {material.name || "without a name"}
          </Typography>
          {material.image && (
            <Typography variant="caption" color="textSecondary" noWrap title={material.image}>
              × image {material.image}
            </Typography>
          )}
        </Box>
      ))}
    </Box>
  );
}

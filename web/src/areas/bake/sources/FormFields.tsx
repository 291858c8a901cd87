// The numbers of sources that look at the form.
import { Box, Button } from "@mui/material";
import type { Schemas } from "../../../api/client";
import { Choose, Row, Sliding, Switching } from "../../../widgets/rows";
import { facts } from "../../../model/state";
import { CurveEditor } from "../CurveEditor";
import { LightFields } from "./LightFields";
import { DirectionField, spaces, tangent, useRows, type FieldsProps, type Length } from "./rows";

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

/** A falloff by a curve as it starts. */
const falling: Schemas["CurvePoint"][] = [
  { x: 0, y: 1, corner: false },
  { x: 0.5, y: 0.25, corner: false },
  { x: 1, y: 0, corner: false },
];

/** A curve none of whose points is higher than the one before. */
const descending = (points: Schemas["CurvePoint"][]) => {
  let least = 1;
  return points.map((point) => {
    least = Math.min(least, point.y);
    return { ...point, y: least };
  });
};

export function FormFields({ source, part, onChange }: FieldsProps) {
  const { diagonal, put, turn, length, rays, seed } = useRows(part, onChange);
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
            value={typeof source.falloff === "object" ? "curve" : (source.falloff ?? "none")}
            options={[
              ["none", "as much up to the reach"],
              ["linear", "less and less"],
              ["quadratic", "soon less"],
              ["curve", "by a curve that falls"],
            ]}
            onChange={(by) =>
              put({
                ...source,
                falloff: by === "curve" ? { curve: falling } : by,
                reach: source.reach || (by === "none" ? 0 : diagonal / 4),
              })
            }
          />
          {typeof source.falloff === "object" && (
            <CurveEditor
              points={source.falloff.curve}
              bins={undefined}
              onChange={(points) => turn({ ...source, falloff: { curve: descending(points) } })}
            />
          )}
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
            options={part.uv_sets > 0 ? [...spaces, tangent] : spaces}
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
    case "light":
      return <LightFields source={source} part={part} onChange={onChange} />;
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
    default:
      return null;
  }
}

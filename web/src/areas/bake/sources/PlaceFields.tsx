// The numbers of sources that look at where a place is.
import { Button } from "@mui/material";
import { Choose, Sliding } from "../../../widgets/rows";
import { useApp } from "../../../model/state";
import { amongWords } from "../../../model/sources";
import { BoxField } from "./BoxField";
import { LineFields } from "./LineFields";
import { RootField } from "./RootField";
import { DirectionField, spaces, tangent, useRows, Vector, type FieldsProps } from "./rows";
import { SelectionField } from "./SelectionField";

export function PlaceFields({ source, part, onChange }: FieldsProps) {
  const { symbol, size, center, diagonal, digits, put, turn, length } = useRows(part, onChange);
  switch (source.kind) {
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
          {((source.joined ?? "apart") !== "apart" || source.root.kind === "part") &&
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
    case "line":
      return <LineFields source={source} part={part} onChange={onChange} />;
    case "rim":
      return (
        <>
          <SelectionField
            label="Rim of"
            part={part}
            value={source.of ?? null}
            none="what the mask protects"
            onChange={(of) => put({ ...source, of })}
          />
          {length("0 and 1 at", source.reach, 0.5, "fitted", (reach) => ({ ...source, reach }))}
        </>
      );
    case "position":
      return (
        <>
          <Choose
            label="In numbers of"
            value={source.space ?? "world"}
            options={spaces}
            onChange={(space) => put({ ...source, space })}
          />
          <BoxField part={part} within={source.within ?? null} onChange={(within) => put({ ...source, within })} />
        </>
      );
    case "normal":
      return (
        <Choose
          label="In numbers of"
          value={source.space ?? "world"}
          options={part.uv_sets > 0 ? [...spaces, tangent] : spaces}
          onChange={(space) => put({ ...source, space })}
        />
      );
    default:
      return null;
  }
}

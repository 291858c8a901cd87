// Which image, and how it lies.
import { Typography } from "@mui/material";
import type { Schemas } from "../../../api/client";
import { ImageChoice, LaidRows } from "../../../widgets/ImageChoice";
import { Choose, Sliding, Switching } from "../../../widgets/rows";
import type { Project } from "../../../project/project";
import { useApp, type Part } from "../../../model/state";
import { symbols } from "../../../model/words";
import { boxOf } from "../../../project/tools";
import type { Source } from "../../../model/sources";
import { DirectionField } from "./rows";

export function ImageField({
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
  const symbol = useApp((state) => symbols[state.traits.unit]);
  const { size } = boxOf(part);
  const lay: Schemas["ImageLay"] = source.lay ?? { kind: "uv", uv_set: 0 };
  const put = (change: Partial<typeof source>) => onChange({ ...source, ...change }, false);
  const turn = (change: Partial<typeof source>) => onChange({ ...source, ...change }, true);
  return (
    <>
      <ImageChoice project={project} image={source.image} onImage={(image) => put({ image })} />
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
            tiles: kind === "uv" ? source.tiles : false,
            lay:
              kind === "uv"
                ? { kind, uv_set: 0 }
                : kind === "along"
                  ? { kind, direction: "minus_z", width: 0, turned: 90, seen: true }
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
      {lay.kind === "uv" && isTile(source.image) && (
        <Switching
          label="One of several tiles, by the numbers in their names"
          on={source.tiles ?? false}
          onChange={(tiles) => put({ tiles })}
        />
      )}
      {lay.kind === "along" && (
        <>
          <DirectionField
            label="Looking"
            direction={lay.direction}
            onChange={(direction) => put({ lay: { ...lay, direction } })}
          />
          <Sliding
            label="Turned by"
            value={lay.turned ?? 180}
            min={5}
            max={180}
            step={5}
            unit="°"
            onChange={(turned) => turn({ lay: { ...lay, turned } })}
          />
          <Switching
            label="What the part itself hides is left out"
            on={lay.seen ?? false}
            onChange={(seen) => put({ lay: { ...lay, seen } })}
          />
        </>
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
      <LaidRows repeat={source.repeat} offset={source.offset} turn={source.turn} onTurn={turn} />
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

/** Whether a name has the number of a tile: four digits from 1001 on. */
const isTile = (name: string) => /(?<!\d)[1-9]\d{3}(?!\d)/.test(name);

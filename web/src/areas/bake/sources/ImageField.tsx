// Which image, and how it lies.
import { Box, Button, Typography } from "@mui/material";
import { useRef } from "react";
import type { Schemas } from "../../../api/client";
import { addImage } from "../../../api/writes";
import { Choose, Row, Sliding, Switching } from "../../../widgets/rows";
import type { Project } from "../../../project/project";
import { set, useApp, type Part } from "../../../model/state";
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

/** Whether a name has the number of a tile: four digits from 1001 on. */
const isTile = (name: string) => /(?<!\d)[1-9]\d{3}(?!\d)/.test(name);

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

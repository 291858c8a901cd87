// Which image of the project, and how it lies.
import { Box, Button, Typography } from "@mui/material";
import { useRef } from "react";
import { addImage } from "../api/writes";
import { set, useApp } from "../model/state";
import { Row, Sliding } from "./rows";

/** What it needs of a project. */
interface ImagesOf {
  id: number;
  edit: (edit: { type: "delete_image"; name: string }) => Promise<unknown>;
}

export function ImageChoice({
  project,
  image,
  mark = "image-file",
  onImage,
}: {
  project: ImagesOf;
  image: string;
  mark?: string;
  onImage: (image: string) => void;
}) {
  const images = useApp((state) => state.images);
  const picker = useRef<HTMLInputElement>(null);
  const bring = async (file: File | undefined) => {
    if (picker.current) picker.current.value = "";
    if (!file) return;
    const { trouble } = await addImage(project.id, file);
    if (trouble !== null) set({ said: { text: trouble, bad: true } });
    else onImage(file.name);
  };
  const known = images.find(({ name }) => name === image);
  return (
    <>
      <Row label="Image">
        {images.length > 0 && (
          <Choice value={known ? image : ""} options={images.map(({ name }) => name)} onChange={onImage} />
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
        data-test={mark}
        onChange={(event) => void bring(event.target.files?.[0])}
      />
      {known && (
        <Box sx={{ display: "flex", gap: 1, alignItems: "center", py: 0.5 }}>
          <Box
            component="img"
            src={`/api/v1/projects/${project.id}/images?${new URLSearchParams({ name: known.name, digest: known.digest })}`}
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
      {!known && image !== "" && (
        <Typography variant="caption" sx={{ color: "warning.main" }}>
          {image} is not in the project: add it, or choose another.
        </Typography>
      )}
    </>
  );
}

type Pair = [number, number];

const withAt = ([a, b]: Pair, at: number, n: number): Pair => (at === 0 ? [n, b] : [a, n]);

/** How often it comes, how far it is moved and turned. */
export function LaidRows({
  repeat,
  offset,
  turn,
  onTurn,
}: {
  repeat: readonly number[] | undefined;
  offset: readonly number[] | undefined;
  turn: number | undefined;
  onTurn: (by: { repeat?: Pair; offset?: Pair; turn?: number }) => void;
}) {
  const times: Pair = [repeat?.[0] ?? 1, repeat?.[1] ?? 1];
  const moved: Pair = [offset?.[0] ?? 0, offset?.[1] ?? 0];
  return (
    <>
      {(["Across", "Down"] as const).map((label, i) => (
        <Sliding
          key={label}
          label={label}
          value={times[i] ?? 1}
          min={-8}
          max={8}
          step={0.25}
          digits={2}
          unit="×"
          onChange={(n) => {
            if (n !== 0) onTurn({ repeat: withAt(times, i, n) });
          }}
        />
      ))}
      {(["To the right", "Downwards"] as const).map((label, i) => (
        <Sliding
          key={label}
          label={label}
          value={moved[i] ?? 0}
          min={-1}
          max={1}
          step={0.01}
          digits={2}
          onChange={(n) => onTurn({ offset: withAt(moved, i, n) })}
        />
      ))}
      <Sliding
        label="Turn"
        value={turn ?? 0}
        min={-180}
        max={180}
        step={1}
        unit="°"
        onChange={(angle) => onTurn({ turn: angle })}
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

// What the numbers of sources have in common: vectors, directions, lengths, rays, seeds.
import { Button, InputBase, Typography } from "@mui/material";
import type { ReactNode } from "react";
import { Choose, Row, Sliding } from "../../../widgets/rows";
import { useApp, type Part } from "../../../model/state";
import { symbols } from "../../../model/words";
import { boxOf } from "../../../project/tools";
import type { Schemas } from "../../../api/client";
import { amongWords, directionWords, type Direction, type Source } from "../../../model/sources";
import { useTyped } from "../../../widgets/typed";

export interface FieldsProps {
  source: Source;
  part: Part;
  /** `turning`: one of many on the way, as a slider gives them. */
  onChange: (source: Source, turning: boolean) => void;
}

type Among = Schemas["Among"];

export type Vec = [number, number, number];
export const vec = (numbers: readonly number[]): Vec => [numbers[0] ?? 0, numbers[1] ?? 0, numbers[2] ?? 0];

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
export function Vector({
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

export function DirectionField({
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

/** What is told apart. */
export function ForEach({ by, onChange }: { by: Among | undefined; onChange: (by: Among) => void }) {
  return <Choose label="For each of" value={by ?? "pieces"} options={amongWords} onChange={onChange} />;
}

export const spaces = [
  ["world", "the project's"],
  ["part", "the part's own"],
] as const;

/** For normals: along U, along V and outwards. */
export const tangent = ["tangent", "the surface's, by UV"] as const;

/** A length; its 0 means what `none` says. */
export type Length = (
  label: string,
  value: number | undefined,
  share: number,
  none: string,
  change: (value: number) => Source,
) => ReactNode;

/** What the rows of a part's sources are made of. */
export function useRows(part: Part, onChange: FieldsProps["onChange"]) {
  const symbol = useApp((state) => symbols[state.traits.unit]);
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
  const share = (label: string, value: number, change: (value: number) => Source) => (
    <Sliding
      label={label}
      value={Math.round(value * 100)}
      min={0}
      max={100}
      step={1}
      unit="%"
      onChange={(next) => turn(change(next / 100))}
    />
  );
  const angle = (label: string, value: number, min: number, max: number, change: (value: number) => Source) => (
    <Sliding
      label={label}
      value={value}
      min={min}
      max={max}
      step={1}
      unit="°"
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
  /** The axis that the project's up lies on. */
  const upwards = useApp((state) => (state.traits.up === "z" ? 2 : 1));
  return { symbol, size, center, diagonal, digits, put, turn, length, share, angle, rays, seed, upwards };
}

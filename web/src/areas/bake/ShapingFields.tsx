// What becomes of a step's numbers, one shaping after another.
import { Box, Button, IconButton, Menu, MenuItem, Slider, Typography } from "@mui/material";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { ColorWell } from "../../widgets/ColorWell";
import { Around } from "../../widgets/Around";
import { Choose, Sliding, Switching } from "../../widgets/rows";
import { boxOf } from "../../project/tools";
import { CurveEditor } from "./CurveEditor";
import { shapingWords, type Shaping } from "../../model/recipes";
import { facts, type Part } from "../../model/state";
import type { Rgba } from "../../model/choices";

interface Props {
  part: Part;
  shapings: readonly Shaping[];
  /** The numbers before each of them, and after the last. */
  histograms: readonly (readonly number[])[] | undefined;
  onChange: (shapings: Shaping[], turning: boolean) => void;
}

export function Shapings({ part, shapings, histograms, onChange }: Props) {
  const diagonal = Math.max(Math.hypot(...boxOf(part).size), 1e-9);
  const start = (kind: Shaping["kind"]): Shaping => {
    const { start } = shapingWords[kind];
    // What looks around does so over a length that suits the part.
    return start.kind === "soften" || start.kind === "sharpen" ? { ...start, length: diagonal / 50 } : start;
  };
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const kinds = Object.keys(shapingWords) as Shaping["kind"][];
  const move = (from: number, to: number) => {
    const next = [...shapings];
    next.splice(to, 0, ...next.splice(from, 1));
    onChange(next, false);
  };
  return (
    <Box>
      {shapings.map((shaping, i) => (
        <Box
          key={i}
          data-test="shaping"
          sx={{ borderTop: 1, borderColor: "divider", borderTopStyle: "dashed", pt: 0.25 }}>
          <Box sx={{ display: "flex", alignItems: "center", minHeight: 30 }}>
            <Typography variant="body2" sx={{ flex: 1, fontWeight: 700 }}>
              {shapingWords[shaping.kind].title}
            </Typography>
            <IconButton
              size="small"
              aria-label={`Move ${shapingWords[shaping.kind].title} up`}
              disabled={i === 0}
              onClick={() => move(i, i - 1)}
              sx={{ width: 26, height: 26, fontSize: 13 }}>
              ↑
            </IconButton>
            <IconButton
              size="small"
              aria-label={`Move ${shapingWords[shaping.kind].title} down`}
              disabled={i === shapings.length - 1}
              onClick={() => move(i, i + 1)}
              sx={{ width: 26, height: 26, fontSize: 13 }}>
              ↓
            </IconButton>
            <IconButton
              size="small"
              aria-label={`Take ${shapingWords[shaping.kind].title} away`}
              onClick={() =>
                onChange(
                  shapings.filter((_, k) => k !== i),
                  false,
                )
              }
              sx={{ width: 26, height: 26, fontSize: 15 }}>
              ×
            </IconButton>
          </Box>
          <ShapingFields
            diagonal={diagonal}
            shaping={shaping}
            bins={histograms?.[i]}
            onChange={(next, turning) =>
              onChange(
                shapings.map((old, k) => (k === i ? next : old)),
                turning,
              )
            }
          />
        </Box>
      ))}
      <Button
        size="small"
        color="secondary"
        data-test="add-shaping"
        onClick={(event) => setAnchor(event.currentTarget)}
        sx={{ px: 0.5 }}>
        + Shape it
      </Button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        {kinds.map((kind) => (
          <MenuItem
            key={kind}
            dense
            data-test={`shape-${kind}`}
            onClick={() => {
              setAnchor(null);
              onChange([...shapings, start(kind)], false);
            }}>
            <Box component="span" sx={{ width: 88, fontWeight: 600 }}>
              {shapingWords[kind].title}
            </Box>
            <Typography variant="caption" color="textSecondary">
              {shapingWords[kind].says}
            </Typography>
          </MenuItem>
        ))}
      </Menu>
    </Box>
  );
}

const percent = (value: number) => Math.round(value * 100);

function ShapingFields({
  diagonal,
  shaping,
  bins,
  onChange,
}: {
  diagonal: number;
  shaping: Shaping;
  bins: readonly number[] | undefined;
  onChange: (shaping: Shaping, turning: boolean) => void;
}) {
  const turn = (next: Shaping) => onChange(next, true);
  const share = (label: string, value: number, change: (value: number) => Shaping) => (
    <Sliding
      label={label}
      value={percent(value)}
      min={0}
      max={100}
      step={1}
      unit="%"
      onChange={(n) => turn(change(n / 100))}
    />
  );
  switch (shaping.kind) {
    case "curve":
      return <CurveEditor points={shaping.points} bins={bins} onChange={(points) => turn({ kind: "curve", points })} />;
    case "levels": {
      const { from = 0, to = 1, gamma = 1, least = 0, greatest = 1 } = shaping;
      return (
        <>
          {share("From", from, (n) => ({ ...shaping, from: Math.min(n, to - 0.01) }))}
          {share("To", to, (n) => ({ ...shaping, to: Math.max(n, from + 0.01) }))}
          <Sliding
            label="Gamma"
            value={gamma}
            min={0.1}
            max={5}
            step={0.05}
            digits={2}
            onChange={(n) => turn({ ...shaping, gamma: n })}
          />
          {share("Least", least, (n) => ({ ...shaping, least: n }))}
          {share("Greatest", greatest, (n) => ({ ...shaping, greatest: n }))}
        </>
      );
    }
    case "gain":
      return (
        <>
          <Sliding
            label="Times"
            value={shaping.by ?? 1}
            min={-5}
            max={5}
            step={0.05}
            digits={2}
            onChange={(by) => turn({ ...shaping, by })}
          />
          <Sliding
            label="Plus"
            value={shaping.plus ?? 0}
            min={-1}
            max={1}
            step={0.01}
            digits={2}
            onChange={(plus) => turn({ ...shaping, plus })}
          />
        </>
      );
    case "clamp": {
      const { low = 0, high = 1 } = shaping;
      return (
        <>
          {share("No less than", low, (n) => ({ ...shaping, low: Math.min(n, high) }))}
          {share("No more than", high, (n) => ({ ...shaping, high: Math.max(n, low) }))}
        </>
      );
    }
    case "invert":
      return null;
    case "gamma":
      return (
        <Sliding
          label="Gamma"
          value={shaping.gamma}
          min={0.1}
          max={5}
          step={0.05}
          digits={2}
          onChange={(gamma) => turn({ kind: "gamma", gamma })}
        />
      );
    case "soften":
      return (
        <>
          <Around shaping={shaping} diagonal={diagonal} most={100} onChange={onChange} />
          <Switching
            label="Keep edges of the values"
            on={shaping.keep_edges != null}
            onChange={(on) => onChange({ ...shaping, keep_edges: on ? 0.1 : null }, false)}
          />
          {shaping.keep_edges != null && (
            <Sliding
              label="Edges from"
              value={shaping.keep_edges}
              min={0}
              max={1}
              step={0.01}
              digits={2}
              onChange={(keep_edges) => turn({ ...shaping, keep_edges })}
            />
          )}
        </>
      );
    case "sharpen":
      return (
        <>
          <Around shaping={shaping} diagonal={diagonal} most={50} onChange={onChange} />
          <Sliding
            label="Amount"
            value={percent(shaping.amount ?? 1)}
            min={0}
            max={400}
            step={5}
            unit="%"
            onChange={(n) => turn({ ...shaping, amount: n / 100 })}
          />
        </>
      );
    case "posterise":
      return (
        <Sliding
          label="Steps"
          value={shaping.steps}
          min={2}
          max={32}
          step={1}
          onChange={(steps) => turn({ kind: "posterise", steps })}
        />
      );
    case "threshold":
      return (
        <>
          {share("At", shaping.at, (at) => ({ ...shaping, at }))}
          {share("Softness", shaping.softness ?? 0, (softness) => ({ ...shaping, softness }))}
        </>
      );
    case "byte":
      return (
        <Choose
          label="Which half"
          value={shaping.half ?? "high"}
          options={[
            ["high", "the one that counts 256s"],
            ["low", "what is left of it"],
          ]}
          onChange={(half) => onChange({ ...shaping, half }, false)}
        />
      );
    case "fold":
      return null;
    case "ramp":
      return <Ramp stops={shaping.stops} onChange={(stops, turning) => onChange({ kind: "ramp", stops }, turning)} />;
  }
}

function Ramp({
  stops,
  onChange,
}: {
  stops: readonly Schemas["Stop"][];
  onChange: (stops: Schemas["Stop"][], turning: boolean) => void;
}) {
  const inOrder = (next: Schemas["Stop"][]) => [...next].sort((a, b) => a.at - b.at);
  const put = (i: number, change: Partial<Schemas["Stop"]>) =>
    onChange(inOrder(stops.map((stop, k) => (k === i ? { ...stop, ...change } : stop))), true);
  return (
    <>
      {stops.map((stop, i) => (
        <Box key={i} sx={{ display: "flex", alignItems: "center", gap: 1.25, minHeight: 34 }}>
          <ColorWell
            color={stop.color as Rgba}
            mark={`ramp-${i}`}
            size={26}
            withAlpha={false}
            onChange={(color) => put(i, { color })}
          />
          <Slider
            size="small"
            value={stop.at}
            min={stops[i - 1]?.at ?? 0}
            max={stops[i + 1]?.at ?? 1}
            step={0.01}
            aria-label={`Place of color ${i + 1}`}
            onChange={(_, at) => put(i, { at })}
          />
          <Typography variant="body2" sx={{ width: 30, textAlign: "right" }}>
            {stop.at.toFixed(2)}
          </Typography>
          <IconButton
            size="small"
            aria-label={`Take color ${i + 1} out`}
            disabled={stops.length < 2}
            onClick={() =>
              onChange(
                stops.filter((_, k) => k !== i),
                false,
              )
            }
            sx={{ fontSize: 15, width: 26, height: 26 }}>
            ×
          </IconButton>
        </Box>
      ))}
      <Button
        size="small"
        color="secondary"
        disabled={stops.length >= facts().limits.ramp_stops}
        onClick={() => onChange(inOrder([...stops, { at: 0.5, color: [0.5, 0.5, 0.5, 1] }]), false)}
        sx={{ px: 0.5 }}>
        + Add a color
      </Button>
    </>
  );
}

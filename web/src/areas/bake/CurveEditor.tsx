// A curve through any number of points, smooth or broken there, drawn over what it is laid on: the
// histogram of the numbers before it.
import { Box, Button, IconButton, Typography } from "@mui/material";
import { useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import type { Schemas } from "../../api/client";
import { through } from "../../model/curves";
import { lehmer } from "../../model/random";
import { facts } from "../../model/state";

type Point = Schemas["CurvePoint"];

const WIDTH = 290;
const HEIGHT = 170;
const EDGE = 9;
/** Points come no nearer to each other than this, from left to right. */
const APART = 0.005;
/** Lifts small columns of the histogram. */
const LIFT = 0.45;

const unit = (x: number) => Math.min(1, Math.max(0, x));

/** The histogram as grain: columns of dots. */
function grains(bins: readonly number[]): string {
  const most = Math.max(1, ...bins);
  const random = lehmer(16807);
  let path = "";
  bins.forEach((held, i) => {
    if (held === 0) return;
    const height = Math.max(3, (held / most) ** LIFT * (HEIGHT - 2 * EDGE));
    for (let grain = 0; grain < height * 0.7; grain++) {
      const x = EDGE + ((i + random()) / bins.length) * (WIDTH - 2 * EDGE);
      const y = HEIGHT - EDGE - random() ** 1.15 * height;
      path += `M${x.toFixed(1)} ${y.toFixed(1)}h1.2`;
    }
  });
  return path;
}

export function CurveEditor({
  points,
  bins,
  onChange,
}: {
  points: readonly Point[];
  bins: readonly number[] | undefined;
  onChange: (points: Point[]) => void;
}) {
  const [chosen, setChosen] = useState(0);
  const held = useRef<number | null>(null);
  const index = Math.min(chosen, points.length - 1);
  const point = points[index];
  const x = (share: number) => EDGE + share * (WIDTH - 2 * EDGE);
  const y = (height: number) => HEIGHT - EDGE - height * (HEIGHT - 2 * EDGE);
  const placed = (event: PointerEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    return {
      x: unit((((event.clientX - box.left) / box.width) * WIDTH - EDGE) / (WIDTH - 2 * EDGE)),
      y: unit((HEIGHT - EDGE - ((event.clientY - box.top) / box.height) * HEIGHT) / (HEIGHT - 2 * EDGE)),
    };
  };
  const put = (i: number, to: { x: number; y: number }) => {
    const low = i === 0 ? 0 : (points[i - 1]?.x ?? 0) + APART;
    const high = i === points.length - 1 ? 1 : (points[i + 1]?.x ?? 1) - APART;
    onChange(
      points.map((old, k) => (k === i ? { ...old, x: Math.min(high, Math.max(low, to.x)), y: unit(to.y) } : old)),
    );
  };
  const take = (i: number) => {
    if (points.length <= 2) return;
    onChange(points.filter((_, k) => k !== i));
    setChosen(Math.max(0, i - 1));
  };
  const down = (event: PointerEvent<SVGSVGElement>) => {
    if (event.button !== 0) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    const at = placed(event);
    const away = points.map((each) => Math.hypot((each.x - at.x) * WIDTH, (each.y - at.y) * HEIGHT));
    const nearest = away.indexOf(Math.min(...away));
    if ((away[nearest] ?? Infinity) < 12) {
      held.current = nearest;
      setChosen(nearest);
      return;
    }
    // A click beside the points makes one.
    const next = points.findIndex((each) => each.x > at.x);
    const i = next < 0 ? points.length : next;
    const isCrowded = [points[i - 1], points[i]].some((beside) => beside && Math.abs(beside.x - at.x) < APART);
    if (points.length >= facts().limits.curve_points || isCrowded) return;
    held.current = i;
    setChosen(i);
    onChange([...points.slice(0, i), { ...at, corner: false }, ...points.slice(i)]);
  };
  const keys = (i: number) => (event: KeyboardEvent) => {
    const by = event.shiftKey ? 0.1 : 0.01;
    const old = points[i];
    if (!old) return;
    const moves: Partial<Record<string, [number, number]>> = {
      ArrowUp: [0, by],
      ArrowDown: [0, -by],
      ArrowLeft: [-by, 0],
      ArrowRight: [by, 0],
    };
    const move = moves[event.key];
    if (move) put(i, { x: old.x + move[0], y: old.y + move[1] });
    else if (event.key === "Delete" || event.key === "Backspace") take(i);
    else if (event.key === " ") onChange(points.map((each, k) => (k === i ? { ...each, corner: !each.corner } : each)));
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <Box data-test="curve-editor">
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        width="100%"
        role="group"
        aria-label="Curve"
        style={{ display: "block", touchAction: "none", cursor: "crosshair" }}
        onPointerDown={down}
        onPointerMove={(event) => {
          if (held.current !== null && event.buttons === 1) put(held.current, placed(event));
        }}
        onPointerUp={() => {
          held.current = null;
        }}>
        <rect
          x={EDGE}
          y={EDGE}
          width={WIDTH - 2 * EDGE}
          height={HEIGHT - 2 * EDGE}
          fill="var(--mui-palette-background-default)"
          stroke="var(--mui-palette-divider)"
        />
        {[0.25, 0.5, 0.75].map((at) => (
          <path
            key={at}
            d={`M${x(at)} ${y(0)}V${y(1)}M${x(0)} ${y(at)}H${x(1)}`}
            stroke="var(--mui-palette-divider)"
            strokeDasharray="1.5 3"
            fill="none"
          />
        ))}
        {bins && (
          <path
            d={grains(bins)}
            stroke="var(--mui-palette-text-secondary)"
            strokeWidth={1.2}
            opacity={0.6}
            data-test="curve-grain"
          />
        )}
        <polyline
          fill="none"
          stroke="var(--mui-palette-text-primary)"
          strokeWidth={1.8}
          points={Array.from({ length: 97 }, (_, i) => `${x(i / 96)},${y(through(points, i / 96))}`).join(" ")}
        />
        {points.map((each, i) => (
          <g
            key={i}
            tabIndex={0}
            role="slider"
            aria-label={`Point ${i + 1}: ${each.x.toFixed(2)} becomes ${each.y.toFixed(2)}`}
            aria-valuenow={Math.round(each.y * 100)}
            aria-valuemin={0}
            aria-valuemax={100}
            onKeyDown={keys(i)}
            onFocus={() => setChosen(i)}
            style={{ cursor: "move", outlineOffset: 3 }}>
            {each.corner ? (
              <rect
                x={x(each.x) - 5}
                y={y(each.y) - 5}
                width={10}
                height={10}
                fill={i === index ? "var(--mui-palette-primary-main)" : "var(--mui-palette-background-paper)"}
                stroke="var(--mui-palette-primary-main)"
                strokeWidth={2}
              />
            ) : (
              <circle
                cx={x(each.x)}
                cy={y(each.y)}
                r={5.5}
                fill={i === index ? "var(--mui-palette-primary-main)" : "var(--mui-palette-background-paper)"}
                stroke="var(--mui-palette-primary-main)"
                strokeWidth={2}
              />
            )}
          </g>
        ))}
      </svg>
      {point && (
        <Box sx={{ display: "flex", alignItems: "center", gap: 0.5 }}>
          <Typography variant="caption" color="textSecondary" sx={{ flex: 1 }}>
            {point.x.toFixed(2)} becomes <b>{point.y.toFixed(2)}</b>
          </Typography>
          <Button
            size="small"
            color="inherit"
            aria-pressed={point.corner}
            data-test="curve-corner"
            onClick={() => onChange(points.map((each, k) => (k === index ? { ...each, corner: !each.corner } : each)))}
            sx={{ minHeight: 26, py: 0, fontSize: 12 }}>
            {point.corner ? "Make it smooth" : "Make it a corner"}
          </Button>
          <IconButton
            size="small"
            aria-label="Take the point out"
            disabled={points.length <= 2}
            onClick={() => take(index)}
            sx={{ fontSize: 15, width: 26, height: 26 }}>
            ×
          </IconButton>
        </Box>
      )}
    </Box>
  );
}

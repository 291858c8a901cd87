// A curve through five points, dragged up and down.
import { Box } from "@mui/material";
import { useRef, type KeyboardEvent, type PointerEvent } from "react";
import { curveAt } from "../model/curves";
import type { Curve } from "../model/choices";

const WIDTH = 200;
const HEIGHT = 76;
const EDGE = 7;

export function CurveField({
  label,
  curve,
  onChange,
  from,
  to,
}: {
  label: string;
  curve: Curve;
  onChange: (curve: Curve) => void;
  from: string;
  to: string;
}) {
  const held = useRef<number | null>(null);
  const x = (share: number) => EDGE + share * (WIDTH - 2 * EDGE);
  const y = (height: number) => HEIGHT - EDGE - height * (HEIGHT - 2 * EDGE);
  const put = (index: number, height: number) =>
    onChange(curve.map((old, i) => (i === index ? Math.min(1, Math.max(0, height)) : old)));
  const drag = (event: PointerEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    // The point that is nearest when the pointer goes down is held until it is lifted.
    held.current ??= Math.round(
      Math.min(1, Math.max(0, (((event.clientX - box.left) / box.width) * WIDTH - EDGE) / (WIDTH - 2 * EDGE))) * 4,
    );
    put(held.current, (HEIGHT - EDGE - ((event.clientY - box.top) / box.height) * HEIGHT) / (HEIGHT - 2 * EDGE));
  };
  const nudge = (index: number) => (event: KeyboardEvent) => {
    const by = event.key === "ArrowUp" ? 0.05 : event.key === "ArrowDown" ? -0.05 : 0;
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    put(index, (curve[index] ?? 0) + by);
  };
  return (
    <Box sx={{ my: 0.5 }}>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        width="100%"
        role="group"
        aria-label={label}
        style={{ display: "block", touchAction: "none", cursor: "ns-resize" }}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          held.current = null;
          drag(event);
        }}
        onPointerMove={(event) => {
          if (event.buttons === 1) drag(event);
        }}
        onPointerUp={() => {
          held.current = null;
        }}>
        <rect
          x={EDGE}
          y={EDGE}
          width={WIDTH - 2 * EDGE}
          height={HEIGHT - 2 * EDGE}
          fill="none"
          stroke="var(--mui-palette-divider)"
        />
        <polyline
          fill="none"
          stroke="currentColor"
          strokeWidth={1.6}
          points={Array.from({ length: 49 }, (_, i) => `${x(i / 48)},${y(curveAt(curve, i / 48))}`).join(" ")}
        />
        {curve.map((height, i) => (
          <circle
            key={i}
            cx={x(i / 4)}
            cy={y(height)}
            r={5}
            fill="var(--mui-palette-background-paper)"
            stroke="var(--mui-palette-primary-main)"
            strokeWidth={2}
            tabIndex={0}
            role="slider"
            aria-label={`${label}, point ${i + 1}`}
            aria-valuenow={Math.round(height * 100)}
            aria-valuemin={0}
            aria-valuemax={100}
            onKeyDown={nudge(i)}
          />
        ))}
      </svg>
      <Box sx={{ display: "flex", justifyContent: "space-between", color: "text.secondary", fontSize: 11.5, px: 0.5 }}>
        <span>{from}</span>
        <span>{to}</span>
      </Box>
    </Box>
  );
}

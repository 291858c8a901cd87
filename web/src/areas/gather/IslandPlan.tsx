// How a part lies in the square of its texture coordinates.
import { Box, useTheme } from "@mui/material";
import { useEffect, useRef } from "react";
import type { Schemas } from "../../api/client";

const SIDE = 220;

/** The edges of islands in the unit square, v upwards. */
export function IslandPlan({ outlines, label }: { outlines: Schemas["ReformAnswer"]["outlines"]; label: string }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const { palette } = useTheme();
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context) return;
    const scale = window.devicePixelRatio;
    const side = SIDE * scale;
    context.clearRect(0, 0, side, side);
    context.lineWidth = 1.25 * scale;
    context.lineCap = "round";
    context.strokeStyle = palette.secondary.main;
    context.beginPath();
    for (const [u0 = 0, v0 = 0, u1 = 0, v1 = 0] of outlines) {
      context.moveTo(u0 * side, (1 - v0) * side);
      context.lineTo(u1 * side, (1 - v1) * side);
    }
    context.stroke();
  }, [outlines, palette.secondary.main]);
  const scale = window.devicePixelRatio;
  return (
    <Box
      component="canvas"
      ref={canvas}
      width={SIDE * scale}
      height={SIDE * scale}
      role="img"
      aria-label={label}
      data-test="island-plan"
      sx={{
        display: "block",
        width: SIDE,
        height: SIDE,
        mx: "auto",
        my: 1,
        borderRadius: 3,
        border: 1,
        borderColor: "divider",
        bgcolor: "background.default",
      }}
    />
  );
}

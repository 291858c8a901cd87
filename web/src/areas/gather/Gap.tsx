// How far apart two surfaces lie, as fine grain, with the reach to drag in it.
import { Box, InputBase, Typography } from "@mui/material";
import { useRef, type PointerEvent } from "react";
import type { Schemas } from "../../api/client";
import { useApp } from "../../model/state";
import { count, figure, symbols } from "../../model/words";
import { useTyped } from "../../widgets/typed";

const [WIDTH, HEIGHT] = [300, 54];

/** What is off by less than this share of a column is what rounding leaves. */
const ON_IT = 1e-3;

/** Dots on top of each other in the highest column. */
const ROWS = 12;

/** The reach as a number; with how far apart the surfaces lie, where that is known. */
export function Gap({
  gap,
  within,
  onChange,
}: {
  gap: Schemas["TransferGap"] | null;
  within: number | null;
  onChange: (within: number) => void;
}) {
  const unit = useApp((state) => symbols[state.traits.unit]);
  const { typed, field } = useTyped(within === null ? "" : String(Number(within.toPrecision(4))), (number) => {
    if (number > 0) onChange(number);
  });
  return (
    <Box sx={{ py: 0.5 }}>
      <Box sx={{ display: "flex", alignItems: "baseline" }}>
        <Typography variant="body2" color="textSecondary" sx={{ flex: 1 }}>
          Reach
        </Typography>
        <InputBase
          value={typed ?? (within === null ? "" : `${figure(within)} ${unit}`)}
          placeholder={`measured, ${unit}`}
          {...field}
          inputProps={{ "aria-label": "Reach", inputMode: "decimal", style: { textAlign: "right", padding: 0 } }}
          sx={{ width: 130, fontSize: 13, fontWeight: 650 }}
        />
      </Box>
      {gap && within !== null && <Distances gap={gap} within={within} unit={unit} onChange={onChange} />}
    </Box>
  );
}

function Distances({
  gap,
  within,
  unit,
  onChange,
}: {
  gap: Schemas["TransferGap"];
  within: number;
  unit: string;
  onChange: (within: number) => void;
}) {
  const room = useRef<SVGSVGElement>(null);
  const end = gap.width * gap.bins.length;
  const most = Math.max(...gap.bins, 1);
  const step = WIDTH / gap.bins.length;
  const drag = (event: PointerEvent<SVGSVGElement>) => {
    const box = room.current?.getBoundingClientRect();
    if (event.buttons !== 1 || !box) return;
    const share = Math.min(1, Math.max(0.005, (event.clientX - box.left) / box.width));
    onChange(share * end);
  };
  const inside = gap.bins.reduce((sum, here, i) => (gap.width * (i + 0.5) <= within ? sum + here : sum), 0);
  const all = gap.bins.reduce((sum, here) => sum + here, 0);
  const needle = Math.min(WIDTH - 1, (within / end) * WIDTH);
  return (
    <>
      <svg
        ref={room}
        role="slider"
        tabIndex={0}
        aria-label="Reach among distances"
        aria-valuenow={within}
        aria-valuemin={0}
        aria-valuemax={end}
        aria-valuetext={`${figure(within)} ${unit}`}
        data-test="gap"
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        width="100%"
        style={{ display: "block", cursor: "ew-resize", touchAction: "none" }}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          drag(event);
        }}
        onPointerMove={drag}
        onKeyDown={(event) => {
          const by = event.key === "ArrowRight" ? 1.05 : event.key === "ArrowLeft" ? 1 / 1.05 : null;
          if (by === null) return;
          event.preventDefault();
          onChange(within * by);
        }}>
        <line x1={0} x2={WIDTH} y1={HEIGHT - 0.5} y2={HEIGHT - 0.5} stroke="var(--mui-palette-divider)" />
        {gap.bins.flatMap((here, i) => {
          const rows = here === 0 ? 0 : Math.max(1, Math.round((ROWS * Math.log1p(here)) / Math.log1p(most)));
          const isIn = gap.width * (i + 0.5) <= within;
          return Array.from({ length: rows }, (_, row) => (
            <circle
              key={`${i} ${row}`}
              cx={(i + 0.5) * step}
              cy={HEIGHT - 4 - row * 4}
              r={1.5}
              fill={isIn ? "var(--mui-palette-secondary-main)" : "var(--mui-palette-text-disabled)"}
            />
          ));
        })}
        <line x1={needle} x2={needle} y1={0} y2={HEIGHT} stroke="var(--mui-palette-primary-main)" strokeWidth={2} />
      </svg>
      <Typography variant="caption" color="textSecondary" component="p">
        {gap.largest < gap.width * ON_IT
          ? "All vertices lie on the source."
          : `${count(inside)} of ${count(all)} vertices lie nearer than that; half within ${figure(gap.median)} ${unit}, all within ${figure(gap.largest)} ${unit}.`}
      </Typography>
    </>
  );
}

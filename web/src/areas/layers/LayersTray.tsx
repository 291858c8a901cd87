// Every layer as a column of its swatches, the changes of spool above them, and a needle at the one that is looked at.
import { Box, Button, Typography, useTheme } from "@mui/material";
import { useEffect, useMemo, useRef, type KeyboardEvent, type PointerEvent } from "react";
import { count, figure } from "../../model/words";
import { changesIn, turn, usePrint, type Told } from "./layersInHand";

const HIGH = 26;
const TICKS = 7;
/** How high the columns are of what it would be with what is chosen, and how far below the others. */
const THEN = 12;
const GAP = 3;

type Layers = Told["plan"]["layers"];

export function LayersTray() {
  const told = usePrint((print) => print.told);
  const layer = usePrint((print) => print.layer);
  const canvas = useRef<HTMLCanvasElement>(null);
  const { palette } = useTheme();
  const layers = useMemo(() => told?.plan.layers ?? [], [told]);
  const changes = useMemo(() => changesIn(layers), [layers]);
  const chart = usePrint((print) => print.chart);
  const then = usePrint((print) => print.then);
  const tall = HIGH + TICKS + 2 + (then ? GAP + TICKS + 2 + THEN : 0);
  const pointed = usePrint((print) =>
    print.pointed === null ? null : (print.causes?.[print.pointed]?.layers ?? null),
  );
  useEffect(() => {
    const element = canvas.current;
    const context = element?.getContext("2d");
    if (!element || !context || !told) return;
    const paint = () => {
      const ratio = window.devicePixelRatio;
      const wide = element.clientWidth;
      element.width = wide * ratio;
      element.height = tall * ratio;
      context.setTransform(ratio, 0, 0, ratio, 0, 0);
      const most = Math.max(...layers.map(({ area }) => area), 1e-12);
      // Whole pixels, so that neighbours meet without a seam.
      const left = (i: number) => Math.floor((i * wide * ratio) / layers.length) / ratio;
      for (const [first = 0, last = 0] of pointed ?? []) {
        context.fillStyle = palette.divider;
        context.fillRect(left(first), 0, Math.max(left(last + 1) - left(first), 1), tall);
      }
      /** A row of columns that stand on a line, with ticks above them where the spool changes. */
      const row = (own: Layers, changes: number[], heights: number[] | null, top: number, high: number) => {
        const foot = top + TICKS + 2 + high;
        const highest = Math.max(...(heights ?? []), 1e-12);
        own.forEach(({ swatches }, i) => {
          const [x, width] = [left(i), Math.max(left(i + 1) - left(i), 1 / ratio)];
          if (heights) {
            const up = (high * (heights[i] ?? 0)) / highest;
            context.fillStyle = palette.secondary.main;
            context.fillRect(x, foot - up, width, up);
            return;
          }
          let at = foot;
          for (const [swatch, area] of swatches as [number, number][]) {
            const up = (high * area) / most;
            at -= up;
            context.fillStyle = told.swatches[swatch]?.color ?? "#888";
            context.fillRect(x, at, width, up);
          }
          if (changes[i]) {
            context.fillStyle = palette.text.primary;
            context.fillRect(x, top, width > 3 ? width - 1 : width, TICKS - 2);
          }
        });
      };
      row(layers, changes, chart === "changes" ? changes : chart === "time" ? told.estimate.of_layers : null, 0, HIGH);
      if (then) {
        const changes = changesIn(then.layers);
        const heights = chart === "changes" ? changes : chart === "time" ? then.estimate.of_layers : null;
        row(then.layers, changes, heights, HIGH + TICKS + 2 + GAP, THEN);
      }
    };
    paint();
    const sizes = new ResizeObserver(paint);
    sizes.observe(element);
    return () => sizes.disconnect();
  }, [told, then, tall, layers, changes, chart, pointed, palette]);
  if (!told)
    return (
      <Typography variant="body2" color="textSecondary">
        Cuts what is seen into layers, and tells which spools print in each.
      </Typography>
    );
  const own = layers[layer];
  const go = (to: number) => turn({ layer: Math.max(0, Math.min(layers.length - 1, to)) });
  const toChange = (way: 1 | -1) => {
    for (let at = layer + way; at >= 0 && at < layers.length; at += way) {
      if (changes[at]) return go(at);
    }
  };
  const lead = (event: PointerEvent<HTMLElement>) => {
    if (event.type === "pointerdown") event.currentTarget.setPointerCapture(event.pointerId);
    else if (event.buttons === 0) return;
    const box = event.currentTarget.getBoundingClientRect();
    go(Math.floor(((event.clientX - box.left) / box.width) * layers.length));
  };
  const steer = (event: KeyboardEvent) => {
    const by: Partial<Record<string, number>> = { ArrowLeft: -1, ArrowRight: 1, PageDown: -10, PageUp: 10 };
    const step = by[event.key];
    if (step === undefined && event.key !== "Home" && event.key !== "End") return;
    event.preventDefault();
    go(step === undefined ? (event.key === "Home" ? 0 : layers.length - 1) : layer + step);
  };
  const high = (own?.bottom ?? 0) + (own?.height ?? 0);
  const top = layers.at(-1);
  return (
    <Box sx={{ width: 1, alignSelf: "flex-start" }}>
      <Box sx={{ display: "flex", alignItems: "baseline", gap: 1.5, mb: 0.25 }}>
        <Typography variant="h3" data-test="layer-said">
          Layer {count(layer + 1)} of {count(layers.length)}
        </Typography>
        <Typography variant="body2" color="textSecondary" noWrap sx={{ flex: 1, minWidth: 0 }}>
          {figure(high)} mm up · {own?.order.map((swatch) => told.swatches[swatch]?.number || swatch + 1).join(" → ")}
          {then && " · below, with what is chosen"}
        </Typography>
        {(["areas", "changes", "time"] as const).map((key) => (
          <Button
            key={key}
            size="small"
            color={chart === key ? "primary" : "inherit"}
            aria-pressed={chart === key}
            data-test={`chart-${key}`}
            onClick={() => turn({ chart: key })}
            sx={{ py: 0, minWidth: 0 }}>
            {key}
          </Button>
        ))}
        <Button size="small" color="secondary" onClick={() => toChange(-1)} sx={{ py: 0, minWidth: 0 }}>
          Change before
        </Button>
        <Button size="small" color="secondary" onClick={() => toChange(1)} sx={{ py: 0, minWidth: 0 }}>
          Next change
        </Button>
      </Box>
      <Box
        role="slider"
        tabIndex={0}
        aria-label="Layer"
        aria-valuemin={1}
        aria-valuemax={layers.length}
        aria-valuenow={layer + 1}
        data-test="height-chart"
        onPointerDown={lead}
        onPointerMove={lead}
        onKeyDown={steer}
        sx={{ position: "relative", cursor: "ew-resize", touchAction: "none" }}>
        <canvas ref={canvas} style={{ display: "block", width: "100%", height: tall }} />
        <Box
          sx={{
            position: "absolute",
            top: 0,
            bottom: 0,
            left: `${(100 * (layer + 0.5)) / Math.max(1, layers.length)}%`,
            width: 2,
            ml: "-1px",
            bgcolor: "primary.main",
            pointerEvents: "none",
          }}
        />
      </Box>
      {!then && (
        <Box sx={{ display: "flex", justifyContent: "space-between" }}>
          <Typography variant="caption" color="textSecondary">
            0 mm, the plate
          </Typography>
          <Typography variant="caption" color="textSecondary">
            {figure((top?.bottom ?? 0) + (top?.height ?? 0))} mm
          </Typography>
        </Box>
      )}
    </Box>
  );
}

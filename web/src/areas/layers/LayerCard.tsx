// The layer that is looked at, seen from above: walls and fill in what they print in, outlines over them.
import { Box, Paper, Typography } from "@mui/material";
import { useEffect, useMemo } from "react";
import { figure } from "../../model/words";
import { ColorDot } from "../../widgets/ColorDot";
import { Switching } from "../../widgets/rows";
import { useLayerPicture } from "./layerPicture";
import { draw, turn, usePrint } from "./layersInHand";

export function LayerCard() {
  const told = usePrint((print) => print.told);
  const layer = usePrint((print) => print.layer);
  const seen = usePrint((print) => print.seen);
  const line = usePrint((print) => print.rules.line);
  const marks = usePrint((print) => print.marksBelow);
  useEffect(() => {
    void draw();
  }, [told, layer]);
  const picture = useLayerPicture();
  const box = useMemo(() => {
    const xs = seen?.lines.flatMap(({ line }) => [line[0] ?? 0, line[2] ?? 0]) ?? [];
    const ys = seen?.lines.flatMap(({ line }) => [line[1] ?? 0, line[3] ?? 0]) ?? [];
    if (xs.length === 0) return null;
    const least = (all: number[]) => all.reduce((a, b) => Math.min(a, b), Infinity);
    const most = (all: number[]) => all.reduce((a, b) => Math.max(a, b), -Infinity);
    const [left, right, low, high] = [least(xs), most(xs), least(ys), most(ys)];
    const side = Math.max(right - left, high - low, 1e-6) * 1.08;
    // What is wide and flat needs no square.
    const tall = Math.max((high - low) * 1.08 + 0.04 * side, 0.25 * side);
    return { left: (left + right - side) / 2, top: -(low + high + tall) / 2, side, tall };
  }, [seen]);
  if (!told) return null;
  const own = told.plan.layers[layer];
  return (
    <Paper
      variant="outlined"
      data-test="layer-card"
      sx={{ position: "absolute", right: 14, top: 14, width: 250, p: 1.5, borderRadius: 4 }}>
      <Typography variant="h3">Layer {layer + 1}, seen from above</Typography>
      <svg
        viewBox={box ? `${box.left} ${box.top} ${box.side} ${box.tall}` : "0 0 1 1"}
        style={{ width: "100%", aspectRatio: box ? box.side / box.tall : 2, maxHeight: 250, display: "block" }}
        role="img"
        aria-label="The outlines of the layer">
        {box && picture && seen?.cells && (
          <image
            href={picture}
            x={seen.cells.least[0]}
            y={-(seen.cells.least[1] + seen.cells.down * seen.cells.side)}
            width={seen.cells.across * seen.cells.side}
            height={seen.cells.down * seen.cells.side}
            preserveAspectRatio="none"
          />
        )}
        {box &&
          seen?.lines.map(({ swatch, line: [x0 = 0, y0 = 0, x1 = 0, y1 = 0] }, i) => (
            <line
              key={i}
              x1={x0}
              y1={-y0}
              x2={x1}
              y2={-y1}
              stroke={told.swatches[swatch]?.color}
              strokeWidth={Math.max(line / 2, box.side / 160)}
              strokeLinecap="round"
            />
          ))}
      </svg>
      {layer > 0 && (
        <Switching label="Dot what differs from below" on={marks} onChange={(on) => turn({ marksBelow: on })} />
      )}
      <Box sx={{ display: "flex", flexWrap: "wrap", columnGap: 1.5, mt: 0.5 }}>
        {(own?.swatches as [number, number][] | undefined)?.map(([swatch, area]) => (
          <Box
            key={swatch}
            sx={{ display: "flex", alignItems: "center", gap: 0.75 }}
            title={told.swatches[swatch]?.name}>
            <ColorDot size={10} color={told.swatches[swatch]?.color} />
            <Typography variant="body2" color="textSecondary">
              {told.swatches[swatch]?.number || swatch + 1}: {figure(area)} mm²
            </Typography>
          </Box>
        ))}
      </Box>
    </Paper>
  );
}

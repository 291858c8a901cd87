// Where the print stands on the plate, seen from above: dragged, moved by keys, turned; whether it fits.
import { Box, Button, Paper, Typography } from "@mui/material";
import { useEffect, useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import type { Schemas } from "../../api/client";
import { layerPlate, newWord } from "../../api/writes";
import { figure } from "../../model/words";
import { NumberField } from "../../widgets/NumberField";
import { Sliding } from "../../widgets/rows";
import { turn, usePrint, type Told } from "./layersInHand";
import type { Printer } from "./printer";

type Plate = Schemas["Plate"];

/** The plate of a printer that does not tell. */
const USUAL: Plate["size"] = [200, 200, 200];

/** By how much an arrow key moves the print, in millimetres; with Shift, ten times as far. */
const STEP = 1;

const degrees = (turn: number) => Math.round(turn * 100) / 100;

export function PlateCard({ told, printer }: { told: Told; printer: Printer | null }) {
  const kept = usePrint((print) => print.plate);
  const size = kept?.size ?? printer?.plate ?? USUAL;
  const turned = kept?.turn ?? 0;
  const plate: Plate = { size, at: kept?.at ?? [0, 0], turn: turned };
  const [known, setKnown] = useState<Schemas["PlateTold"] | null>(null);
  const [trouble, setTrouble] = useState<string | null>(null);
  const asked = JSON.stringify(plate);
  useEffect(() => {
    const own = new AbortController();
    const about = JSON.parse(asked) as Plate;
    void layerPlate(told.look, about, { signal: own.signal, work: newWord() }).then(({ data, trouble }) => {
      if (own.signal.aborted) return;
      setKnown(data);
      setTrouble(trouble);
    });
    return () => own.abort();
  }, [told.look, asked]);
  const put = (change: Partial<Plate>) => turn({ plate: { ...plate, ...change } });
  const [width = 1, depth = 1, height = 1] = size;
  const best = known && known.best.margin > known.margin + 0.05 ? known.best : null;
  const fits = known !== null && known.margin >= 0 && known.too_high <= 0;
  return (
    <Paper variant="outlined" component="section" aria-label="On the plate" sx={{ p: 1.75, borderRadius: 4 }}>
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        On the plate
      </Typography>
      {known && <Drawing plate={plate} outline={known.outline} fits={fits} onAt={(at) => put({ at })} />}
      {trouble && (
        <Typography variant="body2" sx={{ color: "error.main" }}>
          {trouble}
        </Typography>
      )}
      {known && (
        <Typography
          variant="body2"
          data-test="plate-fits"
          sx={fits ? { color: "text.secondary" } : { color: "warning.main", fontWeight: 700 }}>
          {[
            known.margin >= 0
              ? `${figure(known.margin)} mm to the nearest edge`
              : `It reaches ${figure(-known.margin)} mm beyond the plate`,
            known.too_high > 0 ? `it is ${figure(known.too_high)} mm too high` : `${figure(known.height)} mm high`,
          ].join(", ")}
        </Typography>
      )}
      <Sliding
        label="Turned"
        value={degrees(turned)}
        min={-180}
        max={180}
        step={1}
        digits={1}
        unit="°"
        onChange={(next) => put({ turn: next })}
      />
      <Box
        sx={{ display: "grid", gridTemplateColumns: "96px repeat(3, 1fr)", gap: 0.75, alignItems: "center", my: 0.5 }}>
        <Typography variant="body2">Plate, mm</Typography>
        <NumberField label="Width of the plate" value={width} onValue={(x) => put({ size: [x, depth, height] })} />
        <NumberField label="Depth of the plate" value={depth} onValue={(y) => put({ size: [width, y, height] })} />
        <NumberField label="Height above the plate" value={height} onValue={(z) => put({ size: [width, depth, z] })} />
      </Box>
      <Box sx={{ display: "flex", gap: 1, mt: 0.5 }}>
        <Button size="small" variant="outlined" color="inherit" onClick={() => put({ at: [0, 0] })}>
          In the middle
        </Button>
        {best && (
          <Button
            size="small"
            variant="outlined"
            color="inherit"
            data-test="plate-best"
            onClick={() => put({ at: [0, 0], turn: degrees(best.turn) })}>
            {best.margin >= 0 ? "Most room" : "Least beyond"}: {figure(Math.abs(best.margin))} mm
          </Button>
        )}
        {kept && (
          <Button size="small" color="secondary" onClick={() => turn({ plate: null })}>
            As the printer has it
          </Button>
        )}
      </Box>
    </Paper>
  );
}

function Drawing({
  plate,
  outline,
  fits,
  onAt,
}: {
  plate: Plate;
  outline: number[][];
  fits: boolean;
  onAt: (at: [number, number]) => void;
}) {
  const drawn = useRef<SVGSVGElement>(null);
  const [drag, setDrag] = useState<{ from: [number, number]; at: [number, number]; by: [number, number] } | null>(null);
  const [width = 1, depth = 1] = plate.size;
  const [x = 0, y = 0] = plate.at ?? [];
  // As much around it as shows what reaches beyond.
  const room = 0.08 * Math.max(width, depth);
  const whole = width + 2 * room;
  const place = (event: PointerEvent): [number, number] => {
    // As large as it is drawn, which height may limit as well as width.
    const per = 1 / (drawn.current?.getScreenCTM()?.a ?? 1);
    return [event.clientX * per, -event.clientY * per];
  };
  const down = (event: PointerEvent<SVGGElement>) => {
    event.currentTarget.setPointerCapture(event.pointerId);
    setDrag({ from: place(event), at: [x, y], by: [0, 0] });
  };
  const move = (event: PointerEvent) => {
    if (!drag) return;
    const [here, up] = place(event);
    setDrag({ ...drag, by: [here - drag.from[0], up - drag.from[1]] });
  };
  const drop = () => {
    if (drag && (drag.by[0] !== 0 || drag.by[1] !== 0)) {
      onAt([round(drag.at[0] + drag.by[0]), round(drag.at[1] + drag.by[1])]);
    }
    setDrag(null);
  };
  const key = (event: KeyboardEvent) => {
    const far = event.shiftKey ? 10 * STEP : STEP;
    const ways: Record<string, [number, number]> = {
      ArrowLeft: [-far, 0],
      ArrowRight: [far, 0],
      ArrowUp: [0, far],
      ArrowDown: [0, -far],
    };
    const way = ways[event.key];
    if (!way) return;
    event.preventDefault();
    event.stopPropagation();
    onAt([round(x + way[0]), round(y + way[1])]);
  };
  const by = drag?.by ?? [0, 0];
  const ink = fits ? "#1d6b72" : "#c2571a";
  return (
    <svg
      ref={drawn}
      viewBox={`${-room} ${-room} ${whole} ${depth + 2 * room}`}
      style={{ display: "block", width: "100%", maxHeight: 190, touchAction: "none" }}
      role="img"
      aria-label="The plate from above, its front below">
      <rect
        x={0}
        y={0}
        width={width}
        height={depth}
        rx={room / 3}
        fill="#f5efe0"
        stroke="#cbbf9f"
        strokeWidth={room / 14}
      />
      <path
        d={`M${width / 2 - room / 2} ${depth / 2}h${room}M${width / 2} ${depth / 2 - room / 2}v${room}`}
        stroke="#cbbf9f"
        strokeWidth={room / 14}
      />
      <g
        tabIndex={0}
        role="button"
        aria-label="The print: drag it, or move it with the arrow keys"
        data-test="plate-print"
        onPointerDown={down}
        onPointerMove={move}
        onPointerUp={drop}
        onPointerCancel={() => setDrag(null)}
        onKeyDown={key}
        style={{ cursor: drag ? "grabbing" : "grab" }}
        transform={`translate(${by[0]} ${-by[1]})`}>
        <polygon
          points={outline.map(([px = 0, py = 0]) => `${px},${depth - py}`).join(" ")}
          fill={ink}
          fillOpacity={0.28}
          stroke={ink}
          strokeWidth={room / 9}
          strokeLinejoin="round"
        />
      </g>
    </svg>
  );
}

const round = (x: number) => Math.round(10 * x) / 10;

// The paint: its swatch, and a picker with a plane of saturation and value, a hue bar and a hex field.
import { Box, ButtonBase, Popover, TextField, Typography } from "@mui/material";
import { useState, type PointerEvent } from "react";
import { hex, type Rgba } from "../state";

/** HSV with each 0–1, from RGB (the usual hexcone; CSS Color 4 names the same hue). */
function toHsv([r, g, b]: readonly number[]): [number, number, number] {
  const [red, green, blue] = [r ?? 0, g ?? 0, b ?? 0];
  const value = Math.max(red, green, blue);
  const chroma = value - Math.min(red, green, blue);
  if (chroma === 0) return [0, 0, value];
  const sector =
    value === red ? ((green - blue) / chroma + 6) % 6 : value === green ? (blue - red) / chroma + 2 : (red - green) / chroma + 4;
  return [sector / 6, chroma / value, value];
}

function fromHsv(hue: number, saturation: number, value: number): [number, number, number] {
  const at = (n: number) => {
    const k = (n + hue * 6) % 6;
    return value - value * saturation * Math.max(0, Math.min(k, 4 - k, 1));
  };
  return [at(5), at(3), at(1)];
}

function place(event: PointerEvent<HTMLElement>): [number, number] {
  const box = event.currentTarget.getBoundingClientRect();
  const share = (at: number, from: number, size: number) => Math.min(1, Math.max(0, (at - from) / size));
  return [share(event.clientX, box.left, box.width), share(event.clientY, box.top, box.height)];
}

interface Props {
  color: Rgba;
  onChange: (color: Rgba) => void;
  withAlpha: boolean;
}

export function ColorWell({ color, onChange, withAlpha }: Props) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [typed, setTyped] = useState<string | null>(null);
  // Grey has no hue of its own: the last one chosen stays.
  const [lastHue, setLastHue] = useState(() => toHsv(color)[0]);
  const [hueNow, saturation, value] = toHsv(color);
  const hue = saturation > 0 ? hueNow : lastHue;
  const put = (h: number, s: number, v: number) => {
    setLastHue(h);
    onChange([...fromHsv(h, s, v), color[3]]);
  };
  const acceptHex = () => {
    const found = /^#?([0-9a-f]{6}|[0-9a-f]{3})$/i.exec((typed ?? "").trim())?.[1];
    if (found) {
      const six = found.length === 3 ? [...found].map((c) => c + c).join("") : found;
      const at = (i: number) => Number.parseInt(six.slice(2 * i, 2 * i + 2), 16) / 255;
      onChange([at(0), at(1), at(2), color[3]]);
    }
    setTyped(null);
  };
  const dragging = (event: PointerEvent<HTMLElement>) => event.buttons === 1;
  return (
    <>
      <ButtonBase
        aria-label={`Paint ${hex(color)}: choose a color`}
        data-test="paint"
        onClick={(event) => setAnchor(event.currentTarget)}
        sx={{ width: 44, height: 44, borderRadius: "50%", bgcolor: hex(color), border: 3, borderColor: "background.paper", outline: "2px solid", outlineColor: "primary.main", flexShrink: 0 }}
      />
      <Popover open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)} anchorOrigin={{ vertical: "top", horizontal: "center" }} transformOrigin={{ vertical: "bottom", horizontal: "center" }}>
        <Box sx={{ p: 1.5, width: 236 }}>
          <Box
            role="presentation"
            onPointerDown={(event) => {
              event.currentTarget.setPointerCapture(event.pointerId);
              const [s, v] = place(event);
              put(hue, s, 1 - v);
            }}
            onPointerMove={(event) => {
              if (!dragging(event)) return;
              const [s, v] = place(event);
              put(hue, s, 1 - v);
            }}
            sx={{ height: 140, borderRadius: 1.5, position: "relative", cursor: "crosshair", touchAction: "none", background: `linear-gradient(to top, #000, transparent), linear-gradient(to right, #fff, ${hex(fromHsv(hue, 1, 1))})` }}
          >
            <Box sx={{ position: "absolute", left: `${saturation * 100}%`, top: `${(1 - value) * 100}%`, width: 14, height: 14, ml: "-7px", mt: "-7px", borderRadius: "50%", border: "2px solid #fff", outline: "1px solid #2A2933", pointerEvents: "none" }} />
          </Box>
          <Box
            role="slider"
            aria-label="Hue"
            aria-valuenow={Math.round(hue * 360)}
            aria-valuemin={0}
            aria-valuemax={360}
            tabIndex={0}
            onKeyDown={(event) => {
              const by = event.key === "ArrowRight" ? 1 : event.key === "ArrowLeft" ? -1 : 0;
              if (by) put((hue + by / 90 + 1) % 1, Math.max(saturation, 0.01), value);
            }}
            onPointerDown={(event) => {
              event.currentTarget.setPointerCapture(event.pointerId);
              put(place(event)[0] * 0.9999, saturation, value);
            }}
            onPointerMove={(event) => {
              if (dragging(event)) put(place(event)[0] * 0.9999, saturation, value);
            }}
            sx={{ height: 16, my: 1.25, borderRadius: 1, position: "relative", cursor: "ew-resize", touchAction: "none", background: "linear-gradient(to right, #f00, #ff0, #0f0, #0ff, #00f, #f0f, #f00)" }}
          >
            <Box sx={{ position: "absolute", left: `${hue * 100}%`, top: -2, width: 6, height: 20, ml: "-3px", borderRadius: 1, bgcolor: "#fff", outline: "1px solid #2A2933", pointerEvents: "none" }} />
          </Box>
          <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
            <TextField size="small" label="Hex" value={typed ?? hex(color)} onChange={(event) => setTyped(event.target.value)} onBlur={acceptHex} onKeyDown={(event) => {
              event.stopPropagation();
              if (event.key === "Enter") acceptHex();
            }} sx={{ width: 110 }} slotProps={{ htmlInput: { "data-test": "hex" } }} />
            {withAlpha && (
              <TextField size="small" label="A, %" type="number" value={Math.round(color[3] * 100)} onKeyDown={(event) => event.stopPropagation()} onChange={(event) => {
                const alpha = Math.min(100, Math.max(0, Number(event.target.value))) / 100;
                onChange([color[0], color[1], color[2], alpha]);
              }} />
            )}
          </Box>
          <Box sx={{ display: "grid", gridTemplateColumns: "repeat(3, 1fr)", gap: 1, mt: 1.25 }}>
            {([["H, °", hue * 360, 360], ["S, %", saturation * 100, 100], ["V, %", value * 100, 100]] as const).map(([label, now, most], i) => (
              <TextField key={label} size="small" label={label} type="number" value={Math.round(now)} onKeyDown={(event) => event.stopPropagation()} slotProps={{ htmlInput: { min: 0, max: most, "data-test": `hsv-${i}`, style: { padding: "6px 8px" } } }} onChange={(event) => {
                const share = Math.min(1, Math.max(0, Number(event.target.value) / most));
                put(i === 0 ? share : hue, i === 1 ? share : saturation, i === 2 ? share : value);
              }} />
            ))}
          </Box>
          <Typography variant="caption" color="textSecondary" sx={{ display: "block", mt: 1 }}>
            {[0, 1, 2].map((i) => (color[i] ?? 0).toFixed(2)).join("  ")} · sRGB-encoded
          </Typography>
        </Box>
      </Popover>
    </>
  );
}

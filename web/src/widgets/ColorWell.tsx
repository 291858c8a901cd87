// The paint: its swatch, and a picker with a plane of saturation and value, a hue bar, hex, and numbers in the
// space of one's choice.
import { Box, ButtonBase, Popover, TextField, ToggleButton, ToggleButtonGroup } from "@mui/material";
import { useState, type PointerEvent } from "react";
import { fromHex, fromHsv, fromOklch, toHsv, toOklch } from "../model/color";
import type { Rgba } from "../model/choices";
import { hex } from "../model/words";

function place(event: PointerEvent<HTMLElement>): [number, number] {
  const box = event.currentTarget.getBoundingClientRect();
  const share = (at: number, from: number, size: number) => Math.min(1, Math.max(0, (at - from) / size));
  return [share(event.clientX, box.left, box.width), share(event.clientY, box.top, box.height)];
}

interface Props {
  color: Rgba;
  onChange: (color: Rgba) => void;
  withAlpha: boolean;
  /** Colors used before. */
  recent?: Rgba[];
  /** Names the button for tests; several wells may stand on a page. */
  mark?: string;
  size?: number;
}

export function ColorWell({ color, onChange, withAlpha, recent = [], mark = "paint", size = 44 }: Props) {
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
    const found = fromHex(typed ?? "");
    if (found) onChange([...found, color[3]]);
    setTyped(null);
  };
  const dragging = (event: PointerEvent<HTMLElement>) => event.buttons === 1;
  return (
    <>
      <ButtonBase
        aria-label={`Paint ${hex(color)}: choose a color`}
        data-test={mark}
        onClick={(event) => setAnchor(event.currentTarget)}
        sx={{
          width: size,
          height: size,
          borderRadius: "50%",
          bgcolor: hex(color),
          border: size > 30 ? 3 : 2,
          borderColor: "background.paper",
          outline: "2px solid",
          outlineColor: mark === "paint" ? "primary.main" : "divider",
          flexShrink: 0,
        }}
      />
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: "top", horizontal: "center" }}
        transformOrigin={{ vertical: "bottom", horizontal: "center" }}>
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
            sx={{
              height: 140,
              borderRadius: 1.5,
              position: "relative",
              cursor: "crosshair",
              touchAction: "none",
              background: `linear-gradient(to top, #000, transparent), linear-gradient(to right, #fff, ${hex(fromHsv(hue, 1, 1))})`,
            }}>
            <Box
              sx={{
                position: "absolute",
                left: `${saturation * 100}%`,
                top: `${(1 - value) * 100}%`,
                width: 14,
                height: 14,
                ml: "-7px",
                mt: "-7px",
                borderRadius: "50%",
                border: "2px solid #fff",
                outline: "1px solid #2A2933",
                pointerEvents: "none",
              }}
            />
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
            sx={{
              height: 16,
              my: 1.25,
              borderRadius: 1,
              position: "relative",
              cursor: "ew-resize",
              touchAction: "none",
              background: "linear-gradient(to right, #f00, #ff0, #0f0, #0ff, #00f, #f0f, #f00)",
            }}>
            <Box
              sx={{
                position: "absolute",
                left: `${hue * 100}%`,
                top: -2,
                width: 6,
                height: 20,
                ml: "-3px",
                borderRadius: 1,
                bgcolor: "#fff",
                outline: "1px solid #2A2933",
                pointerEvents: "none",
              }}
            />
          </Box>
          <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
            <TextField
              size="small"
              label="Hex"
              value={typed ?? hex(color)}
              onChange={(event) => setTyped(event.target.value)}
              onBlur={acceptHex}
              onKeyDown={(event) => {
                event.stopPropagation();
                if (event.key === "Enter") acceptHex();
              }}
              sx={{ width: 110 }}
              slotProps={{ htmlInput: { "data-test": "hex" } }}
            />
            {withAlpha && (
              <TextField
                size="small"
                label="A, %"
                type="number"
                value={Math.round(color[3] * 100)}
                onKeyDown={(event) => event.stopPropagation()}
                onChange={(event) => {
                  const alpha = Math.min(100, Math.max(0, Number(event.target.value))) / 100;
                  onChange([color[0], color[1], color[2], alpha]);
                }}
              />
            )}
          </Box>
          <Numbers color={color} hue={hue} onColor={(rgb) => onChange([...rgb, color[3]])} onHsv={put} />
          {recent.length > 0 && (
            <Box sx={{ display: "flex", gap: 0.75, mt: 1.25 }}>
              {recent.map((used, i) => (
                <ButtonBase
                  key={i}
                  aria-label={`Paint with ${hex(used)}, used before`}
                  onClick={() => onChange([used[0], used[1], used[2], color[3]])}
                  sx={{
                    width: 24,
                    height: 24,
                    borderRadius: "50%",
                    bgcolor: hex(used),
                    border: 1,
                    borderColor: "divider",
                  }}
                />
              ))}
            </Box>
          )}
        </Box>
      </Popover>
    </>
  );
}

type Space = "hsv" | "rgb" | "unit" | "oklch";

/** The color in numbers: HSV, RGB from 0 to 255 or from 0 to 1, or OKLCH. */
function Numbers({
  color,
  hue,
  onColor,
  onHsv,
}: {
  color: Rgba;
  hue: number;
  onColor: (rgb: [number, number, number]) => void;
  onHsv: (h: number, s: number, v: number) => void;
}) {
  const [space, setSpace] = useState<Space>("hsv");
  const [typing, setTyping] = useState<{ index: number; text: string } | null>(null);
  const [, saturation, value] = toHsv(color);
  const lch = toOklch(color);
  const fields: Record<Space, { label: string; now: number; most: number; digits: number }[]> = {
    hsv: [
      { label: "H, °", now: hue * 360, most: 360, digits: 0 },
      { label: "S, %", now: saturation * 100, most: 100, digits: 0 },
      { label: "V, %", now: value * 100, most: 100, digits: 0 },
    ],
    rgb: ["R", "G", "B"].map((label, i) => ({ label, now: (color[i] ?? 0) * 255, most: 255, digits: 0 })),
    unit: ["R", "G", "B"].map((label, i) => ({ label, now: color[i] ?? 0, most: 1, digits: 3 })),
    oklch: [
      { label: "L, %", now: lch[0] * 100, most: 100, digits: 1 },
      { label: "C", now: lch[1], most: 0.4, digits: 3 },
      { label: "H, °", now: lch[2], most: 360, digits: 0 },
    ],
  };
  const accept = (index: number, text: string) => {
    const number = Number.parseFloat(text.replace(",", "."));
    const field = fields[space][index];
    if (!Number.isFinite(number) || !field) return;
    const all = fields[space].map((each, i) => (i === index ? Math.min(field.most, Math.max(0, number)) : each.now));
    const [a = 0, b = 0, c = 0] = all;
    if (space === "hsv") onHsv(a / 360, b / 100, c / 100);
    else if (space === "rgb") onColor([a / 255, b / 255, c / 255]);
    else if (space === "unit") onColor([a, b, c]);
    else onColor(fromOklch(a / 100, b, c));
  };
  return (
    <>
      <ToggleButtonGroup
        exclusive
        size="small"
        value={space}
        onChange={(_, next: Space | null) => {
          if (next) setSpace(next);
        }}
        aria-label="Numbers"
        sx={{ mt: 1.25, width: 1, "& button": { flex: 1, py: 0.125, textTransform: "none", fontSize: 12 } }}>
        <ToggleButton value="hsv">HSV</ToggleButton>
        <ToggleButton value="rgb" data-test="space-rgb">
          0–255
        </ToggleButton>
        <ToggleButton value="unit">0–1</ToggleButton>
        <ToggleButton value="oklch" data-test="space-oklch">
          OKLCH
        </ToggleButton>
      </ToggleButtonGroup>
      <Box sx={{ display: "grid", gridTemplateColumns: "repeat(3, 1fr)", gap: 1, mt: 1.25 }}>
        {fields[space].map(({ label, now, digits }, i) => (
          <TextField
            key={label}
            size="small"
            label={label}
            value={typing?.index === i ? typing.text : now.toFixed(digits)}
            onFocus={(event) => {
              setTyping({ index: i, text: now.toFixed(digits) });
              event.target.select();
            }}
            onBlur={() => setTyping(null)}
            onKeyDown={(event) => event.stopPropagation()}
            onChange={(event) => {
              setTyping({ index: i, text: event.target.value });
              accept(i, event.target.value);
            }}
            slotProps={{
              htmlInput: { inputMode: "decimal", "data-test": `${space}-${i}`, style: { padding: "6px 8px" } },
            }}
          />
        ))}
      </Box>
    </>
  );
}

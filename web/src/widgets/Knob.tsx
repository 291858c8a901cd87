// A number of the brush: read it, type it, or drag on it.
import { Box, InputBase, Typography } from "@mui/material";
import { useRef, useState } from "react";
import { flushSync } from "react-dom";
import { heading } from "../model/theme";

interface Props {
  label: string;
  value: number;
  unit: string;
  /** How the number is written for people. */
  format: (value: number) => string;
  /** From a number as typed to a value; the number itself when left out. */
  fromTyped?: (number: number) => number;
  /** From a place between 0 and 1 on the bar to a value, and back. */
  fromBar: (share: number) => number;
  toBar: (value: number) => number;
  onChange: (value: number) => void;
  width?: number;
}

const DRAG_PIXELS = 220;

/** More letters than this do not fit at full size. */
const LONG = 7;

export function Knob({
  label,
  value,
  unit,
  format,
  fromTyped = (number) => number,
  fromBar,
  toBar,
  onChange,
  width = 84,
}: Props) {
  const written = `${format(value)} ${unit}`;
  const [typed, setTyped] = useState<string | null>(null);
  const drag = useRef<{ x: number; share: number; moved: boolean } | null>(null);
  const share = Math.min(1, Math.max(0, toBar(value)));
  const shift = (by: number) => onChange(fromBar(Math.min(1, Math.max(0, share + by))));
  const accept = () => {
    // Looked at and left as it was, the number keeps the digits that are not written.
    const number = typed === format(value) ? Number.NaN : Number.parseFloat((typed ?? "").replace(",", "."));
    if (Number.isFinite(number)) onChange(fromTyped(number));
    setTyped(null);
  };
  return (
    <Box sx={{ width, flexShrink: 0 }}>
      <Typography
        component="label"
        variant="body2"
        color="textSecondary"
        htmlFor={`knob-${label}`}
        sx={{ display: "block", lineHeight: 1.3 }}>
        {label}
      </Typography>
      <InputBase
        id={`knob-${label}`}
        value={typed ?? written}
        onFocus={(event) => {
          // Written and selected at once: a key that comes before the next frame must not be lost.
          flushSync(() => setTyped(format(value)));
          event.target.select();
        }}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={accept}
        onKeyDown={(event) => {
          if (event.key === "Enter") (event.target as HTMLElement).blur();
          else if (event.key === "Escape") setTyped(null);
          else if (event.key === "ArrowUp" || event.key === "ArrowDown") {
            event.preventDefault();
            shift(event.key === "ArrowUp" ? 0.02 : -0.02);
            setTyped(null);
          }
          event.stopPropagation();
        }}
        onPointerDown={(event) => {
          if (document.activeElement === event.target) return;
          event.preventDefault();
          event.currentTarget.setPointerCapture(event.pointerId);
          drag.current = { x: event.clientX, share, moved: false };
        }}
        onPointerMove={(event) => {
          if (!drag.current) return;
          const way = event.clientX - drag.current.x;
          if (Math.abs(way) > 2) drag.current.moved = true;
          if (drag.current.moved) onChange(fromBar(Math.min(1, Math.max(0, drag.current.share + way / DRAG_PIXELS))));
        }}
        onPointerUp={(event) => {
          const moved = drag.current?.moved;
          drag.current = null;
          if (moved === false) event.currentTarget.querySelector("input")?.focus();
        }}
        slotProps={{
          input: {
            sx: {
              p: 0,
              fontFamily: heading,
              fontSize: written.length > LONG + 2 ? 12.5 : written.length > LONG ? 14 : 17,
              fontWeight: 650,
              cursor: "ew-resize",
              "&:focus": { cursor: "text" },
            },
            inputMode: "decimal",
          },
        }}
        sx={{ width: "100%" }}
      />
      <Box sx={{ height: 4, borderRadius: 2, bgcolor: "divider", overflow: "hidden", mt: 0.25 }}>
        <Box sx={{ width: `${share * 100}%`, height: 1, bgcolor: "text.primary" }} />
      </Box>
    </Box>
  );
}

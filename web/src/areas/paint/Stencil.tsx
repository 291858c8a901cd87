// The stencil: an image that lets paint through where it is white.
import { Box, Button, Typography } from "@mui/material";
import { useRef } from "react";
import { sendStencil } from "../../api/writes";
import type { Project } from "../../project/project";
import { activePart, set, setStencil, useApp } from "../../model/state";
import { symbols } from "../../model/words";
import { boxOf } from "../../project/tools";
import { Choose, Row, Sliding, Switching } from "../../widgets/rows";

export function StencilChoices({ project }: { project: Project }) {
  const stencil = useApp((state) => state.stencil);
  const part = useApp(activePart);
  const symbol = useApp((state) => symbols[state.traits.unit]);
  const picker = useRef<HTMLInputElement>(null);
  const size = part ? Math.hypot(...boxOf(part).size) : 1;
  const take = async (file: File | undefined) => {
    if (picker.current) picker.current.value = "";
    if (!file) return;
    const { data: taken, trouble } = await sendStencil(project.id, file);
    if (trouble !== null) {
      set({ said: { text: `${file.name}: ${trouble}`, bad: true } });
      return;
    }
    if (stencil) URL.revokeObjectURL(stencil.url);
    set({
      stencil: {
        id: taken.id,
        session: project.client,
        file,
        name: file.name,
        url: URL.createObjectURL(file),
        aspect: taken.height / taken.width,
        lay: "screen",
        width: { screen: 320, uv: 1, axes: size / 4 },
        at: { x: 0, y: 0 },
        turn: 0,
        repeat: false,
        invert: false,
      },
    });
  };
  return (
    <>
      <Row label="Stencil">
        <Typography variant="body2" noWrap sx={{ fontWeight: 600, minWidth: 0 }} data-test="stencil-name">
          {stencil ? stencil.name : "none"}
        </Typography>
        <Button
          size="small"
          color="secondary"
          onClick={() => picker.current?.click()}
          sx={{ minWidth: 0, whiteSpace: "nowrap" }}>
          {stencil ? "Other…" : "Choose an image…"}
        </Button>
        {stencil && (
          <Button
            size="small"
            color="inherit"
            aria-label="Take the stencil away"
            onClick={() => {
              URL.revokeObjectURL(stencil.url);
              set({ stencil: null });
            }}
            sx={{ minWidth: 0, px: 0.75 }}>
            ×
          </Button>
        )}
      </Row>
      <input
        ref={picker}
        type="file"
        accept="image/*"
        hidden
        data-test="stencil-file"
        onChange={(event) => void take(event.target.files?.[0])}
      />
      {stencil && (
        <Box sx={{ pl: 1, borderLeft: 2, borderColor: "divider", mb: 0.5 }}>
          <Choose
            label="Lies"
            value={stencil.lay}
            options={
              part && part.uv_sets > 0
                ? [
                    ["screen", "on the screen"],
                    ["uv", "by the part's UV"],
                    ["axes", "from three axes"],
                  ]
                : [
                    ["screen", "on the screen"],
                    ["axes", "from three axes"],
                  ]
            }
            onChange={(lay) => setStencil({ lay })}
          />
          {stencil.lay === "screen" && (
            <Sliding
              label="Width"
              value={Math.round(stencil.width.screen)}
              min={20}
              max={2000}
              step={10}
              unit="px"
              onChange={(screen) => setStencil({ width: { ...stencil.width, screen } })}
            />
          )}
          {stencil.lay === "uv" && (
            <Sliding
              label="Width"
              value={stencil.width.uv}
              min={0.02}
              max={2}
              step={0.02}
              digits={2}
              onChange={(uv) => setStencil({ width: { ...stencil.width, uv } })}
            />
          )}
          {stencil.lay === "axes" && (
            <Sliding
              label="Width"
              value={stencil.width.axes}
              min={size / 200}
              max={size}
              step={size / 200}
              unit={symbol}
              digits={size < 10 ? 3 : 1}
              onChange={(axes) => setStencil({ width: { ...stencil.width, axes } })}
            />
          )}
          <Sliding
            label="Turn"
            value={Math.round(stencil.turn)}
            min={-180}
            max={180}
            step={1}
            unit="°"
            onChange={(turn) => setStencil({ turn })}
          />
          <Switching label="Repeated" on={stencil.repeat} onChange={(repeat) => setStencil({ repeat })} />
          <Switching
            label="Inverted: black lets paint through"
            on={stencil.invert}
            onChange={(invert) => setStencil({ invert })}
          />
          {stencil.lay === "screen" && (
            <Typography variant="caption" color="textSecondary">
              Hold <b>S</b> and move to place it, <b>Z</b> for its size, <b>Y</b> to turn it.
            </Typography>
          )}
        </Box>
      )}
    </>
  );
}

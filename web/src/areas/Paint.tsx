// The Paint area: the tray's stroke with its knobs and paint, and the sheet that explains it.
import { Alert, Box, ButtonBase, Divider, FormControlLabel, Paper, Switch, Typography } from "@mui/material";
import { ColorWell } from "../parts/ColorWell";
import { SkinIcon } from "../parts/icons";
import { Knob } from "../parts/Knob";
import { activePart, hex, length, set, useApp } from "../state";

/** The bar of the radius runs over three powers of ten, up to half of the part. */
const DECADES = 3;

export function PaintTray() {
  const part = useApp(activePart);
  const brush = useApp((state) => state.brush);
  const paint = useApp((state) => state.paint);
  const recent = useApp((state) => state.recent);
  const withAlpha = useApp((state) => state.channels[3]);
  const size = part ? Math.hypot(...part.max.map((value, i) => value - (part.min[i] ?? 0))) : 1;
  const widest = size / 2;
  const percent = { format: (value: number) => `${Math.round(value * 100)}`, unit: "%", fromBar: (share: number) => Math.round(share * 100) / 100, toBar: (value: number) => value };
  const unit = (value: number) => Math.min(1, Math.max(0, value / 100));
  return (
    <>
      <Box>
        <Typography variant="h3" component="h2" sx={{ mb: 0.75 }}>Stroke</Typography>
        <Box sx={{ display: "flex", flexDirection: "column", alignItems: "center", width: 62, py: 0.5, borderRadius: 2, border: 2, borderColor: "primary.main", bgcolor: "color-mix(in srgb, var(--mui-palette-primary-main) 12%, transparent)" }}>
          <SkinIcon sx={{ fontSize: 22 }} />
          <Typography variant="caption" sx={{ lineHeight: 1.2 }}>Skin</Typography>
        </Box>
      </Box>
      <Divider orientation="vertical" flexItem />
      <Knob
        label="Radius" value={brush.radius} unit="u" width={104}
        format={(value) => length(value).replace(" u", "")}
        fromBar={(share) => widest * 10 ** (DECADES * (share - 1))}
        toBar={(value) => 1 + Math.log10(value / widest) / DECADES}
        onChange={(radius) => set({ brush: { ...brush, radius: Math.min(size, Math.max(radius, size * 1e-5)) } })}
      />
      <Knob label="Opacity" value={brush.opacity} {...percent} onChange={(opacity) => set({ brush: { ...brush, opacity: opacity > 1 ? unit(opacity) : Math.max(0, opacity) } })} />
      <Knob label="Hardness" value={brush.hardness} {...percent} onChange={(hardness) => set({ brush: { ...brush, hardness: hardness > 1 ? unit(hardness) : Math.max(0, hardness) } })} />
      <Divider orientation="vertical" flexItem />
      <ColorWell color={paint} withAlpha={withAlpha} onChange={(color) => set({ paint: color })} />
      <Box sx={{ display: "flex", gap: 1 }}>
        {recent.map((color, i) => (
          <ButtonBase key={i} aria-label={`Paint with ${hex(color)}, used before`} onClick={() => set({ paint: [color[0], color[1], color[2], paint[3]] })} sx={{ width: 28, height: 28, borderRadius: "50%", bgcolor: hex(color), border: 1, borderColor: "divider" }} />
        ))}
      </Box>
    </>
  );
}

export function PaintSheet() {
  const brush = useApp((state) => state.brush);
  const part = useApp(activePart);
  return (
    <Paper variant="outlined" component="section" sx={{ p: 1.75, borderRadius: 4 }}>
      <Typography variant="h2">Skin stroke</Typography>
      <Typography variant="body2" color="textSecondary" sx={{ mt: 0.5, mb: 1 }}>
        Paints the visible, connected surface inside the circle. What lies behind or beside it stays.
      </Typography>
      <FormControlLabel
        control={<Switch size="small" checked={brush.build_up} onChange={(event) => set({ brush: { ...brush, build_up: event.target.checked } })} />}
        label={<Typography variant="body2">Build up while held</Typography>}
      />
      <Typography variant="caption" color="textSecondary" sx={{ display: "block", mb: 1 }}>
        {brush.build_up ? "Each dab adds to the last, also while the pointer rests." : "A stroke covers each place once, however often it crosses."}
      </Typography>
      {part && part.median_edge > brush.radius / 2 && (
        <Alert severity="warning" sx={{ py: 0, "& .MuiAlert-message": { fontSize: 13 } }}>
          <b>The mesh is coarse for this brush.</b> An edge is about {length(part.median_edge)}, and color is no finer than the mesh.
        </Alert>
      )}
      <Typography variant="caption" color="textSecondary" component="div" sx={{ mt: 1, lineHeight: 1.7 }}>
        Drag on the model to paint, beside it to turn. Right button turns, middle button moves, wheel comes closer. <b>[</b> and <b>]</b> change the radius, <b>F</b> frames, arrow keys turn.
      </Typography>
    </Paper>
  );
}

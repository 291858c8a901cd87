// The Paint area: the tray's stroke with its knobs and paint, and the sheet with its finer choices.
import { Alert, Box, Button, ButtonBase, Divider, FormControlLabel, MenuItem, Paper, Switch, TextField, ToggleButton, ToggleButtonGroup, Typography } from "@mui/material";
import type { Schemas } from "../api/client";
import { ColorWell } from "../parts/ColorWell";
import { DeepIcon, SkinIcon } from "../parts/icons";
import { Knob } from "../parts/Knob";
import { activePart, figure, hex, length, set, setBrush, strokeTitle, symbols, targetSet, useApp } from "../state";

/** The bar of the radius runs over three powers of ten, up to half of the part. */
const DECADES = 3;
const WIDEST_PIXELS = 400;

const reaches = [
  { key: "skin", title: "Skin", icon: SkinIcon },
  { key: "deep", title: "Deep", icon: DeepIcon },
] as const;

export function PaintTray() {
  const part = useApp(activePart);
  const target = useApp(targetSet);
  const brush = useApp((state) => state.brush);
  const paint = useApp((state) => state.paint);
  const action = useApp((state) => state.action);
  const recent = useApp((state) => state.recent);
  const withAlpha = useApp((state) => state.channels[3]);
  const unitSymbol = useApp((state) => symbols[state.traits.unit]);
  const size = part ? Math.max(Math.hypot(...part.max.map((value, i) => (value - (part.min[i] ?? 0)) * Math.abs(part.transform.scale?.[i] ?? 1))), 1e-9) : 1;
  const widest = size / 2;
  const percent = { format: (value: number) => `${Math.round(value * 100)}`, unit: "%", fromTyped: (number: number) => number / 100, fromBar: (share: number) => Math.round(share * 100) / 100, toBar: (value: number) => value };
  const unit = (value: number) => Math.min(1, Math.max(0, value));
  return (
    <>
      <Box>
        <Typography variant="h3" component="h2" sx={{ mb: 0.75 }}>Stroke</Typography>
        <Box sx={{ display: "flex", gap: 0.75 }}>
          {reaches.map(({ key, title, icon: Icon }) => {
            const on = brush.reach === key;
            return (
              <ButtonBase key={key} aria-pressed={on} data-test={`reach-${key}`} onClick={() => setBrush({ reach: key })} sx={{ display: "flex", flexDirection: "column", width: 56, py: 0.5, borderRadius: 2, border: 2, borderColor: on ? "primary.main" : "divider", bgcolor: on ? "color-mix(in srgb, var(--mui-palette-primary-main) 12%, transparent)" : "transparent", "&:focus-visible": { outline: "2px solid", outlineColor: "secondary.main" } }}>
                <Icon sx={{ fontSize: 22 }} />
                <Typography variant="caption" sx={{ lineHeight: 1.2 }}>{title}</Typography>
              </ButtonBase>
            );
          })}
        </Box>
      </Box>
      <ToggleButtonGroup orientation="vertical" exclusive size="small" value={action} onChange={(_, value: Schemas["Action"] | null) => { if (value) set({ action: value }); }} aria-label="What the stroke does">
        <ToggleButton value="paint" sx={{ py: 0.25, textTransform: "none", width: 62 }}>Paint</ToggleButton>
        <ToggleButton value="erase" data-test="erase" sx={{ py: 0.25, textTransform: "none" }}>Erase</ToggleButton>
      </ToggleButtonGroup>
      <Divider orientation="vertical" flexItem />
      {brush.on_screen ? (
        <Knob label="Radius" value={brush.pixels} unit="px" width={88} format={(value) => value.toFixed(0)}
          fromBar={(share) => WIDEST_PIXELS ** share} toBar={(value) => Math.log(value) / Math.log(WIDEST_PIXELS)}
          onChange={(pixels) => setBrush({ pixels: Math.min(2000, Math.max(1, pixels)) })} />
      ) : (
        <Knob
          label="Radius" value={brush.radius} unit={unitSymbol} width={88} format={figure}
          fromBar={(share) => widest * 10 ** (DECADES * (share - 1))}
          toBar={(value) => 1 + Math.log10(value / widest) / DECADES}
          onChange={(radius) => setBrush({ radius: Math.min(size, Math.max(radius, size * 1e-5)) })}
        />
      )}
      <Knob label="Opacity" value={brush.opacity} {...percent} onChange={(opacity) => setBrush({ opacity: unit(opacity) })} />
      <Knob label="Hardness" value={brush.hardness} {...percent} onChange={(hardness) => setBrush({ hardness: unit(hardness) })} />
      <Divider orientation="vertical" flexItem />
      {action === "paint" ? (
        <>
          <ColorWell color={paint} withAlpha={withAlpha} onChange={(color) => set({ paint: color })} />
          <Box sx={{ display: "grid", gridTemplateColumns: "repeat(3, 26px)", gap: 0.75 }}>
            {recent.map((color, i) => (
              <ButtonBase key={i} aria-label={`Paint with ${hex(color)}, used before`} onClick={() => set({ paint: [color[0], color[1], color[2], paint[3]] })} sx={{ width: 26, height: 26, borderRadius: "50%", bgcolor: hex(color), border: 1, borderColor: "divider" }} />
            ))}
          </Box>
        </>
      ) : (
        <Box sx={{ display: "flex", alignItems: "center", gap: 1 }}>
          <Box sx={{ width: 44, height: 44, borderRadius: "50%", bgcolor: target ? hex(target.ground) : undefined, border: 1, borderColor: "divider" }} />
          <Typography variant="caption" color="textSecondary" sx={{ width: 84 }}>back to the ground color</Typography>
        </Box>
      )}
    </>
  );
}

const falloffs: { key: Schemas["Falloff"]; title: string; at: (t: number) => number }[] = [
  { key: "soft", title: "Soft", at: (t) => t * t * (3 - 2 * t) },
  { key: "straight", title: "Straight", at: (t) => t },
  { key: "dome", title: "Dome", at: (t) => Math.sqrt(t * (2 - t)) },
  { key: "spike", title: "Spike", at: (t) => 1 - Math.sqrt(1 - t * t) },
];

/** The section of a dab: full in the middle up to the hardness, then as it falls off. */
function FalloffPicture({ at, hardness }: { at: (t: number) => number; hardness: number }) {
  const points = Array.from({ length: 41 }, (_, i) => {
    const distance = Math.abs(i / 20 - 1);
    const value = distance <= hardness ? 1 : at((1 - distance) / (1 - hardness));
    return `${4 + i},${22 - 17 * value}`;
  });
  return <svg width="48" height="26" aria-hidden><polyline points={points.join(" ")} fill="none" stroke="currentColor" strokeWidth="1.6" /></svg>;
}

export function PaintSheet() {
  const brush = useApp((state) => state.brush);
  const part = useApp(activePart);
  const title = useApp(strokeTitle);
  return (
    <Paper variant="outlined" component="section" sx={{ p: 1.75, borderRadius: 4 }}>
      <Typography variant="h2">{title}</Typography>
      <Typography variant="body2" color="textSecondary" sx={{ mt: 0.5, mb: 1.25 }}>
        {brush.reach === "skin" ? "Covers the visible, connected surface inside the circle. What lies behind or beside it stays." : "Covers everything within the radius, seen or hidden: both sides of thin walls, and pieces that stand close."}
      </Typography>
      <TextField select size="small" fullWidth label="The radius keeps its size" value={brush.on_screen ? "screen" : "part"} onChange={(event) => setBrush({ on_screen: event.target.value === "screen" })} sx={{ mb: 1.25 }}>
        <MenuItem value="part">on the model</MenuItem>
        <MenuItem value="screen">on the screen: finer from close by</MenuItem>
      </TextField>
      <Typography variant="caption" color="textSecondary">Falloff</Typography>
      <Box sx={{ display: "grid", gridTemplateColumns: "repeat(4, 1fr)", gap: 0.5, mb: 1 }}>
        {falloffs.map(({ key, title, at }) => (
          <Button key={key} color="inherit" aria-pressed={brush.falloff === key} data-test={`falloff-${key}`} onClick={() => setBrush({ falloff: key })} sx={{ flexDirection: "column", p: 0.5, minWidth: 0, fontWeight: 400, fontSize: 12, lineHeight: 1.2, border: 2, borderColor: brush.falloff === key ? "primary.main" : "divider" }}>
            <FalloffPicture at={at} hardness={brush.hardness} />{title}
          </Button>
        ))}
      </Box>
      <Choice label="Build up while held" on={brush.build_up} onChange={(build_up) => setBrush({ build_up })} />
      <Choice label="Pen pressure changes the radius" on={brush.pressure_radius} onChange={(pressure_radius) => setBrush({ pressure_radius })} />
      <Choice label="Pen pressure changes the opacity" on={brush.pressure_opacity} onChange={(pressure_opacity) => setBrush({ pressure_opacity })} />
      {part && !brush.on_screen && part.median_edge > brush.radius / 2 && (
        <Alert severity="warning" sx={{ mt: 0.5, py: 0, "& .MuiAlert-message": { fontSize: 13 } }}>
          <b>The mesh is coarse for this brush.</b> An edge is about {length(part.median_edge)}, and color is no finer than the mesh.
        </Alert>
      )}
      <Typography variant="caption" color="textSecondary" component="div" sx={{ mt: 1, lineHeight: 1.6 }}>
        Drag on the model to paint, beside it to turn. Hold <b>R</b> and move for the radius. <b>?</b> shows all keys.
      </Typography>
    </Paper>
  );
}

function Choice({ label, on, onChange }: { label: string; on: boolean; onChange: (on: boolean) => void }) {
  return <FormControlLabel sx={{ display: "flex", minHeight: 30, ml: -0.75 }} control={<Switch size="small" checked={on} onChange={(event) => onChange(event.target.checked)} />} label={<Typography variant="body2">{label}</Typography>} />;
}

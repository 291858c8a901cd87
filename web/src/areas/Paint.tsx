// The Paint area: the tray's stroke with its knobs and paint, and the sheet with its finer choices.
import { Alert, Box, Button, ButtonBase, Divider, FormControlLabel, MenuItem, Paper, Switch, TextField, ToggleButton, ToggleButtonGroup, Typography } from "@mui/material";
import type { Schemas } from "../api/client";
import { ColorWell } from "../parts/ColorWell";
import { AllIcon, CornerIcon, CreaseIcon, DeepIcon, FacetIcon, PatchIcon, PieceIcon, SkinIcon } from "../parts/icons";
import { Knob } from "../parts/Knob";
import { activePart, blends, count, figure, hex, isRound, length, set, setBrush, toolTitle, symbols, targetSet, useApp } from "../state";

/** The bar of the radius runs over three powers of ten, up to half of the part. */
const DECADES = 3;
const WIDEST_PIXELS = 400;

const reaches = [
  { key: "skin", title: "Skin", icon: SkinIcon },
  { key: "deep", title: "Deep", icon: DeepIcon },
  { key: "facet", title: "Facet", icon: FacetIcon },
  { key: "corner", title: "Corner", icon: CornerIcon },
] as const;

const pours = [
  { key: "crease", title: "Crease", icon: CreaseIcon },
  { key: "patch", title: "Patch", icon: PatchIcon },
  { key: "piece", title: "Piece", icon: PieceIcon },
  { key: "all", title: "All", icon: AllIcon },
] as const;

/** One of a family's tools. */
function Variant({ name, title, icon: Icon, on, onChoose }: { name: string; title: string; icon: typeof SkinIcon; on: boolean; onChoose: () => void }) {
  return (
    <ButtonBase aria-pressed={on} data-test={name} onClick={onChoose} sx={{ display: "flex", flexDirection: "column", width: 56, py: 0.5, borderRadius: 2, border: 2, borderColor: on ? "primary.main" : "divider", bgcolor: on ? "color-mix(in srgb, var(--mui-palette-primary-main) 12%, transparent)" : "transparent", "&:focus-visible": { outline: "2px solid", outlineColor: "secondary.main" } }}>
      <Icon sx={{ fontSize: 22 }} />
      <Typography variant="caption" sx={{ lineHeight: 1.2 }}>{title}</Typography>
    </ButtonBase>
  );
}

export function PaintTray() {
  const part = useApp(activePart);
  const target = useApp(targetSet);
  const tool = useApp((state) => state.tool);
  const round = useApp(isRound);
  const brush = useApp((state) => state.brush);
  const pour = useApp((state) => state.pour);
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
        <Box role="tablist" aria-label="Tools" sx={{ display: "flex", gap: 1.5, mb: 0.5 }}>
          {(["stroke", "pour"] as const).map((family) => (
            <ButtonBase key={family} role="tab" aria-selected={tool === family} data-test={`tool-${family}`} onClick={() => set({ tool: family })} sx={{ borderRadius: 1, px: 0.25, "&:focus-visible": { outline: "2px solid", outlineColor: "secondary.main" } }}>
              <Typography variant="h3" component="span" sx={{ color: tool === family ? "text.primary" : "text.secondary", fontWeight: tool === family ? undefined : 500 }}>{family === "stroke" ? "Stroke" : "Pour"}</Typography>
            </ButtonBase>
          ))}
        </Box>
        <Box sx={{ display: "flex", gap: 0.75 }}>
          {tool === "stroke"
            ? reaches.map(({ key, title, icon }) => <Variant key={key} name={`reach-${key}`} title={title} icon={icon} on={brush.reach === key} onChoose={() => setBrush({ reach: key })} />)
            : pours.map(({ key, title, icon }) => <Variant key={key} name={`pour-${key}`} title={title} icon={icon} on={pour.kind === key} onChoose={() => set({ pour: { ...pour, kind: key } })} />)}
        </Box>
      </Box>
      <ToggleButtonGroup orientation="vertical" exclusive size="small" value={action} onChange={(_, value: Schemas["Action"] | null) => { if (value) set({ action: value }); }} aria-label="What the tool does">
        <ToggleButton value="paint" sx={{ py: 0.25, textTransform: "none", width: 62 }}>Paint</ToggleButton>
        <ToggleButton value="erase" data-test="erase" sx={{ py: 0.25, textTransform: "none" }}>Erase</ToggleButton>
      </ToggleButtonGroup>
      <Divider orientation="vertical" flexItem />
      {round && (brush.on_screen ? (
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
      ))}
      {tool === "pour" && pour.kind === "crease" && (
        <Knob label="Bend" value={pour.degrees ?? part?.crease ?? 30} unit="°" format={(value) => value.toFixed(value < 10 ? 1 : 0)}
          fromBar={(share) => Math.round(share * 180)} toBar={(value) => value / 180}
          onChange={(degrees) => set({ pour: { ...pour, degrees: Math.min(180, Math.max(0, degrees)) } })} />
      )}
      {tool === "pour" && pour.kind === "patch" && <Knob label="Tolerance" value={pour.tolerance} {...percent} onChange={(tolerance) => set({ pour: { ...pour, tolerance: unit(tolerance) } })} />}
      <Knob label="Opacity" value={brush.opacity} {...percent} onChange={(opacity) => setBrush({ opacity: unit(opacity) })} />
      {round && <Knob label="Hardness" value={brush.hardness} {...percent} onChange={(hardness) => setBrush({ hardness: unit(hardness) })} />}
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
  return useApp((state) => state.tool) === "stroke" ? <StrokeSheet /> : <PourSheet />;
}

/** How paint meets what is there; erasing has no need of it. */
function BlendChoice() {
  const blend = useApp((state) => state.blend);
  const action = useApp((state) => state.action);
  if (action === "erase") return null;
  return (
    <TextField select size="small" fullWidth label="Blend" value={blend} onChange={(event) => set({ blend: event.target.value as Schemas["Blend"] })} sx={{ mb: 1.25 }} helperText={blend === "normal" ? undefined : blends.find((each) => each.key === blend)?.says} slotProps={{ select: { MenuProps: { slotProps: { paper: { sx: { maxHeight: 420 } } } } } }}>
      {blends.map(({ key, title }) => <MenuItem key={key} value={key} dense>{title}</MenuItem>)}
    </TextField>
  );
}

const reachOf = {
  all: "Covers the whole part.",
  crease: "Covers the surface around the pointer up to edges that bend by more than the angle.",
  patch: "Covers the connected region that has the same value now, in the chosen channels.",
  piece: "Covers the connected piece under the pointer.",
} as const;

function PourSheet() {
  const part = useApp(activePart);
  const pour = useApp((state) => state.pour);
  const title = useApp(toolTitle);
  const covered = useApp((state) => state.covered);
  const target = useApp(targetSet);
  return (
    <Paper variant="outlined" component="section" sx={{ p: 1.75, borderRadius: 4 }}>
      <Typography variant="h2">{title}</Typography>
      <Typography variant="body2" color="textSecondary" sx={{ mt: 0.5, mb: 1.25 }}>{reachOf[pour.kind]}</Typography>
      <BlendChoice />
      {pour.kind === "crease" && part && (
        <Box sx={{ display: "flex", alignItems: "center", mb: 1 }}>
          <Typography variant="body2" sx={{ flex: 1 }}>
            {pour.degrees === null || pour.degrees === part.crease
              ? <>{part.crease}° lies between this part&rsquo;s smooth and sharp edges.</>
              : <>This part&rsquo;s own bends suggest {part.crease}°.</>}
          </Typography>
          {pour.degrees !== null && pour.degrees !== part.crease && <Button size="small" color="secondary" onClick={() => set({ pour: { ...pour, degrees: null } })}>Take it</Button>}
        </Box>
      )}
      <Typography variant="body2" data-test="pour-covers" aria-live="polite">
        {covered > 0 && target ? <>A click here covers <b>{count(covered)}</b> {{ vertex: "vertices", corner: "corners", face: "faces" }[target.placement]}.</> : "Point at the model to see what a click would cover."}
      </Typography>
      <Typography variant="caption" color="textSecondary" component="div" sx={{ mt: 1, lineHeight: 1.6 }}>
        Click to pour, drag to turn. <b>E</b> erases instead. <b>?</b> shows all keys.
      </Typography>
    </Paper>
  );
}

const reachSays: Record<Schemas["Reach"], string> = {
  skin: "Covers the visible, connected surface inside the circle. What lies behind or beside it stays.",
  deep: "Covers everything within the radius, seen or hidden: both sides of thin walls, and pieces that stand close.",
  facet: "Covers every face the pointer crosses, whole, however fast it goes.",
  corner: "Covers the one corner nearest to the pointer, on each face it crosses: for borders between faces.",
};

function StrokeSheet() {
  const round = useApp(isRound);
  const brush = useApp((state) => state.brush);
  const part = useApp(activePart);
  const title = useApp(toolTitle);
  return (
    <Paper variant="outlined" component="section" sx={{ p: 1.75, borderRadius: 4 }}>
      <Typography variant="h2">{title}</Typography>
      <Typography variant="body2" color="textSecondary" sx={{ mt: 0.5, mb: 1.25 }}>
        {reachSays[brush.reach]}
      </Typography>
      <BlendChoice />
      {round && (
        <>
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
      {part && !brush.on_screen && part.median_edge > brush.radius / 2 && (
        <Alert severity="warning" sx={{ mt: 0.5, py: 0, "& .MuiAlert-message": { fontSize: 13 } }}>
          <b>The mesh is coarse for this brush.</b> An edge is about {length(part.median_edge)}, and color is no finer than the mesh.
        </Alert>
      )}
        </>
      )}
      <Choice label="Pen pressure changes the opacity" on={brush.pressure_opacity} onChange={(pressure_opacity) => setBrush({ pressure_opacity })} />
      <Typography variant="caption" color="textSecondary" component="div" sx={{ mt: 1, lineHeight: 1.6 }}>
        Drag on the model to paint, beside it to turn. {round && <>Hold <b>R</b> and move for the radius. </>}<b>?</b> shows all keys.
      </Typography>
    </Paper>
  );
}

function Choice({ label, on, onChange }: { label: string; on: boolean; onChange: (on: boolean) => void }) {
  return <FormControlLabel sx={{ display: "flex", minHeight: 30, ml: -0.75 }} control={<Switch size="small" checked={on} onChange={(event) => onChange(event.target.checked)} />} label={<Typography variant="body2">{label}</Typography>} />;
}

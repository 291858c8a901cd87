// The sheet of the tool in hand: its finer choices, and the stencil.
import { Alert, Box, Button, MenuItem, TextField, ToggleButton, ToggleButtonGroup, Typography } from "@mui/material";
import type { Schemas } from "../../api/client";
import { CurveField } from "../../widgets/CurveField";
import { curveAt, falloffs } from "../../model/curves";
import type { Project } from "../../project/project";
import {
  activePart,
  blends,
  elements,
  intoSet,
  isRound,
  length,
  set,
  setBrush,
  setSpan,
  straight,
  symbols,
  toolTitle,
  useApp,
  type Curve,
  type PourKind,
  type SpanKind,
  type Vec,
} from "../../model/state";
import { boxOf } from "../../project/tools";
import { Choose, Row, Sliding } from "../../widgets/rows";
import { StencilChoices } from "./Stencil";
import { numberIn } from "../../widgets/typed";

const says: Record<"skin" | "deep" | "facet" | "corner" | PourKind | SpanKind | "soften" | "smear", string> = {
  skin: "Covers the visible, connected surface inside the circle. What lies behind or beside it stays.",
  deep: "Covers everything within the radius, seen or hidden: both sides of thin walls, and pieces that stand close.",
  facet: "Covers every face the pointer crosses, whole, however fast it goes.",
  corner: "Covers the one corner nearest to the pointer, on each face it crosses: for borders between faces.",
  all: "Covers the whole part.",
  crease: "Covers the surface around the pointer up to edges that bend by more than the angle.",
  patch: "Covers the connected region that has the same value now, in the chosen channels.",
  piece: "Covers the connected piece under the pointer.",
  chosen: "Covers what is selected, as much as it is. A click anywhere on the part does it.",
  band: "Covers all between two heights, insides and undersides too. Drag on the model, or type the numbers.",
  gradient:
    "Covers the whole part, full at the first point and thinning out towards the second. Drag from one to the other.",
  solid: "Covers what is inside a shape. Drag from its middle outwards, or click to put it there.",
  lasso: "Covers what is seen inside an outline. Draw it anywhere on the stage.",
  soften: "Brings each place nearer to the mean of those around it.",
  smear: "Carries what is there along with the pointer.",
};

export function ToolSheet({ project }: { project: Project | null }) {
  const tool = useApp((state) => state.tool);
  const title = useApp(toolTitle);
  const into = useApp((state) => state.into);
  const what = useApp((state) =>
    state.tool === "stroke"
      ? state.brush.reach
      : state.tool === "pour"
        ? state.pour.kind
        : state.tool === "span"
          ? state.span.kind
          : state.tidy,
  );
  const several = useApp((state) => state.parts.length > 1);
  const allParts = useApp((state) => state.allParts);
  const part = useApp(activePart);
  return (
    <>
      <Typography variant="h2">{title}</Typography>
      <Typography variant="body2" color="textSecondary" sx={{ mt: 0.5, mb: 1 }}>
        {says[what]}
      </Typography>
      {tool !== "tidy" && into === "set" && <BlendChoice />}
      {tool === "stroke" && <StrokeChoices />}
      {tool === "tidy" && <RoundChoices />}
      {tool === "pour" && <PourChoices />}
      {tool === "span" && <SpanChoices project={project} />}
      {(tool === "stroke" || tool === "tidy") && <MirrorChoice />}
      {several && (
        <Choose
          label="Works on"
          value={allParts ? "all" : "one"}
          options={[
            ["one", "this part"],
            ["all", "all visible parts"],
          ]}
          onChange={(key) => set({ allParts: key === "all" })}
        />
      )}
      {into === "set" && project && <StencilChoices project={project} />}
      {part && project && into === "set" && (
        <Row label="Start over">
          <Button
            size="small"
            color="secondary"
            data-test="clear-part"
            onClick={() => void project.edit({ type: "clear_part", part: part.id })}>
            Clear this part&rsquo;s paint
          </Button>
        </Row>
      )}
      <Typography variant="caption" color="textSecondary" component="div" sx={{ mt: 1, lineHeight: 1.6 }}>
        {tool === "pour"
          ? "Click to pour, drag to turn."
          : tool === "span"
            ? "Enter lays it on, Esc lets go."
            : "Drag on the model, or beside it to turn."}{" "}
        <b>?</b> shows all keys.
      </Typography>
    </>
  );
}

/** How paint meets what is there; erasing has no need of it. */
function BlendChoice() {
  const blend = useApp((state) => state.blend);
  const action = useApp((state) => state.action);
  if (action === "erase") return null;
  return (
    <TextField
      select
      size="small"
      fullWidth
      label="Blend"
      value={blend}
      onChange={(event) => set({ blend: event.target.value as Schemas["Blend"] })}
      sx={{ mb: 1 }}
      helperText={blend === "normal" ? undefined : blends.find((each) => each.key === blend)?.says}
      slotProps={{ select: { MenuProps: { slotProps: { paper: { sx: { maxHeight: 420 } } } } } }}>
      {blends.map(({ key, title }) => (
        <MenuItem key={key} value={key} dense>
          {title}
        </MenuItem>
      ))}
    </TextField>
  );
}

const falloffWords: readonly (readonly [Schemas["Falloff"], string])[] = [
  ["soft", "Soft"],
  ["straight", "Straight"],
  ["dome", "Dome"],
  ["spike", "Spike"],
];

/** The section of a dab: full in the middle up to the hardness, then as it falls off. */
function FalloffPicture({ at, hardness }: { at: (t: number) => number; hardness: number }) {
  const points = Array.from({ length: 41 }, (_, i) => {
    const distance = Math.abs(i / 20 - 1);
    const value = distance <= hardness ? 1 : at((1 - distance) / (1 - hardness));
    return `${4 + i},${22 - 17 * value}`;
  });
  return (
    <svg width="48" height="26" aria-hidden>
      <polyline points={points.join(" ")} fill="none" stroke="currentColor" strokeWidth="1.6" />
    </svg>
  );
}

function StrokeChoices() {
  const round = useApp(isRound);
  const brush = useApp((state) => state.brush);
  return (
    <>
      {round && <RoundChoices />}
      {brush.reach === "skin" && (
        <>
          <Choose
            label="Reaches"
            value={brush.through ? "through" : "front"}
            options={[
              ["front", "what is seen"],
              ["through", "through, hidden too"],
            ]}
            onChange={(key) => setBrush({ through: key === "through" })}
          />
          <Choose
            label="Surface"
            value={brush.apart ? "all" : "connected"}
            options={[
              ["connected", "connected only"],
              ["all", "all in the circle"],
            ]}
            onChange={(key) => setBrush({ apart: key === "all" })}
          />
        </>
      )}
      {round && (
        <>
          <Choose
            label="Builds up"
            value={brush.build_up}
            options={[
              ["stroke", "once per stroke"],
              ["dab", "with every dab"],
              ["held", "also while held still"],
            ]}
            onChange={(build_up) => setBrush({ build_up })}
          />
          {brush.build_up !== "stroke" && (
            <Sliding
              label="Flow"
              value={Math.round(brush.flow * 100)}
              min={1}
              max={100}
              step={1}
              unit="%"
              onChange={(flow) => setBrush({ flow: flow / 100 })}
            />
          )}
          <Sliding
            label="Spacing"
            value={Math.round(brush.spacing * 100)}
            min={5}
            max={200}
            step={5}
            unit="%"
            onChange={(spacing) => setBrush({ spacing: spacing / 100 })}
          />
        </>
      )}
      <PressureChoice round={round} />
    </>
  );
}

const pressures = [
  { key: "pressure_opacity", title: "opacity" },
  { key: "pressure_radius", title: "radius" },
  { key: "pressure_hardness", title: "hardness" },
] as const;

/** What a pen's pressure scales, and by which curve. */
function PressureChoice({ round }: { round: boolean }) {
  const brush = useApp((state) => state.brush);
  const offered = round ? pressures : pressures.slice(0, 1);
  const on = offered.filter(({ key }) => brush[key] !== null).map(({ key }) => key);
  const put = (keys: string[]) => {
    for (const { key } of offered) setBrush({ [key]: keys.includes(key) ? (brush[key] ?? straight) : null });
  };
  return (
    <>
      <Row label="Pen pressure">
        <ToggleButtonGroup
          size="small"
          value={on}
          onChange={(_, keys: string[]) => put(keys)}
          aria-label="What the pen's pressure scales">
          {offered.map(({ key, title }) => (
            <ToggleButton
              key={key}
              value={key}
              data-test={key}
              sx={{ py: 0, px: 0.75, textTransform: "none", fontSize: 12.5 }}>
              {title}
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
      </Row>
      {offered.map(({ key, title }) => {
        const curve: Curve | null = brush[key];
        return (
          curve && (
            <CurveField
              key={key}
              label={`Pressure to ${title}`}
              curve={curve}
              onChange={(next) => setBrush({ [key]: next })}
              from={`light: ${title}`}
              to="firm"
            />
          )
        );
      })}
    </>
  );
}

function RoundChoices() {
  const brush = useApp((state) => state.brush);
  const part = useApp(activePart);
  const own = brush.falloff_curve;
  const button = (key: string, title: string, on: boolean, at: (t: number) => number, choose: () => void) => (
    <Button
      key={key}
      color="inherit"
      aria-pressed={on}
      data-test={`falloff-${key}`}
      onClick={choose}
      sx={{
        flexDirection: "column",
        p: 0.25,
        minWidth: 0,
        fontWeight: 400,
        fontSize: 11.5,
        lineHeight: 1.2,
        border: 2,
        borderColor: on ? "primary.main" : "divider",
      }}>
      <FalloffPicture at={at} hardness={brush.hardness} />
      {title}
    </Button>
  );
  return (
    <>
      <Box
        sx={{ display: "grid", gridTemplateColumns: "repeat(5, 1fr)", gap: 0.5, mb: 0.75 }}
        role="group"
        aria-label="Falloff">
        {falloffWords.map(([key, title]) =>
          button(key, title, !own && brush.falloff === key, falloffs[key], () =>
            setBrush({ falloff: key, falloff_curve: null }),
          ),
        )}
        {button(
          "own",
          "Own",
          own !== null,
          (t) => curveAt(own ?? straight, t),
          () => setBrush({ falloff_curve: own ?? straight }),
        )}
      </Box>
      {own && (
        <CurveField
          label="Falloff"
          curve={own}
          onChange={(falloff_curve) => setBrush({ falloff_curve })}
          from="rim"
          to="hard middle"
        />
      )}
      <Choose
        label="Radius keeps"
        value={brush.on_screen ? "screen" : "part"}
        options={[
          ["part", "its size on the model"],
          ["screen", "its size on the screen"],
        ]}
        onChange={(key) => setBrush({ on_screen: key === "screen" })}
      />
      {part && !brush.on_screen && part.median_edge > brush.radius / 2 && (
        <Alert severity="warning" sx={{ my: 0.5, py: 0, "& .MuiAlert-message": { fontSize: 13 } }}>
          <b>The mesh is coarse for this brush.</b> An edge is about {length(part.median_edge)}, and color is no finer
          than the mesh.
        </Alert>
      )}
    </>
  );
}

function MirrorChoice() {
  const mirror = useApp((state) => state.mirror);
  const on = mirror.axes.map((is, i) => (is ? String(i) : "")).filter(Boolean);
  return (
    <>
      <Row label="Mirror">
        <ToggleButtonGroup
          size="small"
          value={on}
          onChange={(_, next: string[]) =>
            set({ mirror: { ...mirror, axes: [0, 1, 2].map((i) => next.includes(String(i))) } })
          }
          aria-label="Mirror across">
          {["X", "Y", "Z"].map((name, i) => (
            <ToggleButton
              key={name}
              value={String(i)}
              data-test={`mirror-${name}`}
              sx={{ py: 0, px: 1.25, textTransform: "none" }}>
              {name}
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
      </Row>
      {on.length > 0 && (
        <Choose
          label="Mirror stands"
          value={mirror.of_project ? "project" : "part"}
          options={[
            ["part", "in the part's origin"],
            ["project", "in the project's origin"],
          ]}
          onChange={(key) => set({ mirror: { ...mirror, of_project: key === "project" } })}
        />
      )}
    </>
  );
}

function Covers() {
  const covered = useApp((state) => state.covered);
  const target = useApp(intoSet);
  return (
    <Typography variant="body2" data-test="pour-covers" aria-live="polite" sx={{ mb: 1 }}>
      {covered > 0 && target ? (
        <>
          A click here covers <b>{elements(covered, target.placement)}</b>.
        </>
      ) : (
        "Point at the model to see what a click would cover."
      )}
    </Typography>
  );
}

function PourChoices() {
  const part = useApp(activePart);
  const pour = useApp((state) => state.pour);
  return (
    <>
      {pour.kind === "crease" && part && (
        <Box sx={{ display: "flex", alignItems: "center", mb: 1 }}>
          <Typography variant="body2" sx={{ flex: 1 }}>
            {pour.degrees === null || pour.degrees === part.crease ? (
              <>{part.crease}° lies between this part&rsquo;s smooth and sharp edges.</>
            ) : (
              <>This part&rsquo;s own bends suggest {part.crease}°.</>
            )}
          </Typography>
          {pour.degrees !== null && pour.degrees !== part.crease && (
            <Button size="small" color="secondary" onClick={() => set({ pour: { ...pour, degrees: null } })}>
              Take it
            </Button>
          )}
        </Box>
      )}
      <Covers />
    </>
  );
}

function SpanChoices({ project }: { project: Project | null }) {
  const span = useApp((state) => state.span);
  const covered = useApp((state) => state.covered);
  const ready = useApp((state) => state.spanReady);
  const target = useApp(intoSet);
  const action = useApp((state) => state.action);
  const show = () => {
    set({ spanReady: true });
    project?.hoverFill(null);
  };
  return (
    <>
      {(span.kind === "band" || span.kind === "gradient") && (
        <Choose
          label="Runs along"
          value={span.axis}
          options={[
            ["x", "X"],
            ["y", "Y"],
            ["z", "Z"],
            ["drawn", "the line I draw"],
          ]}
          onChange={(axis) => setSpan({ axis, from: null, to: null })}
        />
      )}
      {span.kind === "solid" && <SolidNumbers />}
      {span.kind === "lasso" && (
        <>
          <Choose
            label="Outline"
            value={span.outline}
            options={[
              ["free", "drawn freely"],
              ["rectangle", "a rectangle"],
            ]}
            onChange={(outline) => setSpan({ outline })}
          />
          <Choose
            label="Reaches"
            value={span.through ? "through" : "seen"}
            options={[
              ["seen", "what is seen"],
              ["through", "through, hidden too"],
            ]}
            onChange={(key) => setSpan({ through: key === "through" })}
          />
        </>
      )}
      <Box sx={{ display: "flex", alignItems: "center", gap: 1, my: 1 }} data-test="span-covers">
        {ready && target ? (
          <>
            <Typography variant="body2" sx={{ flex: 1 }}>
              Covers <b>{elements(covered, target.placement)}</b>.
            </Typography>
            <Button size="small" variant="contained" disabled={covered === 0} onClick={() => void project?.fill(null)}>
              {action === "erase" ? "Erase it" : "Lay it on"}
            </Button>
          </>
        ) : span.kind === "lasso" ? (
          <Typography variant="body2">Draw an outline to see what it covers.</Typography>
        ) : (
          <Button size="small" variant="outlined" color="inherit" data-test="show-span" onClick={show}>
            Show what these numbers cover
          </Button>
        )}
      </Box>
    </>
  );
}

function SolidNumbers() {
  const span = useApp((state) => state.span);
  const part = useApp(activePart);
  const symbol = useApp((state) => symbols[state.traits.unit]);
  if (!part) return null;
  const center = span.center ?? boxOf(part).center;
  const put = (key: "center" | "size" | "turn", now: Vec, axis: number, number: number) => {
    if (!Number.isFinite(number) || (key === "size" && number <= 0)) return;
    const next = now.map((old, i) => (i === axis ? number : old)) as Vec;
    setSpan(key === "center" ? { center: next } : key === "size" ? { size: next } : { turn: next });
    set({ spanReady: true });
  };
  const row = (label: string, key: "center" | "size" | "turn", now: Vec, unit: string) => (
    <Box sx={{ display: "grid", gridTemplateColumns: "78px repeat(3, 1fr)", gap: 0.5, alignItems: "center", mb: 0.5 }}>
      <Typography variant="body2" color="textSecondary">
        {label}, {unit}
      </Typography>
      {["X", "Y", "Z"].map((name, i) => (
        <TextField
          key={name}
          size="small"
          defaultValue={(now[i] ?? 0).toFixed(2)}
          slotProps={{
            htmlInput: {
              "aria-label": `${label} ${name}`,
              inputMode: "decimal",
              style: { padding: "4px 6px", fontSize: 13 },
            },
          }}
          onKeyDown={(event) => {
            event.stopPropagation();
            if (event.key === "Enter") (event.target as HTMLElement).blur();
          }}
          onBlur={(event) => {
            if (event.target.value !== (now[i] ?? 0).toFixed(2)) put(key, now, i, numberIn(event.target.value));
          }}
        />
      ))}
    </Box>
  );
  const key = JSON.stringify([center, span.size, span.turn]);
  return (
    <Box key={key}>
      <Choose
        label="Shape"
        value={span.shape}
        options={[
          ["sphere", "sphere"],
          ["box", "box"],
          ["cylinder", "cylinder"],
          ["cone", "cone"],
        ]}
        onChange={(shape) => setSpan({ shape })}
      />
      {row("Middle", "center", center, symbol)}
      {row("Size", "size", span.size, symbol)}
      {row("Turn", "turn", span.turn, "°")}
    </Box>
  );
}

// The finer choices of strokes: how they fall off, what pressure does, mirrors.
import { Alert, Box, Button, Link, ToggleButton, ToggleButtonGroup, Typography } from "@mui/material";
import type { Schemas } from "../../api/client";
import { CurveField } from "../../widgets/CurveField";
import { curveAt, falloffs } from "../../model/curves";
import { activePart, isSwatches, set, setBrush, useApp } from "../../model/state";
import { straight, type Curve } from "../../model/choices";
import { addsWords, length, symbols } from "../../model/words";
import { isRound } from "../../model/toolWords";
import { Choose, Row, Sliding, Switching } from "../../widgets/rows";

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

export function StrokeChoices() {
  const round = useApp(isRound);
  const brush = useApp((state) => state.brush);
  // A face is painted in a swatch or not: nothing fades or builds up.
  const isWhole = useApp(isSwatches);
  return (
    <>
      {round && !isWhole && <RoundChoices />}
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
      {round && !isWhole && (
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
      {round && <MeshChoices />}
      <PressureChoice round={round} />
    </>
  );
}

/** What becomes of the mesh under a stroke, before its paint goes on. */
function MeshChoices() {
  const brush = useApp((state) => state.brush);
  const part = useApp(activePart);
  const unit = useApp((state) => symbols[state.traits.unit]);
  const hasStencil = useApp((state) => state.stencil !== null);
  const ahead = useApp((state) => state.ahead);
  if (!part) return null;
  const edge = part.median_edge;
  const changes = brush.crisp || brush.finer !== null;
  return (
    <>
      <Switching label="Crisp rim: cut faces along it" on={brush.crisp} onChange={(crisp) => setBrush({ crisp })} />
      <Switching
        label="Finer faces under it"
        on={brush.finer !== null}
        onChange={(on) => setBrush({ finer: on ? Number((edge / 2).toPrecision(2)) : null })}
      />
      {brush.finer !== null && (
        <Sliding
          label="Edges up to"
          value={brush.finer}
          min={edge / 64}
          max={edge * 4}
          step={edge / 100}
          unit={unit}
          digits={edge < 0.1 ? 5 : edge < 10 ? 3 : 2}
          curved
          onChange={(finer) => setBrush({ finer })}
        />
      )}
      {changes && (
        <Typography variant="caption" component="p" color="textSecondary" sx={{ mb: 0.75 }}>
          {brush.finer !== null && "Finer as the pointer moves"}
          {brush.finer !== null && brush.crisp && ", cut along the rim when it is lifted"}
          {brush.finer === null && "Cut when the pointer is lifted"}; one undo takes back mesh and paint.
          {ahead !== null && ` A dab where the pointer rests ${addsWords(ahead)}.`}
          {brush.crisp && brush.hardness < 1 && " A rim is only crisp at a hardness of 100 %."}
          {brush.crisp &&
            hasStencil &&
            " Faces are cut along the stencil as well: all of the paint comes through, or none."}
          {part.faces !== part.triangles && " All faces of the part become triangles first."}
        </Typography>
      )}
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

export function RoundChoices() {
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
      {part && !brush.on_screen && part.median_edge > brush.radius / 2 && brush.finer === null && !brush.crisp && (
        <Alert severity="warning" sx={{ my: 0.5, py: 0, "& .MuiAlert-message": { fontSize: 13 } }}>
          <b>The mesh is coarse for this brush.</b> An edge is about {length(part.median_edge)}, and color is no finer
          than the mesh.{" "}
          <Link
            component="button"
            data-test="make-finer"
            title="Edges under a stroke are split before its paint goes on"
            onClick={() => setBrush({ finer: Number((brush.radius / 6).toPrecision(2)) })}
            sx={{ font: "inherit", fontWeight: 650, verticalAlign: "baseline" }}>
            Make it finer under the brush
          </Link>
        </Alert>
      )}
    </>
  );
}

export function MirrorChoice() {
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

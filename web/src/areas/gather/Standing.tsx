// Where the active part stands: by numbers, and by a grip on the stage.
import { Box, InputBase, Paper, ToggleButton, ToggleButtonGroup, Typography } from "@mui/material";
import { useEffect } from "react";
import type { Schemas } from "../../api/client";
import { set, useApp, type Part } from "../../model/state";
import { figure, symbols } from "../../model/words";
import type { Project } from "../../project/project";
import { matrixOf, type GripMode } from "../../stage/grip";
import { useTyped } from "../../widgets/typed";

type Transform = Schemas["Transform"];
type Row = { key: keyof Transform; title: string; unit: string };

const grips = [
  ["move", "Move"],
  ["turn", "Turn"],
  ["scale", "Scale"],
] as const satisfies readonly (readonly [GripMode, string])[];

/** Holds a part by a grip on the stage: it follows the hand, and stands there when the hand lets go. */
function useGrip(project: Project, part: Part | undefined, mode: GripMode | null) {
  const placed = part && JSON.stringify([project.id, part.id, part.transform, part.mesh]);
  useEffect(() => {
    if (!part || mode === null) return;
    const { stage } = project;
    stage.gripOn(part.id, mode, part.transform, (transform, isLast) => {
      stage.surfaces.get(part.id)?.stand(matrixOf(transform));
      if (isLast && JSON.stringify(transform) !== JSON.stringify(part.transform))
        void project.edit({ type: "place_part", part: part.id, transform });
    });
    return () => stage.gripOn(null);
    // Of the part only where it stands, and what its middle follows from.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [project, placed, mode]);
  // It goes with the sheet.
  useEffect(() => () => set({ grip: null }), []);
}

export function Standing({ project }: { project: Project }) {
  const part = useApp((state) => state.parts.find((each) => each.id === state.part));
  const unit = useApp((state) => symbols[state.traits.unit]);
  const grip = useApp((state) => state.grip);
  useGrip(project, part?.locked ? undefined : part, grip);
  if (!part) return null;
  const rows: Row[] = [
    { key: "translation", title: "Place", unit },
    { key: "rotation_degrees", title: "Turn", unit: "°" },
    { key: "scale", title: "Scale", unit: "×" },
  ];
  const put = (key: keyof Transform, axis: number, value: number) => {
    const numbers = [...(part.transform[key] ?? [])];
    if (numbers[axis] === value) return;
    numbers[axis] = value;
    void project.edit({ type: "place_part", part: part.id, transform: { ...part.transform, [key]: numbers } });
  };
  const size = part.max.map((value, i) => (value - (part.min[i] ?? 0)) * Math.abs(part.transform.scale?.[i] ?? 1));
  return (
    <Paper
      variant="outlined"
      component="section"
      aria-label="Where it stands"
      sx={{ p: 1.75, borderRadius: 4 }}
      onKeyDown={(event) => {
        if (!(event.ctrlKey || event.metaKey)) event.stopPropagation();
      }}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1, mb: 1 }}>
        <Typography variant="h2" noWrap sx={{ flex: 1, minWidth: 0 }}>
          {part.name} stands
        </Typography>
        <ToggleButtonGroup
          exclusive
          size="small"
          value={grip}
          aria-label="A grip on the stage"
          onChange={(_, next: GripMode | null) => set({ grip: next })}>
          {grips.map(([key, title]) => (
            <ToggleButton
              key={key}
              value={key}
              data-test={`grip-${key}`}
              disabled={part.locked}
              sx={{ textTransform: "none", px: 1, py: 0.25 }}>
              {title}
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
      </Box>
      <Box sx={{ display: "grid", gridTemplateColumns: "52px repeat(3, 1fr) 24px", gap: 0.75, alignItems: "center" }}>
        <span />
        {["X", "Y", "Z"].map((axis) => (
          <Typography key={axis} variant="caption" color="textSecondary" sx={{ textAlign: "center" }}>
            {axis}
          </Typography>
        ))}
        <span />
        {rows.map(({ key, title, unit }) => (
          <Row key={key}>
            <Typography variant="body2" color="textSecondary">
              {title}
            </Typography>
            {[0, 1, 2].map((axis) => (
              <Field
                key={axis}
                label={`${title} ${"XYZ"[axis]}`}
                value={part.transform[key]?.[axis] ?? 0}
                disabled={part.locked}
                onValue={(value) => put(key, axis, value)}
              />
            ))}
            <Typography variant="caption" color="textSecondary">
              {unit}
            </Typography>
          </Row>
        ))}
      </Box>
      <Typography variant="caption" color="textSecondary" component="div" sx={{ mt: 1 }}>
        Size {size.map(figure).join(" × ")} {unit}, along its own axes
      </Typography>
    </Paper>
  );
}

const Row = ({ children }: { children: React.ReactNode }) => <>{children}</>;

function Field({
  label,
  value,
  disabled,
  onValue,
}: {
  label: string;
  value: number;
  disabled: boolean;
  onValue: (value: number) => void;
}) {
  const shown = String(Math.round(value * 1e4) / 1e4);
  const { typed, field } = useTyped(shown, onValue);
  return (
    <InputBase
      value={typed ?? shown}
      disabled={disabled}
      {...field}
      slotProps={{
        input: {
          "aria-label": label,
          inputMode: "decimal",
          sx: { px: 0.75, py: 0.4, textAlign: "right", fontSize: 13 },
        },
      }}
      sx={{ border: 1, borderColor: "divider", borderRadius: 1.5, bgcolor: "background.default" }}
    />
  );
}

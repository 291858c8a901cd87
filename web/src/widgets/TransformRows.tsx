// Where something stands, by numbers: a row each for its place, its turn and its scale.
import { Box, Typography } from "@mui/material";
import type { Schemas } from "../api/client";
import { NumberField } from "./NumberField";

type Transform = Schemas["Transform"];

interface Props {
  transform: Transform;
  /** The unit of places. */
  unit: string;
  disabled: boolean;
  onTransform: (transform: Transform) => void;
}

export function TransformRows({ transform, unit, disabled, onTransform }: Props) {
  const rows: { key: keyof Transform; title: string; unit: string }[] = [
    { key: "translation", title: "Place", unit },
    { key: "rotation_degrees", title: "Turn", unit: "°" },
    { key: "scale", title: "Scale", unit: "×" },
  ];
  const put = (key: keyof Transform, axis: number, value: number) => {
    const numbers = [...(transform[key] ?? [])];
    if (numbers[axis] === value) return;
    numbers[axis] = value;
    onTransform({ ...transform, [key]: numbers });
  };
  return (
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
            <NumberField
              key={axis}
              label={`${title} ${"XYZ"[axis]}`}
              value={transform[key]?.[axis] ?? 0}
              disabled={disabled}
              onValue={(value) => put(key, axis, value)}
            />
          ))}
          <Typography variant="caption" color="textSecondary">
            {unit}
          </Typography>
        </Row>
      ))}
    </Box>
  );
}

const Row = ({ children }: { children: React.ReactNode }) => <>{children}</>;

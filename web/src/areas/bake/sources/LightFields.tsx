// The lamps and the sky that light falls from.
import { Box, Button, IconButton, Typography } from "@mui/material";
import { ColorWell } from "../../../widgets/ColorWell";
import { Row, Sliding, Switching } from "../../../widgets/rows";
import { facts } from "../../../model/state";
import type { Source } from "../../../model/sources";
import { DirectionField, useRows, vec, type FieldsProps } from "./rows";

type Light = Extract<Source, { kind: "light" }>;
type Lamp = NonNullable<Light["lamps"]>[number];

export function LightFields({ source, part, onChange }: FieldsProps & { source: Light }) {
  const { put, turn, length, share, rays, seed } = useRows(part, onChange);
  const lamps = source.lamps ?? [];
  const change = (nth: number, next: Partial<Lamp>) => ({
    ...source,
    lamps: lamps.map((lamp, i) => (i === nth ? { ...lamp, ...next } : lamp)),
  });
  const [r, g, b] = vec(source.sky ?? [0, 0, 0]);
  const isDark = r + g + b === 0;
  return (
    <>
      {lamps.map((lamp, i) => (
        <Box key={i} data-test="lamp" sx={{ borderTop: 1, borderColor: "divider", borderTopStyle: "dashed" }}>
          <Box sx={{ display: "flex", alignItems: "center", minHeight: 32 }}>
            <Typography variant="body2" sx={{ flex: 1, fontWeight: 700 }}>
              Lamp {lamps.length > 1 ? i + 1 : ""}
            </Typography>
            <ColorWell
              color={[...vec(lamp.color ?? [1, 1, 1]), 1]}
              mark={`lamp-${i}`}
              size={26}
              withAlpha={false}
              onChange={(color) => turn(change(i, { color: color.slice(0, 3) }))}
            />
            <IconButton
              size="small"
              aria-label={`Take lamp ${i + 1} away`}
              disabled={lamps.length === 1 && isDark}
              onClick={() => put({ ...source, lamps: lamps.filter((_, k) => k !== i) })}
              sx={{ width: 26, height: 26, fontSize: 15 }}>
              ×
            </IconButton>
          </Box>
          <DirectionField
            label="Light from"
            direction={lamp.towards ?? "up"}
            onChange={(towards) => put(change(i, { towards }))}
          />
          <Sliding
            label="Strength"
            value={lamp.strength ?? 1}
            min={0}
            max={4}
            step={0.05}
            digits={2}
            onChange={(strength) => turn(change(i, { strength }))}
          />
          <Sliding
            label="Soft by"
            value={lamp.spread ?? 5}
            min={0}
            max={90}
            step={1}
            unit="°"
            onChange={(spread) => turn(change(i, { spread }))}
          />
        </Box>
      ))}
      <Button
        size="small"
        color="secondary"
        disabled={lamps.length >= facts().limits.lamps}
        data-test="add-lamp"
        onClick={() =>
          put({
            ...source,
            lamps: [...lamps, { towards: { to: [1, 0.5, 1] }, color: [1, 1, 1], strength: 0.5, spread: 5 }],
          })
        }
        sx={{ px: 0.5 }}>
        + Add a lamp
      </Button>
      <Row label={isDark ? "Sky: dark" : "Sky"}>
        <ColorWell
          color={[r, g, b, 1]}
          mark="sky"
          size={26}
          withAlpha={false}
          onChange={(color) => {
            const sky = color.slice(0, 3);
            if (lamps.length > 0 || sky.some((x) => x > 0)) turn({ ...source, sky });
          }}
        />
      </Row>
      {share("Given on", source.bounce ?? 0, (bounce) => ({ ...source, bounce }))}
      {length("Through", source.through, 0.1, "no light", (through) => ({ ...source, through }))}
      <Switching
        label="Its strength alone, without color"
        on={source.intensity ?? false}
        onChange={(intensity) => put({ ...source, intensity })}
      />
      <Switching
        label="Other visible parts shade too"
        on={source.other_parts ?? true}
        onChange={(other_parts) => put({ ...source, other_parts })}
      />
      {rays(source.rays, (n) => ({ ...source, rays: n }))}
      {seed(source.seed, (n) => ({ ...source, seed: n }))}
    </>
  );
}

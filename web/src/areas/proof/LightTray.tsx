// What proofs are lit by: lamps that stand on a ring about the model, light from behind, even light, exposure.
import { Box, Button, Typography } from "@mui/material";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useApp } from "../../model/state";
import type { Project } from "../../project/project";
import { ColorWell } from "../../widgets/ColorWell";
import { MOST_LAMPS } from "../../stage/lookMaterial";
import { Knob } from "../../widgets/Knob";
import { stageGrey } from "../../model/theme";
import { turnLights } from "./lookInHand";

type Lights = Schemas["ProofLights"];
type Lamp = Schemas["ProofLamp"];

/** The stage's own ground, as a share of white. */
const STAGE_GREY = parseInt(stageGrey.slice(1, 3), 16) / 255;

export function LightTray({ project }: { project: Project | null }) {
  const lights = useApp((state) => state.proofing.lights ?? state.proof.lights);
  const [chosen, setChosen] = useState(0);
  if (!project) return null;
  const put = (by: Partial<Lights>, rests = true) => turnLights(project, { ...lights, ...by }, rests);
  const at = Math.min(chosen, lights.lamps.length - 1);
  const lamp = lights.lamps[at];
  const lampIs = (by: Partial<Lamp>) =>
    put({ lamps: lights.lamps.map((own, i) => (i === at ? { ...own, ...by } : own)) });
  const add = () => {
    put({ lamps: [...lights.lamps, { turn: 150, height: 30, strength: 0.5, color: [1, 1, 1] }] }, false);
    setChosen(lights.lamps.length);
  };
  const remove = () => put({ lamps: lights.lamps.filter((_, i) => i !== at) }, false);
  return (
    <>
      <Box sx={{ width: 124, flexShrink: 0 }}>
        <Typography variant="h2">Light</Typography>
        <Box sx={{ display: "flex", gap: 0.5, flexWrap: "wrap", mt: 0.5 }}>
          {lights.lamps.map((_, i) => (
            <Button
              key={i}
              size="small"
              variant="outlined"
              color={i === at ? "primary" : "inherit"}
              aria-pressed={i === at}
              aria-label={`Lamp ${i + 1}`}
              title={`Lamp ${i + 1}`}
              data-test={`lamp-${i}`}
              onClick={() => setChosen(i)}
              sx={{ minWidth: 34, px: 0, py: 0 }}>
              {i + 1}
            </Button>
          ))}
          {lights.lamps.length < MOST_LAMPS && (
            <Button size="small" color="secondary" data-test="add-lamp" onClick={add} sx={{ minWidth: 0, py: 0 }}>
              + A lamp
            </Button>
          )}
        </Box>
      </Box>
      {lamp && (
        <Box sx={{ display: "flex", gap: 1.5, alignItems: "center" }}>
          <Linear
            label="Turn"
            value={lamp.turn}
            low={-180}
            high={180}
            unit="°"
            digits={0}
            onValue={(turn) => lampIs({ turn })}
          />
          <Linear
            label="Height"
            value={lamp.height}
            low={-90}
            high={90}
            unit="°"
            digits={0}
            onValue={(height) => lampIs({ height })}
          />
          <Linear
            label="Strength"
            value={lamp.strength}
            low={0}
            high={4}
            unit=""
            digits={2}
            onValue={(strength) => lampIs({ strength })}
          />
          <ColorWell
            size={26}
            mark="lamp-color"
            withAlpha={false}
            color={[lamp.color[0] ?? 1, lamp.color[1] ?? 1, lamp.color[2] ?? 1, 1]}
            onChange={([r, g, b]) => lampIs({ color: [r, g, b] })}
          />
          <Button size="small" color="inherit" data-test="remove-lamp" onClick={remove} sx={{ minWidth: 0, py: 0 }}>
            Remove
          </Button>
        </Box>
      )}
      <Box sx={{ display: "flex", gap: 1.5 }}>
        <Linear
          label="From behind"
          value={lights.rim}
          low={0}
          high={2}
          unit=""
          digits={2}
          onValue={(rim) => put({ rim })}
        />
        <Linear
          label="Even light"
          value={lights.even}
          low={0}
          high={2}
          unit=""
          digits={2}
          onValue={(even) => put({ even })}
        />
        <Linear
          label="Exposure"
          value={lights.exposure}
          low={-4}
          high={4}
          unit="stops"
          digits={1}
          onValue={(exposure) => put({ exposure })}
        />
        <Linear
          label="Ground"
          value={lights.ground ?? STAGE_GREY}
          low={0}
          high={1}
          unit=""
          digits={2}
          onValue={(ground) => put({ ground })}
        />
      </Box>
    </>
  );
}

function Linear({
  label,
  value,
  low,
  high,
  unit,
  digits,
  onValue,
}: {
  label: string;
  value: number;
  low: number;
  high: number;
  unit: string;
  digits: number;
  onValue: (value: number) => void;
}) {
  const held = (x: number) => Math.min(high, Math.max(low, x));
  return (
    <Knob
      label={label}
      value={value}
      unit={unit}
      format={(x) => x.toFixed(digits)}
      fromTyped={held}
      fromBar={(share) => low + share * (high - low)}
      toBar={(x) => (x - low) / (high - low)}
      onChange={onValue}
      width={74}
    />
  );
}

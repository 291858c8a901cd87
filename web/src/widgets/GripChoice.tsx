// By what something is held on the stage: moved, turned, scaled, or not at all.
import { ToggleButton, ToggleButtonGroup } from "@mui/material";
import { set, useApp } from "../model/state";
import type { GripMode } from "../model/choices";

const grips = [
  ["move", "Move"],
  ["turn", "Turn"],
  ["scale", "Scale"],
] as const satisfies readonly (readonly [GripMode, string])[];

export function GripChoice({ disabled }: { disabled: boolean }) {
  const grip = useApp((state) => state.grip);
  return (
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
          disabled={disabled}
          sx={{ textTransform: "none", px: 1, py: 0.25 }}>
          {title}
        </ToggleButton>
      ))}
    </ToggleButtonGroup>
  );
}

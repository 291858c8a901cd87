// How the stage shows what a transfer would do.
import { Box, ToggleButton, ToggleButtonGroup, Typography } from "@mui/material";
import { useApp } from "../../model/state";
import type { TrialLook } from "../../model/trial";
import { setTrial } from "./transferInHand";

const looks: readonly (readonly [TrialLook, string])[] = [
  ["before", "Before"],
  ["after", "After"],
  ["wipe", "Wipe"],
  ["change", "Change"],
  ["lost", "Lost"],
];

export function TransferTray() {
  const trial = useApp((state) => state.trial);
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 2 }}>
      <ToggleButtonGroup
        exclusive
        size="small"
        value={trial?.shows ?? null}
        aria-label="What the stage shows"
        onChange={(_, next: TrialLook | null) => {
          if (next && trial) setTrial(trial, next);
        }}
        sx={{ flexShrink: 0 }}>
        {looks.map(([key, title]) => (
          <ToggleButton
            key={key}
            value={key}
            data-test={`trial-${key}`}
            disabled={!trial || (key === "change" && trial.isNew)}
            sx={{ textTransform: "none", px: 1.75 }}>
            {title}
          </ToggleButton>
        ))}
      </ToggleButtonGroup>
      <Typography variant="body2" color="textSecondary">
        {trial && !trial.changes
          ? "It has what the source shows: nothing would change."
          : trial
            ? "Nothing has changed yet: the stage shows what would, until Transfer is pressed."
            : "Carries colors to the active part from what lies where it lies: a dense original, what it was once, a file."}
      </Typography>
    </Box>
  );
}

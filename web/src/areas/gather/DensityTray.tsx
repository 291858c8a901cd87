// How the stage shows what fewer triangles would look like.
import { Box, FormControlLabel, Switch, ToggleButton, ToggleButtonGroup, Typography } from "@mui/material";
import { set, setLook, useApp } from "../../model/state";
import type { Lighter } from "../../model/trial";

const looks: readonly (readonly [Lighter["shows"], string])[] = [
  ["before", "Before"],
  ["after", "After"],
];

export function DensityTray() {
  const lighter = useApp((state) => state.lighter);
  const wire = useApp((state) => state.look.wire);
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 2 }}>
      <ToggleButtonGroup
        exclusive
        size="small"
        value={lighter?.shows ?? null}
        aria-label="What the stage shows"
        onChange={(_, next: Lighter["shows"] | null) => {
          if (next && lighter) set({ lighter: { ...lighter, shows: next } });
        }}
        sx={{ flexShrink: 0 }}>
        {looks.map(([key, title]) => (
          <ToggleButton
            key={key}
            value={key}
            data-test={`lighter-${key}`}
            disabled={!lighter}
            sx={{ textTransform: "none", px: 1.75 }}>
            {title}
          </ToggleButton>
        ))}
      </ToggleButtonGroup>
      <FormControlLabel
        sx={{ flexShrink: 0, mr: 0 }}
        control={<Switch size="small" checked={wire} onChange={(event) => setLook({ wire: event.target.checked })} />}
        label={<Typography variant="body2">Edges</Typography>}
      />
      <Typography variant="body2" color="textSecondary">
        {lighter
          ? "Nothing has changed yet: the stage shows what would, until Decimate is pressed. Colors come from the original."
          : "Gives the active part fewer triangles; what lies on it comes along."}
      </Typography>
    </Box>
  );
}

// How the stage shows what another shape would look like.
import { Box, FormControlLabel, Switch, ToggleButton, ToggleButtonGroup, Typography } from "@mui/material";
import { set, setLook, useApp } from "../../model/state";
import type { Remade } from "../../model/trial";

const looks: readonly (readonly [Remade["shows"], string])[] = [
  ["before", "Before"],
  ["after", "After"],
];
const LOSS = ["loss", "What is lost"] as const;

export function ShapeTray({ says }: { says: string }) {
  const remade = useApp((state) => state.remade);
  const wire = useApp((state) => state.look.wire);
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 2 }}>
      <ToggleButtonGroup
        exclusive
        size="small"
        value={remade?.shows ?? null}
        aria-label="What the stage shows"
        onChange={(_, next: Remade["shows"] | null) => {
          if (next && remade) set({ remade: { ...remade, shows: next } });
        }}
        sx={{ flexShrink: 0 }}>
        {(remade?.hasHeat ? [...looks, LOSS] : looks).map(([key, title]) => (
          <ToggleButton
            key={key}
            value={key}
            data-test={`remade-${key}`}
            disabled={!remade}
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
        {remade
          ? "Nothing has changed yet: the stage shows what would, until the button in the sheet is pressed."
          : says}
      </Typography>
    </Box>
  );
}

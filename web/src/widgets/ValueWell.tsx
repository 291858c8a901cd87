// The paint of data channels: one number.
import { Box, Button, Slider, Typography } from "@mui/material";
import { heading } from "../model/theme";

export function ValueWell({ value, onChange }: { value: number; onChange: (value: number) => void }) {
  return (
    <Box sx={{ width: 168, flexShrink: 0 }}>
      <Box sx={{ display: "flex", alignItems: "baseline" }}>
        <Typography variant="body2" color="textSecondary" sx={{ flex: 1, lineHeight: 1.3 }}>
          Value
        </Typography>
        <Typography component="span" sx={{ fontFamily: heading, fontWeight: 650, fontSize: 17 }} data-test="value">
          {value.toFixed(2)}
        </Typography>
      </Box>
      <Slider
        size="small"
        value={value}
        min={0}
        max={1}
        step={0.01}
        aria-label="Value to paint with"
        onChange={(_, next) => onChange(next)}
        sx={{ py: 0.75, color: `color-mix(in srgb, #000, #fff ${Math.round(value * 70)}%)` }}
      />
      <Box sx={{ display: "flex", gap: 0.5 }}>
        {(
          [
            ["0", 0, "0"],
            ["½", 0.5, "half"],
            ["1", 1, "1"],
          ] as const
        ).map(([shown, number, mark]) => (
          <Button
            key={shown}
            size="small"
            variant={value === number ? "contained" : "outlined"}
            color="inherit"
            data-test={`value-${mark}`}
            onClick={() => onChange(number)}
            sx={{ minWidth: 0, flex: 1, minHeight: 24, py: 0 }}>
            {shown}
          </Button>
        ))}
      </Box>
    </Box>
  );
}

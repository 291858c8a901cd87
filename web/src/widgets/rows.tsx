// Rows of a sheet: a label on the left, what is chosen on the right.
import { Box, FormControlLabel, InputBase, MenuItem, Select, Slider, Switch, Typography } from "@mui/material";
import type { ReactNode } from "react";
import { useTyped } from "./typed";

export function Row({ label, children }: { label: string; children: ReactNode }) {
  return (
    <Box
      sx={{
        display: "flex",
        alignItems: "center",
        minHeight: 34,
        borderTop: 1,
        borderColor: "divider",
        borderTopStyle: "dashed",
        gap: 1,
      }}>
      <Typography variant="body2" color="textSecondary" sx={{ width: 112, flexShrink: 0 }}>
        {label}
      </Typography>
      <Box sx={{ flex: 1, minWidth: 0, display: "flex", alignItems: "center", gap: 0.5, justifyContent: "flex-end" }}>
        {children}
      </Box>
    </Box>
  );
}

export function Choose<Key extends string>({
  label,
  value,
  options,
  onChange,
}: {
  label: string;
  value: Key;
  options: readonly (readonly [Key, string])[];
  onChange: (key: Key) => void;
}) {
  return (
    <Row label={label}>
      <Select
        variant="standard"
        disableUnderline
        fullWidth
        value={value}
        onChange={(event) => onChange(event.target.value as Key)}
        inputProps={{ "aria-label": label }}
        MenuProps={{ slotProps: { paper: { sx: { maxHeight: 420 } } } }}
        sx={{ fontSize: 13, fontWeight: 600, "& .MuiSelect-select": { py: 0.25 } }}>
        {options.map(([key, title]) => (
          <MenuItem key={key} value={key} dense>
            {title}
          </MenuItem>
        ))}
      </Select>
    </Row>
  );
}

export function Switching({
  label,
  on,
  disabled = false,
  onChange,
}: {
  label: string;
  on: boolean;
  disabled?: boolean;
  onChange: (on: boolean) => void;
}) {
  return (
    <FormControlLabel
      disabled={disabled}
      sx={{ display: "flex", minHeight: 30, ml: -0.75 }}
      control={<Switch size="small" checked={on} onChange={(event) => onChange(event.target.checked)} />}
      label={<Typography variant="body2">{label}</Typography>}
    />
  );
}

/** A number by a slider, which can be typed as well. */
interface SlidingProps {
  label: string;
  value: number;
  min: number;
  max: number;
  step: number;
  unit?: string;
  digits?: number;
  /** What 0 means, where it is more than a number. */
  zero?: string;
  /** Whether each doubling takes up as much of the bar. */
  curved?: boolean;
  onChange: (value: number) => void;
}

export function Sliding({
  label,
  value,
  min,
  max,
  step,
  unit = "",
  digits = 0,
  zero,
  curved = false,
  onChange,
}: SlidingProps) {
  const bar = curved
    ? { value: Math.log2(value), min: Math.log2(min), max: Math.log2(max), step: 0.25 }
    : { value, min, max, step };
  const written = value === 0 && zero ? zero : `${value.toFixed(digits)}${unit && ` ${unit}`}`;
  const { typed, field } = useTyped(value.toFixed(digits), (number) => onChange(Math.min(max, Math.max(min, number))));
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 1.25, minHeight: 32 }}>
      <Typography variant="body2" color="textSecondary" sx={{ width: 84, flexShrink: 0 }}>
        {label}
      </Typography>
      <Slider
        size="small"
        {...bar}
        aria-label={label}
        onChange={(_, next) => onChange(curved ? 2 ** next : next)}
        sx={{ flex: 1 }}
      />
      <InputBase
        value={typed ?? written}
        inputProps={{
          "aria-label": `${label}, typed`,
          inputMode: "decimal",
          style: { textAlign: "right", padding: 0 },
        }}
        {...field}
        sx={{ width: written.length > 7 ? 76 : 62, fontSize: 13, fontWeight: 650 }}
      />
    </Box>
  );
}

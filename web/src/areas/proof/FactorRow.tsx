// A channel that drives something: which, and whether its complement is meant.
import { Button, ButtonBase, MenuItem, Select } from "@mui/material";
import type { LookFactor } from "../../model/proof";
import { channelInk, channelName } from "../../model/theme";
import { Row } from "../../widgets/rows";

/** A set that no part in hand has is named all the same. */
export const withMissing = (names: readonly (readonly [string, string])[], set: string) =>
  names.some(([name]) => name === set) ? names : [...names, [set, `${set} (missing)`] as const];

export function FactorRow({
  label,
  factor,
  names,
  onFactor,
  onRemove,
}: {
  label: string;
  factor: LookFactor;
  names: readonly (readonly [string, string])[];
  onFactor: (factor: LookFactor) => void;
  onRemove?: () => void;
}) {
  return (
    <Row label={label}>
      <Button
        size="small"
        color="inherit"
        aria-pressed={factor.complement ?? false}
        aria-label={`${label}: the complement`}
        onClick={() => onFactor({ ...factor, complement: !factor.complement })}
        sx={{ minWidth: 0, py: 0, fontWeight: factor.complement ? 700 : 400, opacity: factor.complement ? 1 : 0.45 }}>
        not
      </Button>
      <Select
        variant="standard"
        disableUnderline
        value={factor.set}
        onChange={(event) => onFactor({ ...factor, set: event.target.value })}
        inputProps={{ "aria-label": `${label}: the set` }}
        sx={{ fontSize: 13, fontWeight: 600, maxWidth: 96 }}>
        {withMissing(names, factor.set).map(([key, title]) => (
          <MenuItem key={key} value={key} dense>
            {title}
          </MenuItem>
        ))}
      </Select>
      {channelName.map((name, channel) => (
        <ButtonBase
          key={name}
          aria-label={`${label}: ${name}`}
          aria-pressed={factor.channel === channel}
          onClick={() => onFactor({ ...factor, channel })}
          sx={{
            width: 20,
            height: 20,
            borderRadius: 1,
            fontSize: 12,
            fontWeight: 700,
            color: channelInk[channel],
            border: 1.5,
            borderColor: factor.channel === channel ? "currentColor" : "transparent",
          }}>
          {name}
        </ButtonBase>
      ))}
      {onRemove && (
        <Button
          size="small"
          color="inherit"
          aria-label={`${label}: leave it out`}
          onClick={onRemove}
          sx={{ minWidth: 0, py: 0 }}>
          ×
        </Button>
      )}
    </Row>
  );
}

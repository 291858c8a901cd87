// A number that is typed.
import { InputBase } from "@mui/material";
import { useTyped } from "./typed";

interface Props {
  label: string;
  value: number;
  disabled?: boolean;
  onValue: (value: number) => void;
}

export function NumberField({ label, value, disabled = false, onValue }: Props) {
  const shown = String(Math.round(value * 1e4) / 1e4);
  const { typed, field } = useTyped(shown, onValue);
  return (
    <InputBase
      value={typed ?? shown}
      disabled={disabled}
      {...field}
      slotProps={{
        input: {
          "aria-label": label,
          inputMode: "decimal",
          sx: { px: 0.75, py: 0.4, textAlign: "right", fontSize: 13 },
        },
      }}
      sx={{ border: 1, borderColor: "divider", borderRadius: 1.5, bgcolor: "background.default", minWidth: 0 }}
    />
  );
}

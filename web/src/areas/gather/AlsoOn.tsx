// What else a tool is for, beside the active part.
import { Checkbox, MenuItem, Select, Typography } from "@mui/material";
import { useApp, type Part } from "../../model/state";
import { count } from "../../model/words";
import { Row } from "../../widgets/rows";

/** Other parts that are seen and not locked; nothing to choose where there is none. */
export function AlsoOn({
  label = "Also on",
  part,
  also,
  onChange,
}: {
  label?: string;
  part: Part;
  also: number[];
  onChange: (also: number[]) => void;
}) {
  const parts = useApp((state) => state.parts);
  const others = parts.filter((other) => other.id !== part.id && other.visible && !other.locked);
  const chosen = also.filter((id) => others.some((other) => other.id === id));
  if (others.length === 0) return null;
  const said = () => {
    const [only] = others.filter((other) => chosen.includes(other.id));
    return chosen.length === 0
      ? "no other part"
      : chosen.length === 1
        ? (only?.name ?? "")
        : `${count(chosen.length)} more parts`;
  };
  return (
    <Row label={label}>
      <Select
        multiple
        displayEmpty
        variant="standard"
        disableUnderline
        value={chosen}
        renderValue={said}
        onChange={({ target }) => onChange(typeof target.value === "string" ? [] : target.value)}
        inputProps={{ "aria-label": label }}
        data-test="also-on"
        sx={{ fontSize: 13, fontWeight: 650, maxWidth: 190 }}>
        {others.map((other) => (
          <MenuItem key={other.id} value={other.id} dense>
            <Checkbox size="small" checked={chosen.includes(other.id)} sx={{ p: 0.25, mr: 0.5 }} />
            <Typography variant="body2">{other.name}</Typography>
          </MenuItem>
        ))}
      </Select>
    </Row>
  );
}

// One of a part's selections or groups, or none of them.
import { Typography } from "@mui/material";
import { Choose } from "../../../widgets/rows";
import type { Part } from "../../../model/state";

/** The names of what is selected or grouped on a part. */
export const selections = (part: Part) => [
  ...part.selections.map((each) => each.name),
  ...part.helpers.filter((each) => each.role === "selection").map((each) => each.name),
];

export function SelectionField({
  label,
  part,
  value,
  none,
  onChange,
}: {
  label: string;
  part: Part;
  /** Null where none is meant, which `none` says in words. */
  value: string | null;
  none?: string;
  onChange: (name: string | null) => void;
}) {
  const names = selections(part);
  const shown = value === null ? "none" : names.includes(value) ? `=${value}` : "?";
  if (names.length === 0 && none === undefined)
    return (
      <Typography variant="caption" sx={{ color: "warning.main" }}>
        This part has no selection yet: make one in Paint, under Select.
      </Typography>
    );
  return (
    <>
      <Choose
        label={label}
        value={shown}
        options={[
          ...(none === undefined ? [] : [["none", none] as const]),
          ...names.map((name) => [`=${name}`, name] as const),
          ...(shown === "?" ? [["?", value || "choose"] as const] : []),
        ]}
        onChange={(key) => {
          if (key !== "?") onChange(key === "none" ? null : key.slice(1));
        }}
      />
      {shown === "?" && value && (
        <Typography variant="caption" sx={{ color: "warning.main" }}>
          There is no selection {value} any more: choose another.
        </Typography>
      )}
    </>
  );
}

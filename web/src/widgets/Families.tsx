// The families of tools of a tray, by their names.
import { Box, ButtonBase, Typography } from "@mui/material";

export function Families<Key extends string>({
  label,
  mark,
  families,
  value,
  onChange,
}: {
  label: string;
  /** What tests find them by, before the key. */
  mark: string;
  families: readonly { key: Key; title: string }[];
  value: Key;
  onChange: (key: Key) => void;
}) {
  return (
    <Box role="tablist" aria-label={label} sx={{ display: "flex", gap: 1.5, mb: 0.5 }}>
      {families.map(({ key, title }) => (
        <ButtonBase
          key={key}
          role="tab"
          aria-selected={value === key}
          data-test={`${mark}-${key}`}
          onClick={() => onChange(key)}
          sx={{
            borderRadius: 1,
            px: 0.25,
            "&:focus-visible": { outline: "2px solid", outlineColor: "secondary.main" },
          }}>
          <Typography
            variant="h3"
            component="span"
            sx={{
              color: value === key ? "text.primary" : "text.secondary",
              fontWeight: value === key ? undefined : 500,
            }}>
            {title}
          </Typography>
        </ButtonBase>
      ))}
    </Box>
  );
}

// A small round of a color, beside words that say what it is.
import { Box } from "@mui/material";

export function ColorDot({ color, size = 14 }: { color: string | undefined; size?: number }) {
  return (
    <Box
      component="span"
      sx={{
        display: "inline-block",
        width: size,
        height: size,
        flexShrink: 0,
        borderRadius: "50%",
        border: 1,
        borderColor: "divider",
        bgcolor: color,
      }}
    />
  );
}

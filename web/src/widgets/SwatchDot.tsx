// A swatch as a dot with its number; unpainted as an empty one.
import { Box } from "@mui/material";
import { lightness, shadeOf, type Swatch } from "../model/swatches";
import { hex } from "../model/words";

interface Props {
  swatch: Swatch | undefined;
  size: number;
  "data-test"?: string;
}

export function SwatchDot({ swatch, size, "data-test": mark }: Props) {
  const shade = swatch && shadeOf(swatch);
  return (
    <Box
      component="span"
      data-test={mark}
      data-number={swatch?.number ?? 0}
      sx={{
        display: "inline-flex",
        alignItems: "center",
        justifyContent: "center",
        flexShrink: 0,
        width: size,
        height: size,
        borderRadius: "50%",
        border: 1,
        borderColor: shade ? "divider" : "text.secondary",
        borderStyle: shade ? "solid" : "dashed",
        bgcolor: shade ? hex(shade) : "background.paper",
        color: !shade ? "text.secondary" : lightness(shade) > 0.3 ? "#2A2933" : "#FFFDF8",
        fontSize: Math.max(10, size * 0.42),
        fontWeight: 700,
        lineHeight: 1,
      }}>
      {swatch?.number ?? ""}
    </Box>
  );
}

// What faces are painted in: the palette's swatches by number, one in hand and one for the second button.
import { Box, ButtonBase, IconButton, Tooltip, Typography } from "@mui/material";
import type { ReactNode } from "react";
import { activePart, get, set, useApp } from "../../model/state";
import { baseOf, nameOf, paintable, swatchOf } from "../../model/swatches";
import { SwapIcon } from "../../widgets/icons";
import { SwatchDot } from "../../widgets/SwatchDot";

export function SwatchesAtHand({ pick }: { pick: ReactNode }) {
  const palette = useApp((state) => state.swatches);
  const number = useApp((state) => state.swatch);
  const second = useApp((state) => state.secondSwatch);
  const base = useApp((state) => baseOf(state.swatches, activePart(state)?.base ?? 0));
  const all = paintable(palette);
  const words = (which: number) => {
    const swatch = swatchOf(palette, which);
    return swatch ? nameOf(swatch) : base ? `unpainted, prints in ${nameOf(base)}` : "unpainted";
  };
  if (all.length === 0)
    return (
      <Typography variant="caption" color="textSecondary" sx={{ width: 190 }}>
        The palette has no swatch yet: add colors to it under Palette.
      </Typography>
    );
  const own = swatchOf(palette, number);
  return (
    <>
      <Box sx={{ position: "relative", width: 62, height: 54, flexShrink: 0 }}>
        <Tooltip title={`Second button: ${words(second)}`}>
          <Box sx={{ position: "absolute", right: 0, bottom: 0 }}>
            <SwatchDot swatch={swatchOf(palette, second)} size={28} data-test="second-swatch" />
          </Box>
        </Tooltip>
        <Tooltip title={words(number)}>
          <Box sx={{ position: "absolute", left: 0, top: 0 }}>
            <SwatchDot swatch={own} size={44} data-test="swatch-in-hand" />
          </Box>
        </Tooltip>
      </Box>
      <Box sx={{ display: "flex", flexDirection: "column" }}>
        <Tooltip title="Swap with the swatch of the second button (X)">
          <IconButton
            size="small"
            aria-label="Swap with the swatch of the second button"
            onClick={() => set({ swatch: get().secondSwatch, secondSwatch: get().swatch })}
            sx={{ p: 0.375 }}>
            <SwapIcon sx={{ fontSize: 20 }} />
          </IconButton>
        </Tooltip>
        {pick}
      </Box>
      <Box sx={{ display: "grid", gridTemplateColumns: "repeat(8, 22px)", gap: "3px" }}>
        {[undefined, ...all].map((swatch, i) => {
          const which = swatch?.number ?? 0;
          const key = palette.findIndex((each) => each.number === which) + 1;
          const said = `${words(which)}${which > 0 && key >= 1 && key <= 9 ? ` (${key})` : ""}`;
          return (
            <Tooltip key={which} title={`${said}. Second button: for the second button`}>
              <ButtonBase
                aria-label={swatch ? `Paint in ${nameOf(swatch)}` : "Paint back to unpainted"}
                aria-pressed={which === number}
                data-test={`paint-in-${i}`}
                onClick={() => set({ swatch: which })}
                onContextMenu={(event) => {
                  event.preventDefault();
                  set({ secondSwatch: which });
                }}
                sx={{
                  borderRadius: "50%",
                  outline: which === number ? "2px solid" : "none",
                  outlineColor: "primary.main",
                  outlineOffset: 1,
                }}>
                <SwatchDot swatch={swatch} size={22} />
              </ButtonBase>
            </Tooltip>
          );
        })}
      </Box>
    </>
  );
}

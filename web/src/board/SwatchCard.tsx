// A set of swatches on the board: how much of the part is painted in each, instead of four channels.
import { Box, ButtonBase, Tooltip, Typography } from "@mui/material";
import type { Project } from "../project/project";
import { set as setState, useApp, type ColorSet, type Part } from "../model/state";
import { baseOf, nameOf, shadeOf, swatchOf } from "../model/swatches";
import { hex } from "../model/words";
import { SwatchDot } from "../widgets/SwatchDot";
import { BaseSuggestion } from "./BaseSuggestion";
import { SetMenu } from "./SetMenu";

export function SwatchCard({
  set,
  index,
  part,
  project,
}: {
  set: ColorSet;
  index: number;
  part: Part;
  project: Project;
}) {
  const isTarget = useApp((state) => state.target === set.id);
  const isShown = useApp((state) => state.shown === set.id);
  const palette = useApp((state) => state.swatches);
  const areas = useApp((state) => state.areas[set.id]) ?? [];
  const whole = areas.reduce((sum, [, area]) => sum + area, 0);
  const base = baseOf(palette, part.base);
  const share = (area: number) => {
    const percent = whole > 0 ? (100 * area) / whole : 0;
    return percent > 0 && percent < 1 ? "under 1 %" : `${Math.round(percent)} %`;
  };
  const choose = (number?: number) =>
    setState({ target: set.id, shown: set.id, ...(number !== undefined && { swatch: number }) });
  return (
    <Box
      data-test="swatch-card"
      sx={{
        border: 1,
        borderColor: isTarget ? "text.secondary" : "divider",
        borderRadius: 2.5,
        p: 1.25,
        pt: 0.75,
        mb: 0.75,
      }}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 0.75, mb: 0.75 }}>
        <ButtonBase
          onClick={() => choose()}
          aria-pressed={isTarget}
          aria-label={`Paint ${set.name}`}
          sx={{ flex: 1, minWidth: 0, justifyContent: "flex-start", gap: 0.75, borderRadius: 1 }}>
          <Typography variant="h3" component="h3" noWrap sx={{ minWidth: 0 }}>
            {set.name}
          </Typography>
          <Typography variant="caption" color="textSecondary" noWrap>
            one swatch a face
          </Typography>
        </ButtonBase>
        {isShown && (
          <Typography variant="caption" color="textSecondary">
            shown
          </Typography>
        )}
        <SetMenu set={set} index={index} part={part} project={project} />
      </Box>
      <Box sx={{ display: "flex", height: 14, borderRadius: 1.5, overflow: "hidden", mb: 0.75 }}>
        {areas.map(([number, area]) => {
          const swatch = swatchOf(palette, number) ?? base;
          const isBare = number === 0;
          return (
            <Box
              key={number}
              sx={{
                width: `${whole > 0 ? (100 * area) / whole : 0}%`,
                bgcolor: swatch ? hex(shadeOf(swatch)) : "divider",
                // Unpainted is the base, and yet another thing.
                backgroundImage: isBare
                  ? "repeating-linear-gradient(135deg, transparent 0 4px, rgb(0 0 0 / 0.18) 4px 5px)"
                  : "none",
              }}
            />
          );
        })}
      </Box>
      {areas.map(([number, area]) => {
        const swatch = swatchOf(palette, number);
        const isBase = swatch !== undefined && swatch.number === base?.number;
        const words = swatch ? nameOf(swatch) : `unpainted, prints in ${base ? nameOf(base) : "the first"}`;
        return (
          <Box
            key={number}
            data-test="swatch-area"
            sx={{ display: "flex", alignItems: "center", gap: 0.75, minHeight: 26 }}>
            <ButtonBase
              aria-label={`Paint in ${words}`}
              onClick={() => choose(number)}
              sx={{ flex: 1, minWidth: 0, gap: 0.75, justifyContent: "flex-start", borderRadius: 1 }}>
              <SwatchDot swatch={swatch} size={20} />
              <Typography variant="body2" noWrap>
                {words}
              </Typography>
            </ButtonBase>
            {swatch && !isBase && (
              <Tooltip title={`Let what is unpainted of ${part.name} print in ${nameOf(swatch)}`}>
                <ButtonBase
                  aria-label={`Make ${nameOf(swatch)} the base`}
                  disabled={part.locked}
                  onClick={() => void project.edit({ type: "set_base", parts: [part.id], base: swatch.number ?? 0 })}
                  sx={{ px: 0.5, borderRadius: 1, color: "secondary.main", fontSize: 12 }}>
                  make base
                </ButtonBase>
              </Tooltip>
            )}
            {isBase && (
              <Typography variant="caption" color="textSecondary">
                base
              </Typography>
            )}
            <Typography variant="body2" sx={{ fontWeight: 700, whiteSpace: "nowrap" }}>
              {share(area)}
            </Typography>
          </Box>
        );
      })}
      <BaseSuggestion part={part} project={project} />
    </Box>
  );
}

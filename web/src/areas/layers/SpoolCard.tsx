// The swatches of a print: how much of each it takes, and what they are printed from.
import { Box, Button, ButtonBase, Paper, Tooltip, Typography } from "@mui/material";
import { useState } from "react";
import type { Project } from "../../project/project";
import { useApp } from "../../model/state";
import { swatchOf } from "../../model/swatches";
import { figure } from "../../model/words";
import { ColorDot } from "../../widgets/ColorDot";
import { SwatchDialog } from "../../widgets/SwatchDialog";
import { SwatchDot } from "../../widgets/SwatchDot";
import type { Told } from "./layersInHand";
import { MatchDialog } from "./MatchDialog";
import type { Printer } from "./printer";

export function SpoolCard({
  told,
  project,
  printer,
}: {
  told: Told;
  project: Project | null;
  printer: Printer | null;
}) {
  const [matching, setMatching] = useState(false);
  // What is not loaded is told where the printer can be asked.
  const loaded = printer?.is_there && !printer.trouble ? printer.spools.map((spool) => spool.slot) : null;
  const palette = useApp((state) => state.swatches);
  const [open, setOpen] = useState<number | null>(null);
  const { swatches: costs, grams } = told.estimate;
  const used = told.swatches
    .map((swatch, i) => ({ ...swatch, i, grams: costs[i]?.grams ?? 0 }))
    .filter((swatch) => swatch.grams > 0);
  const inside = told.inside.kind === "swatch" ? told.inside.swatch : null;
  const chosen = open === null ? undefined : swatchOf(palette, open);
  return (
    <Paper variant="outlined" component="section" aria-label="Swatches" sx={{ p: 1.75, borderRadius: 4 }}>
      <Box sx={{ display: "flex", alignItems: "center", mb: 0.75 }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          Swatches
        </Typography>
        {printer?.is_there && project && (
          <Button size="small" color="secondary" data-test="match" onClick={() => setMatching(true)} sx={{ py: 0 }}>
            Match loaded spools
          </Button>
        )}
      </Box>
      <Box sx={{ display: "flex", height: 14, borderRadius: 1.5, overflow: "hidden", mb: 0.75 }}>
        {used.map(({ i, color, grams: own }) => (
          <Box key={i} sx={{ width: `${(100 * own) / Math.max(grams, 1e-9)}%`, bgcolor: color }} />
        ))}
      </Box>
      <Box sx={{ display: "grid" }}>
        {used.map(({ i, number, name, color, grams: own }) => {
          const swatch = swatchOf(palette, number);
          const filament = swatch?.filament;
          return (
            <Tooltip key={i} title={filament?.material ? `${name}: ${filament.material}` : name}>
              <ButtonBase
                data-test="print-swatch"
                disabled={!swatch || !project}
                onClick={() => setOpen(number)}
                aria-label={`What ${name} is printed from`}
                sx={{ gap: 0.75, minHeight: 28, minWidth: 0, justifyContent: "flex-start", borderRadius: 1 }}>
                {swatch ? <SwatchDot swatch={swatch} size={20} /> : <ColorDot size={20} color={color} />}
                <Typography variant="body2" noWrap sx={{ flex: 1, minWidth: 0, textAlign: "left" }}>
                  {name}
                </Typography>
                {loaded && swatch && !loaded.includes(filament?.spool ?? 0) && (
                  <Typography variant="caption" noWrap sx={{ color: "warning.main" }}>
                    not loaded
                  </Typography>
                )}
                <Typography variant="body2" color="textSecondary" noWrap>
                  {inside === i ? "within · " : ""}
                  {figure(own)} g
                </Typography>
              </ButtonBase>
            </Tooltip>
          );
        })}
      </Box>
      {matching && project && <MatchDialog project={project} onClose={() => setMatching(false)} />}
      {chosen && project && (
        <SwatchDialog
          swatch={chosen}
          onClose={() => setOpen(null)}
          onTake={(next) =>
            project.attempt({
              type: "set_palette",
              swatches: palette.map((own) => (own.number === next.number ? next : own)),
            })
          }
        />
      )}
    </Paper>
  );
}

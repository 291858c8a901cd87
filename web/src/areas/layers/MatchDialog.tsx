// The palette beside what the printer has loaded: which spool serves which swatch.
import {
  Alert,
  Box,
  Button,
  Checkbox,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  FormControlLabel,
  MenuItem,
  Select,
  Typography,
} from "@mui/material";
import { useEffect, useState } from "react";
import type { Schemas } from "../../api/client";
import { matchSpools } from "../../api/writes";
import { useApp } from "../../model/state";
import { MOST_PAINTED, USUAL_FILAMENT, nameOf, swatchOf, type Swatch } from "../../model/swatches";
import type { Project } from "../../project/project";
import { hex } from "../../model/words";
import { ColorDot } from "../../widgets/ColorDot";
import { SwatchDot } from "../../widgets/SwatchDot";

/** What is farther off, as CIEDE2000, is another color: it is not proposed. */
const ANOTHER_COLOR = 20;

type Found = Schemas["PaletteMatch"];

export function MatchDialog({ project, onClose }: { project: Project; onClose: () => void }) {
  const palette = useApp((state) => state.swatches);
  const [found, setFound] = useState<Found | null>(null);
  const [trouble, setTrouble] = useState<string | null>(null);
  const [chosen, setChosen] = useState<Record<number, number | null>>({});
  const [withColors, setWithColors] = useState(false);
  useEffect(() => {
    void matchSpools(project.id).then(({ data, trouble }) => {
      setTrouble(trouble);
      setFound(data);
      setChosen(
        Object.fromEntries(
          (data?.swatches ?? []).map(({ number, slot, difference }) => [
            number,
            difference > ANOTHER_COLOR ? null : (slot ?? null),
          ]),
        ),
      );
    });
  }, [project]);
  const spoolOf = (slot: number | null | undefined) => found?.spools.find((spool) => spool.slot === slot);
  const uses = (slot: number) => Object.values(chosen).filter((own) => own === slot).length;
  const isEmpty = found !== null && found.swatches.length === 0;
  const take = async () => {
    if (!found) return;
    const trouble = await project.attempt({
      type: "set_palette",
      swatches: isEmpty ? found.spools.slice(0, MOST_PAINTED).map(ofSpool) : palette.map(matched),
    });
    setTrouble(trouble);
    if (trouble === null) onClose();
  };
  const matched = (swatch: Swatch): Swatch => {
    const number = swatch.number ?? 0;
    const spool = number > 0 ? spoolOf(chosen[number]) : undefined;
    if (!spool) return swatch;
    return {
      ...swatch,
      color: withColors ? spool.color : swatch.color,
      filament: { ...USUAL_FILAMENT, ...swatch.filament, material: spool.material, spool: spool.slot },
    };
  };
  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth onKeyDown={(event) => event.stopPropagation()}>
      <DialogTitle>Match the spools that are loaded</DialogTitle>
      <DialogContent>
        {trouble !== null && (
          <Alert severity="warning" data-test="match-trouble" sx={{ mb: 1 }}>
            {trouble}. The palette stays as it is.
          </Alert>
        )}
        {!found && trouble === null && <Typography>Asking the printer…</Typography>}
        {isEmpty && (
          <Typography>
            The palette has no swatch yet: it gets the {found.spools.length} spools that are loaded.
          </Typography>
        )}
        {found?.swatches.map(({ number, difference, alike, slot }) => {
          const swatch = swatchOf(palette, number);
          const own = chosen[number] ?? null;
          const spool = spoolOf(own);
          return (
            <Box
              key={number}
              data-test="match-row"
              sx={{
                display: "flex",
                alignItems: "center",
                gap: 1,
                minHeight: 40,
                borderBottom: 1,
                borderColor: "divider",
                borderBottomStyle: "dashed",
              }}>
              <SwatchDot swatch={swatch} size={24} />
              <Typography variant="body2" noWrap sx={{ width: 110 }}>
                {swatch ? nameOf(swatch) : number}
              </Typography>
              <ColorDot size={18} color={spool && hex(spool.color)} />
              <Select
                variant="standard"
                disableUnderline
                value={own ?? ""}
                onChange={(event) => setChosen({ ...chosen, [number]: Number(event.target.value) || null })}
                inputProps={{ "aria-label": `Spool of ${swatch ? nameOf(swatch) : number}` }}
                sx={{ minWidth: 150, fontSize: 13 }}>
                <MenuItem value="">none</MenuItem>
                {found.spools.map((each) => (
                  <MenuItem key={each.slot} value={each.slot}>
                    {each.slot} {each.name}
                  </MenuItem>
                ))}
              </Select>
              <Typography variant="caption" color="textSecondary" sx={{ flex: 1 }}>
                {own === slot && slot != null && `ΔE ${difference.toFixed(1)}`}
                {own === null &&
                  slot != null &&
                  difference > ANOTHER_COLOR &&
                  `nothing like it is loaded: ΔE ${difference.toFixed(0)} at best`}
                {own === slot && alike.length > 0 && `, nearly as near: ${alike.join(", ")}`}
                {own !== null && uses(own) > 1 && (
                  <Box component="span" sx={{ color: "warning.main", fontWeight: 700 }}>
                    {" "}
                    another swatch has it too
                  </Box>
                )}
              </Typography>
            </Box>
          );
        })}
        {found && !isEmpty && (
          <FormControlLabel
            sx={{ mt: 1 }}
            control={<Checkbox checked={withColors} onChange={(event) => setWithColors(event.target.checked)} />}
            label="Take the spools' colors as well"
          />
        )}
      </DialogContent>
      <DialogActions>
        <Button color="inherit" onClick={onClose}>
          Cancel
        </Button>
        <Button variant="contained" disabled={!found} data-test="match-take" onClick={() => void take()}>
          {isEmpty ? "Fill the palette" : "Take these"}
        </Button>
      </DialogActions>
    </Dialog>
  );
}

const ofSpool = ({ name, color, material, slot }: Schemas["LoadedSpool"]): Swatch => ({
  name,
  color,
  filament: { ...USUAL_FILAMENT, material, spool: slot },
});

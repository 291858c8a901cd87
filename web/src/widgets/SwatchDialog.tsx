// What a swatch is: its name, what it is shown in, and what it is printed from.
import { Box, Button, Dialog, DialogActions, DialogContent, DialogTitle, TextField, Typography } from "@mui/material";
import { useState } from "react";
import { USUAL_FILAMENT, type Swatch } from "../model/swatches";
import { ColorWell } from "./ColorWell";
import { SwatchDot } from "./SwatchDot";

export function SwatchDialog({
  swatch,
  onTake,
  onClose,
}: {
  swatch: Swatch;
  /** Why it cannot be, if so. */
  onTake: (swatch: Swatch) => Promise<string | null>;
  onClose: () => void;
}) {
  const [name, setName] = useState(swatch.name ?? "");
  const [color, setColor] = useState(swatch.color);
  const [display, setDisplay] = useState(swatch.display ?? null);
  const filament = { ...USUAL_FILAMENT, ...swatch.filament };
  const [material, setMaterial] = useState(filament.material);
  const [density, setDensity] = useState(String(filament.density));
  const [price, setPrice] = useState(filament.price > 0 ? String(filament.price) : "");
  const [spool, setSpool] = useState(filament.spool == null ? "" : String(filament.spool));
  const [trouble, setTrouble] = useState<string | null>(null);
  const number = (typed: string) => Number(typed.trim().replace(",", "."));
  const spoolNumber = spool.trim() === "" ? null : number(spool);
  const isSound =
    number(density) > 0 &&
    number(price || "0") >= 0 &&
    (spoolNumber === null || (Number.isInteger(spoolNumber) && spoolNumber >= 1 && spoolNumber <= 64));
  const well = (shown: readonly number[], onChange: (next: number[]) => void) => (
    <ColorWell
      color={[shown[0] ?? 0, shown[1] ?? 0, shown[2] ?? 0, 1]}
      size={34}
      withAlpha={false}
      recent={[]}
      onChange={([r, g, b]) => onChange([r, g, b])}
    />
  );
  const accept = async () => {
    const trouble = await onTake({
      ...swatch,
      name: name.trim(),
      color,
      display,
      filament: {
        material: material.trim(),
        density: number(density),
        price: number(price || "0"),
        spool: spoolNumber,
      },
    });
    setTrouble(trouble);
    if (trouble === null) onClose();
  };
  return (
    <Dialog open onClose={onClose} maxWidth="xs" fullWidth onKeyDown={(event) => event.stopPropagation()}>
      <DialogTitle sx={{ display: "flex", alignItems: "center", gap: 1 }}>
        <SwatchDot swatch={{ ...swatch, color, display }} size={26} />
        Swatch {swatch.number}
      </DialogTitle>
      <DialogContent sx={{ display: "grid", gap: 2, pt: "8px !important" }}>
        <TextField label="Name" size="small" value={name} onChange={(event) => setName(event.target.value)} autoFocus />
        <Box sx={{ display: "flex", alignItems: "center", gap: 1 }}>
          {well(color, setColor)}
          <Typography variant="body2" sx={{ flex: 1 }}>
            prints in this
          </Typography>
          {display ? (
            <>
              {well(display, setDisplay)}
              <Typography variant="body2">shown in this</Typography>
              <Button size="small" color="secondary" onClick={() => setDisplay(null)}>
                as it prints
              </Button>
            </>
          ) : (
            <Button size="small" color="secondary" onClick={() => setDisplay(color)}>
              Show it in another color
            </Button>
          )}
        </Box>
        <TextField
          label="Material"
          size="small"
          value={material}
          placeholder="PLA"
          onChange={(event) => setMaterial(event.target.value)}
        />
        <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr 1fr", gap: 1 }}>
          <TextField
            label="g/cm³"
            size="small"
            value={density}
            error={!(number(density) > 0)}
            onChange={(event) => setDensity(event.target.value)}
          />
          <TextField
            label="Price per kg"
            size="small"
            value={price}
            error={!(number(price || "0") >= 0)}
            onChange={(event) => setPrice(event.target.value)}
          />
          <TextField label="On spool" size="small" value={spool} onChange={(event) => setSpool(event.target.value)} />
        </Box>
        {trouble && (
          <Typography variant="body2" color="error">
            {trouble}
          </Typography>
        )}
      </DialogContent>
      <DialogActions>
        <Button color="inherit" onClick={onClose}>
          Cancel
        </Button>
        <Button variant="contained" disabled={!isSound} onClick={() => void accept()} data-test="swatch-take">
          Take
        </Button>
      </DialogActions>
    </Dialog>
  );
}

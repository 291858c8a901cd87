// Swatches made of the colors of a set.
import {
  Button,
  Checkbox,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  FormControlLabel,
  TextField,
  Typography,
} from "@mui/material";
import { useState } from "react";
import { makeSwatches } from "../api/writes";
import type { Project } from "../project/project";
import { get, set as setState, useApp, type ColorSet, type Part } from "../model/state";
import { MOST_PAINTED, paintable } from "../model/swatches";
import { figure, symbols } from "../model/words";

export function SwatchesOf({
  set,
  part,
  project,
  onClose,
}: {
  set: ColorSet;
  part: Part;
  project: Project;
  onClose: () => void;
}) {
  const palette = useApp((state) => paintable(state.swatches).length);
  const symbol = useApp((state) => symbols[state.traits.unit]);
  const several = useApp(
    (state) => state.parts.filter((own) => own.visible && own.sets.some((each) => each.name === set.name)).length > 1,
  );
  const [most, setMost] = useState(String(palette > 0 ? palette : 4));
  const [smallest, setSmallest] = useState("0");
  const [smooth, setSmooth] = useState("2");
  const [isDithered, setDithered] = useState(false);
  const [cell, setCell] = useState(figure(2 * part.median_edge));
  const [all, setAll] = useState(false);
  const [busy, setBusy] = useState(false);
  const [trouble, setTrouble] = useState<string | null>(null);
  const number = (typed: string) => Number(typed.trim().replace(",", "."));
  const isSound =
    Number.isInteger(number(most)) &&
    number(most) >= 1 &&
    number(most) <= MOST_PAINTED &&
    number(smallest) >= 0 &&
    Number.isInteger(number(smooth)) &&
    number(smooth) >= 0 &&
    number(smooth) <= 50 &&
    (!isDithered || number(cell) > 0);
  const make = async () => {
    setBusy(true);
    const { trouble } = await makeSwatches(project.id, {
      set: set.name,
      parts: all ? null : [part.id],
      making: {
        most: number(most),
        smallest: number(smallest),
        smooth: isDithered ? 0 : number(smooth),
        dither: isDithered ? number(cell) : null,
      },
    });
    setBusy(false);
    setTrouble(trouble);
    if (trouble !== null) return;
    setState({ said: { text: `Painted in swatches by the colors of ${set.name}; undo takes it back.`, bad: false } });
    onClose();
    // What was made is what one wants to see and to go on with, as soon as it has come.
    const made = () =>
      get()
        .parts.find((own) => own.id === part.id)
        ?.sets.find((own) => own.encoding === "swatch");
    const choose = () => {
      const own = made();
      if (own) setState({ target: own.id, shown: own.id });
    };
    if (made()) choose();
    else {
      const stop = useApp.subscribe(() => {
        if (!made()) return;
        stop();
        choose();
      });
    }
  };
  return (
    <Dialog open onClose={onClose} maxWidth="xs" fullWidth onKeyDown={(event) => event.stopPropagation()}>
      <DialogTitle>Make swatches of {set.name}</DialogTitle>
      <DialogContent sx={{ display: "grid", gap: 2, pt: "8px !important" }}>
        <Typography variant="body2" color="textSecondary">
          {palette > 0
            ? "Each face is painted in the palette's swatch that is nearest to the eye (CIEDE2000)."
            : "The palette is empty: it gets the swatches that serve the colors best."}
          {part.sets.some((own) => own.encoding === "swatch") && " What the part is painted in now is replaced."}
        </Typography>
        <TextField
          label="Swatches at most"
          size="small"
          value={most}
          onChange={(event) => setMost(event.target.value)}
          helperText={`1 to ${MOST_PAINTED}`}
        />
        <TextField
          label={`Smallest region, ${symbol}²`}
          size="small"
          value={smallest}
          onChange={(event) => setSmallest(event.target.value)}
          helperText="Smaller ones go to the swatch beside them."
        />
        <FormControlLabel
          control={<Checkbox checked={isDithered} onChange={(event) => setDithered(event.target.checked)} />}
          label="Mix gradients by a pattern"
        />
        {isDithered ? (
          <TextField
            label={`Cells of the pattern, ${symbol}`}
            size="small"
            value={cell}
            onChange={(event) => setCell(event.target.value)}
          />
        ) : (
          <TextField
            label="Smooth borders, times"
            size="small"
            value={smooth}
            onChange={(event) => setSmooth(event.target.value)}
          />
        )}
        {several && (
          <FormControlLabel
            control={<Checkbox checked={all} onChange={(event) => setAll(event.target.checked)} />}
            label="On all visible parts with such a set"
          />
        )}
        {trouble !== null && (
          <Typography variant="body2" color="error">
            {trouble}
          </Typography>
        )}
      </DialogContent>
      <DialogActions>
        <Button color="inherit" onClick={onClose}>
          Cancel
        </Button>
        <Button variant="contained" disabled={!isSound || busy} data-test="make-swatches" onClick={() => void make()}>
          Make them
        </Button>
      </DialogActions>
    </Dialog>
  );
}

// Asks before paint makes many new triangles.
import { Button, Dialog, DialogActions, DialogContent, DialogTitle, Typography } from "@mui/material";
import { activePart, useApp } from "../model/state";
import { count } from "../model/words";

export function AheadDialog() {
  const asked = useApp((state) => state.askedAhead);
  const part = useApp(activePart);
  if (!asked) return null;
  const { triangles, canBePlain, answer } = asked;
  return (
    <Dialog
      open
      maxWidth="xs"
      fullWidth
      onClose={() => answer(null)}
      onKeyDown={(event) => event.stopPropagation()}
      data-test="asked-ahead">
      <DialogTitle>This makes {count(triangles)} new triangles</DialogTitle>
      <DialogContent>
        <Typography variant="body2" color="text.secondary">
          {part && `${part.name} has ${count(part.faces)} faces now. `}
          {canBePlain
            ? "Files and receivers grow with them; without the cut the border is as fine as the faces are."
            : "Files and receivers grow with them. Longer edges, or a smaller brush, make fewer. Once allowed, this brush is not asked about again."}
        </Typography>
      </DialogContent>
      <DialogActions>
        <Button color="inherit" onClick={() => answer(null)}>
          Cancel
        </Button>
        {canBePlain && (
          <Button color="inherit" data-test="ahead-plain" onClick={() => answer("plain")}>
            Paint without cutting
          </Button>
        )}
        <Button variant="contained" autoFocus data-test="ahead-cut" onClick={() => answer("cut")}>
          {canBePlain ? "Cut the faces" : "Let this brush do it"}
        </Button>
      </DialogActions>
    </Dialog>
  );
}

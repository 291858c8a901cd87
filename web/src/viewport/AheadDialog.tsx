// Asks before paint makes many new triangles, and where a stroke has made as many as it may unasked.
import { Button, Dialog, DialogActions, DialogContent, DialogTitle, Typography } from "@mui/material";
import type { AskedAhead } from "../model/ahead";
import { activePart, useApp } from "../model/state";
import { count } from "../model/words";

const makes = (triangles: string) => `This makes ${triangles} new triangles`;

const WORDS: Record<
  AskedAhead["by"],
  { title: (triangles: string) => string; text: string; cancel: string; go: string }
> = {
  fill: {
    title: makes,
    text: "Files and receivers grow with them; without the cut the border is as fine as the faces are.",
    cancel: "Cancel",
    go: "Cut the faces",
  },
  dab: {
    title: makes,
    text: "Files and receivers grow with them. Longer edges, or a smaller brush, make fewer. Once allowed, this brush is not asked about again.",
    cancel: "Cancel",
    go: "Let this brush do it",
  },
  "stroke so far": {
    title: (triangles) => `The stroke stopped at ${triangles} new triangles`,
    text: "From there on it went over the mesh as it is. Longer edges, or a smaller brush, make fewer. Let this brush make as many as it takes, then undo and paint the stroke again, or paint on from where it stopped.",
    cancel: "Leave it",
    go: "Let this brush make more",
  },
};

export function AheadDialog() {
  const asked = useApp((state) => state.askedAhead);
  const part = useApp(activePart);
  if (!asked) return null;
  const { triangles, by, answer } = asked;
  const { title, text, cancel, go } = WORDS[by];
  // Nobody has just clicked for it: a key that was meant for the stage must not allow anything.
  const isUncalled = by === "stroke so far";
  return (
    <Dialog
      open
      maxWidth="xs"
      fullWidth
      onClose={() => answer(null)}
      onKeyDown={(event) => event.stopPropagation()}
      data-test="asked-ahead">
      <DialogTitle>{title(count(triangles))}</DialogTitle>
      <DialogContent>
        <Typography variant="body2" color="text.secondary">
          {part && `${part.name} has ${count(part.faces)} faces now. `}
          {text}
        </Typography>
      </DialogContent>
      <DialogActions>
        <Button color="inherit" autoFocus={isUncalled} onClick={() => answer(null)}>
          {cancel}
        </Button>
        {by === "fill" && (
          <Button color="inherit" data-test="ahead-plain" onClick={() => answer("plain")}>
            Paint without cutting
          </Button>
        )}
        <Button variant="contained" autoFocus={!isUncalled} data-test="ahead-cut" onClick={() => answer("cut")}>
          {go}
        </Button>
      </DialogActions>
    </Dialog>
  );
}

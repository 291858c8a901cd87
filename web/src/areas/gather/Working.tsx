// What is under way, and what its figures are counted in.
import { Box, Button, LinearProgress } from "@mui/material";
import type { Part } from "../../model/state";

/** A bar while something is found out, with a way to give it up; its room is kept, so that nothing jumps. */
export function Working({
  busy,
  share,
  onCancel,
}: {
  busy: boolean;
  /** How much is done, 0–1; null where that is not known. */
  share: number | null;
  onCancel: (() => void) | null;
}) {
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 1, height: 28, visibility: busy ? "visible" : "hidden" }}>
      <LinearProgress
        sx={{ flex: 1 }}
        variant={share === null ? "indeterminate" : "determinate"}
        value={100 * (share ?? 0)}
        aria-label="How far it is"
      />
      <Button size="small" color="inherit" disabled={onCancel === null} onClick={onCancel ?? undefined} sx={{ py: 0 }}>
        Cancel
      </Button>
    </Box>
  );
}

/** What differences of a set are counted in. */
export const differenceUnit = (part: Part, set: string) =>
  part.sets.find((own) => own.name === set)?.encoding === "data" ? "hundredths of the range" : "ΔE";

// Waiting for something that takes a while: how far it is, with a way to give it up.
import { Box, Button, LinearProgress } from "@mui/material";
import { useEffect, useState } from "react";
import { shareOf } from "../api/writes";

/** How often it is asked how far something is, in milliseconds. */
const OFTEN = 350;

/**
 * How much of what was asked with a word is done, 0–1; null where that is not known. What is announced while it is under way
 * never brings it back.
 */
export function useShare(work: string | null): number | null {
  const [told, setTold] = useState<{ work: string; share: number } | null>(null);
  useEffect(() => {
    if (work === null) return;
    const timer = setInterval(() => {
      void shareOf(work).then((share) => {
        if (share !== null && share > 0)
          setTold((before) => ({ work, share: before?.work === work ? Math.max(before.share, share) : share }));
      });
    }, OFTEN);
    return () => clearInterval(timer);
  }, [work]);
  return told !== null && told.work === work ? told.share : null;
}

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

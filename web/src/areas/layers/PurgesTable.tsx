// What each change from a swatch to another purges: by the model, or as it is known.
import { Box, Button, Typography } from "@mui/material";
import { useState } from "react";
import { NumberField } from "../../widgets/NumberField";
import { SwatchDot } from "../../widgets/SwatchDot";
import { useApp } from "../../model/state";
import { swatchOf } from "../../model/swatches";
import type { Pace, Told } from "./layersInHand";

export function PurgesTable({
  told,
  pace,
  onPace,
}: {
  told: Told;
  pace: Pace;
  onPace: (change: Partial<Pace>) => void;
}) {
  const [open, setOpen] = useState(false);
  const palette = useApp((state) => state.swatches);
  const pairs = pace.pairs ?? [];
  const numbers = told.swatches.map(({ number }, i) => number || i + 1);
  // What is not printed is changed to from nowhere.
  const used = told.swatches.flatMap(({ volume }, i) => (volume > 0 ? [i] : []));
  if (used.length < 2) return null;
  const is = (from: number, to: number) => (pair: (typeof pairs)[number]) =>
    pair.from === numbers[from] && pair.to === numbers[to];
  const put = (from: number, to: number, purge: number) =>
    onPace({
      pairs: [
        ...pairs.filter((pair) => !is(from, to)(pair)),
        { from: numbers[from] ?? 0, to: numbers[to] ?? 0, purge: Math.max(0, purge) },
      ],
    });
  const dot = (i: number) => {
    const [r = 0, g = 0, b = 0] = [1, 3, 5].map(
      (at) => Number.parseInt(told.swatches[i]?.color.slice(at, at + 2) ?? "0", 16) / 255,
    );
    const own = swatchOf(palette, told.swatches[i]?.number ?? 0);
    return <SwatchDot size={20} swatch={own ?? { name: "", color: [r, g, b], number: numbers[i] ?? 0 }} />;
  };
  return (
    <Box sx={{ mb: 0.5 }}>
      <Button
        size="small"
        color="secondary"
        data-test="purges"
        aria-expanded={open}
        onClick={() => setOpen(!open)}
        sx={{ py: 0, px: 0, minWidth: 0 }}>
        {open ? "Not by pairs" : "Purge of each pair"}
      </Button>
      {open && (
        <Box
          sx={{
            display: "grid",
            gridTemplateColumns: `24px repeat(${used.length}, 1fr)`,
            gap: 0.5,
            alignItems: "center",
          }}>
          <Typography variant="caption" color="textSecondary">
            mm³
          </Typography>
          {used.map((to) => (
            <Box key={to} sx={{ textAlign: "center" }}>
              {dot(to)}
            </Box>
          ))}
          {used.map((from) => [
            <Box key={from}>{dot(from)}</Box>,
            ...used.map((to) =>
              from === to ? (
                <span key={`${from} ${to}`} />
              ) : (
                <NumberField
                  key={`${from} ${to}`}
                  label={`Purged from ${numbers[from]} to ${numbers[to]}`}
                  value={Math.round(told.purges[from]?.[to] ?? 0)}
                  onValue={(purge) => put(from, to, purge)}
                />
              ),
            ),
          ])}
        </Box>
      )}
      {pairs.length > 0 && (
        <Button
          size="small"
          color="secondary"
          data-test="purges-by-model"
          onClick={() => onPace({ pairs: [] })}
          sx={{ py: 0, px: 0, minWidth: 0 }}>
          All by the model again
        </Button>
      )}
    </Box>
  );
}

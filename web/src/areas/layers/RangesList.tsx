// Where layers are higher or lower than the others: from one height up to another.
import { Box, Button, IconButton, Typography } from "@mui/material";
import { facts } from "../../model/state";
import { NumberField } from "../../widgets/NumberField";
import { usePrint, type Rules } from "./layersInHand";

type Range = NonNullable<Rules["ranges"]>[number];

/** How many layers a new range takes in at first. */
const FIRST_LAYERS = 25;

export function RangesList({ rules, onRules }: { rules: Rules; onRules: (change: Partial<Rules>) => void }) {
  const told = usePrint((print) => print.told);
  const at = usePrint((print) => print.layer);
  const ranges = rules.ranges ?? [];
  const put = (i: number, change: Partial<Range>) =>
    onRules({ ranges: ranges.map((range, k) => (k === i ? { ...range, ...change } : range)) });
  const add = () => {
    const bottom = told?.plan.layers[at]?.bottom ?? 0;
    const to = told?.plan.layers[at + FIRST_LAYERS]?.bottom ?? told?.height ?? bottom + FIRST_LAYERS * rules.layer;
    const round = (x: number) => Math.round(x * 100) / 100;
    onRules({ ranges: [{ from: round(bottom), to: round(to), layer: round(rules.layer / 2) }, ...ranges] });
  };
  return (
    <Box sx={{ my: 0.5 }}>
      {ranges.map((range, i) => (
        <Box key={i} data-test="layer-range" sx={{ display: "flex", alignItems: "center", gap: 0.5, minHeight: 32 }}>
          <NumberField label={`Range ${i + 1} from`} value={range.from} onValue={(from) => put(i, { from })} />
          <Typography variant="body2" color="textSecondary">
            to
          </Typography>
          <NumberField label={`Range ${i + 1} to`} value={range.to} onValue={(to) => put(i, { to })} />
          <Typography variant="body2" color="textSecondary" noWrap>
            in
          </Typography>
          <NumberField label={`Range ${i + 1} layers`} value={range.layer} onValue={(layer) => put(i, { layer })} />
          <Typography variant="body2" color="textSecondary">
            mm
          </Typography>
          <IconButton
            size="small"
            aria-label={`Take range ${i + 1} away`}
            onClick={() => onRules({ ranges: ranges.filter((_, k) => k !== i) })}
            sx={{ fontSize: 16, width: 24, height: 24 }}>
            ×
          </IconButton>
        </Box>
      ))}
      <Button
        size="small"
        color="secondary"
        data-test="add-range"
        disabled={!told || ranges.length >= facts().limits.layer_ranges}
        onClick={add}
        sx={{ py: 0, px: 0, minWidth: 0 }}>
        Other layers from the needle up
      </Button>
    </Box>
  );
}

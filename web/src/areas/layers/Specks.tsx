// Regions too small or too narrow to print well, listed by size; absorbed by what lies beside them.
import { Box, Button, ButtonBase, Paper, Typography } from "@mui/material";
import { useEffect, useState } from "react";
import type { Schemas } from "../../api/client";
import { layerSpecks, sweepUp } from "../../api/writes";
import { set } from "../../model/state";
import { count, figure } from "../../model/words";
import type { Project } from "../../project/project";
import { ColorDot } from "../../widgets/ColorDot";
import { Sliding } from "../../widgets/rows";
import { specksOf, turn, usePrint, type Told } from "./layersInHand";
import { showPlace } from "./showPlace";

type Speck = Schemas["SpeckTold"];

/** How long a hand rests before they are looked for anew, in milliseconds. */
const REST = 250;

/** More than these are not listed one by one. */
const LISTED = 40;

export function Specks({ told, project }: { told: Told; project: Project }) {
  const area = usePrint((print) => specksOf(print).area);
  const width = usePrint((print) => specksOf(print).width);
  const line = usePrint((print) => print.rules.line);
  const [found, setFound] = useState<{ look: number; list: Speck[] } | null>(null);
  const [busy, setBusy] = useState(false);
  useEffect(() => {
    let isWanted = true;
    const timer = setTimeout(() => {
      void layerSpecks(told.look, { area, width }).then(({ data }) => {
        if (isWanted && data) setFound({ look: told.look, list: data });
      });
    }, REST);
    return () => {
      isWanted = false;
      clearTimeout(timer);
    };
  }, [told.look, area, width]);
  const put = (change: Partial<Schemas["SweepLimits"]>) => turn({ specks: { area, width, ...change } });
  const sweep = async (only: Speck | null) => {
    setBusy(true);
    const { trouble } = await sweepUp(project.id, {
      look: told.look,
      specks: { area, width },
      only: only ? [only.part, only.face] : null,
    });
    setBusy(false);
    if (trouble !== null) set({ said: { text: trouble, bad: true } });
  };
  // Marks stay until another is shown, or the sheet goes.
  useEffect(() => () => project.stage.showPlaces(null), [project]);
  const list = found?.list ?? [];
  return (
    <Paper variant="outlined" component="section" aria-label="Sweep" sx={{ p: 1.75, borderRadius: 4 }}>
      <Box sx={{ display: "flex", alignItems: "center" }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          Sweep
        </Typography>
        <Typography variant="body2" color="textSecondary" data-test="specks-said">
          {list.length === 0 ? "no specks" : `${count(list.length)} ${list.length === 1 ? "speck" : "specks"}`}
        </Typography>
      </Box>
      <Sliding
        label="Smaller than"
        value={area}
        min={0.01}
        max={100}
        step={0.01}
        digits={2}
        unit="mm²"
        curved
        onChange={(next) => put({ area: next })}
      />
      <Sliding
        label="Narrower than"
        value={width}
        min={0}
        max={5}
        step={0.05}
        digits={2}
        unit="mm"
        onChange={(next) => put({ width: next })}
      />
      <Box sx={{ maxHeight: 190, overflowY: "auto" }}>
        {list.slice(0, LISTED).map((speck) => (
          <Box
            key={`${speck.part} ${speck.face}`}
            data-test="speck"
            sx={{ display: "flex", alignItems: "center", gap: 0.75, minHeight: 28 }}>
            <ButtonBase
              onClick={() => showPlace(project, told, speck.place)}
              aria-label={`Show the speck of ${figure(speck.area)} mm²`}
              sx={{ flex: 1, minWidth: 0, gap: 0.75, justifyContent: "flex-start", borderRadius: 1 }}>
              <ColorDot size={12} color={told.swatches[speck.swatch]?.color} />
              <Typography variant="body2" noWrap>
                {figure(speck.area)} mm² · {figure(speck.width)} wide
                {speck.width < line && `, prints ${line.toFixed(2)}`}
              </Typography>
            </ButtonBase>
            <Typography variant="body2" color="textSecondary">
              →
            </Typography>
            <ColorDot size={12} color={speck.beside == null ? undefined : told.swatches[speck.beside]?.color} />
            <Button
              size="small"
              color="secondary"
              disabled={busy}
              onClick={() => void sweep(speck)}
              sx={{ py: 0, minWidth: 0 }}>
              Absorb
            </Button>
          </Box>
        ))}
      </Box>
      {list.length > LISTED && (
        <Typography variant="caption" color="textSecondary">
          and {count(list.length - LISTED)} more
        </Typography>
      )}
      {list.length > 0 && (
        <Button
          size="small"
          variant="outlined"
          color="inherit"
          disabled={busy}
          data-test="sweep-all"
          onClick={() => void sweep(null)}
          sx={{ mt: 0.5 }}>
          Absorb all of them
        </Button>
      )}
    </Paper>
  );
}

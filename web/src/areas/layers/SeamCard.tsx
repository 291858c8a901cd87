// Where each layer begins: marked by selections, told by reasons, shown as a line over the model.
import { Box, Paper, Typography } from "@mui/material";
import { useEffect, useState } from "react";
import type { Schemas } from "../../api/client";
import { layerSeams, newWord } from "../../api/writes";
import { selectionsOf, useApp } from "../../model/state";
import { count } from "../../model/words";
import type { Project } from "../../project/project";
import { Choose, Switching } from "../../widgets/rows";
import { turn, usePrint, type Told } from "./layersInHand";

type Seam = Schemas["SeamTold"];

const words: Record<Seam["reason"], string> = {
  wanted: "where it is wanted",
  hidden: "hidden",
  hollow: "in a hollow corner",
  corner: "at a corner",
  nearest: "above the layer below",
};
const reasons = ["wanted", "hidden", "hollow", "corner", "nearest"] as const;

export function SeamCard({ told, project }: { told: Told; project: Project }) {
  const seams = usePrint((print) => print.seams);
  const layer = usePrint((print) => print.layer);
  const parts = useApp((state) => state.parts);
  const [known, setKnown] = useState<Seam[] | null>(null);
  const [trouble, setTrouble] = useState<string | null>(null);
  const { stage } = project;
  const names = [
    ...new Set(parts.flatMap((part) => [...selectionsOf(part), ...part.selections].map(({ name }) => name))),
  ];
  const { shown, prefer, avoid } = seams;
  const found = shown ? known : null;
  useEffect(() => {
    if (!shown) return;
    const own = new AbortController();
    void layerSeams(told.look, { prefer, avoid }, { signal: own.signal, work: newWord() }).then(({ data, trouble }) => {
      if (own.signal.aborted) return;
      setKnown(data);
      setTrouble(trouble);
    });
    return () => own.abort();
  }, [told.look, shown, prefer, avoid]);
  useEffect(() => {
    // What lies above the layer that is looked at is not there yet.
    stage.showSeam(found?.filter((seam) => seam.layer <= layer).flatMap(({ at }) => at) ?? []);
  }, [stage, found, layer]);
  useEffect(() => () => stage.showSeam([]), [stage]);
  const put = (change: Partial<typeof seams>) => turn({ seams: { ...seams, ...change } });
  const options = [["", "nowhere marked"] as const, ...names.map((name) => [name, name] as const)];
  const here = found?.find((seam) => seam.layer === layer);
  const avoided = found?.filter((seam) => seam.avoided).length ?? 0;
  return (
    <Paper variant="outlined" component="section" aria-label="Where layers begin" sx={{ p: 1.75, borderRadius: 4 }}>
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        Where layers begin
      </Typography>
      <Switching label="Show the seam that this leaves" on={shown} onChange={(on) => put({ shown: on })} />
      <Choose
        label="Rather at"
        value={prefer ?? ""}
        options={options}
        onChange={(name) => put({ prefer: name || null, shown: true })}
      />
      <Choose
        label="Not at"
        value={avoid ?? ""}
        options={options}
        onChange={(name) => put({ avoid: name || null, shown: true })}
      />
      {names.length === 0 && (
        <Typography variant="caption" color="textSecondary" component="div">
          Make a selection in Paint with any brush to mark where seams are wanted, or not.
        </Typography>
      )}
      {shown && trouble && (
        <Typography variant="body2" sx={{ color: "error.main" }}>
          {trouble}
        </Typography>
      )}
      {found && (
        <Box data-test="seams" sx={{ mt: 0.5 }}>
          {reasons.map((reason) => {
            const own = found.filter((seam) => seam.reason === reason).length;
            return own > 0 ? (
              <Typography key={reason} variant="body2" color="textSecondary">
                <b>{count(own)}</b> {words[reason]}
              </Typography>
            ) : null;
          })}
          {avoided > 0 && (
            <Typography variant="body2" sx={{ color: "warning.main", fontWeight: 700 }}>
              {count(avoided)} where it was to be avoided: those layers have no other place.
            </Typography>
          )}
          {here && (
            <Typography variant="body2" sx={{ fontWeight: 700 }}>
              Layer {layer + 1}: {words[here.reason]}
            </Typography>
          )}
        </Box>
      )}
    </Paper>
  );
}

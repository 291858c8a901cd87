// Which swatch a part is best left unpainted in, and why.
import { Button, Typography } from "@mui/material";
import { useState } from "react";
import type { Schemas } from "../api/client";
import { paintingOf } from "../api/writes";
import { set, useApp, type Part } from "../model/state";
import { baseOf, nameOf, swatchOf } from "../model/swatches";
import { count, figure } from "../model/words";
import type { Project } from "../project/project";

type Work = Schemas["PaintingWork"];

export function BaseSuggestion({ part, project }: { part: Part; project: Project }) {
  const palette = useApp((state) => state.swatches);
  const revision = useApp((state) => state.history.revision);
  const [works, setWorks] = useState<{ of: string; works: Work[] } | null>(null);
  const [busy, setBusy] = useState(false);
  const of = `${part.id} ${revision}`;
  const ask = async () => {
    setBusy(true);
    const { data, trouble } = await paintingOf(project.id, part.id);
    setBusy(false);
    if (data) setWorks({ of, works: data });
    else set({ said: { text: trouble, bad: true } });
  };
  // What was told of paint of before is told no more.
  const [best, second] = works?.of === of ? works.works : [];
  const base = baseOf(palette, part.base);
  const swatch = best && swatchOf(palette, best.swatch);
  if (!best || !swatch)
    return (
      <Button
        size="small"
        color="secondary"
        data-test="suggest-base"
        disabled={busy || palette.length < 2}
        onClick={() => void ask()}
        sx={{ py: 0, px: 0.5, minWidth: 0, fontWeight: 400 }}>
        {busy ? "Looking…" : "Which would be the best base?"}
      </Button>
    );
  const other = second && swatchOf(palette, second.swatch);
  const isIt = base?.number === best.swatch;
  return (
    <Typography variant="caption" component="div" data-test="best-base" sx={{ mt: 0.5 }}>
      <b>
        {nameOf(swatch)} {isIt ? "is the best base already" : "would be the best base"}
      </b>
      : left unpainted it saves the most work, {count(best.patches)} {best.patches === 1 ? "patch" : "patches"} with{" "}
      {figure(best.border)} mm of border
      {best.hidden > 0.1 && `, ${Math.round(100 * best.hidden)} % of it hidden`}
      {second && other && `; next ${nameOf(other)}, ${figure((100 * second.work) / best.work)} % of that`}.{" "}
      {!isIt && (
        <Button
          size="small"
          color="secondary"
          data-test="take-base"
          disabled={part.locked}
          onClick={() => void project.edit({ type: "set_base", parts: [part.id], base: best.swatch })}
          sx={{ py: 0, px: 0.25, minWidth: 0, fontSize: 12, verticalAlign: "baseline" }}>
          Make it the base
        </Button>
      )}
    </Typography>
  );
}

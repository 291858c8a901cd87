// How a print is cut, and what it costs.
import { Alert, Box, Paper, Typography } from "@mui/material";
import { useEffect, useState } from "react";
import { newWord } from "../../api/writes";
import { get, setCutaway, useApp } from "../../model/state";
import { count, figure } from "../../model/words";
import type { InArea } from "../../project/area";
import { Choose, Sliding } from "../../widgets/rows";
import { useShare, Working } from "../../widgets/waiting";
import { cut, giveUp, take, turn, usePrint, type Inside, type Rules } from "./layersInHand";

/** How long a hand rests before it is cut anew, in milliseconds. */
const REST = 250;

export function LayersSheet({ id }: InArea) {
  const { rules, most, inside, height, told, busy, trouble, purge } = usePrint();
  const revision = useApp((state) => state.history.revision);
  const empty = useApp((state) => state.parts.every((part) => !part.visible));
  const [work, setWork] = useState(newWord);
  const share = useShare(busy ? work : null);
  useEffect(() => take(id), [id]);
  const asked = JSON.stringify([id, rules, most, inside, height, revision, empty]);
  useEffect(() => {
    if (empty) return;
    const timer = setTimeout(() => {
      const word = newWord();
      setWork(word);
      void cut(word);
    }, REST);
    return () => clearTimeout(timer);
  }, [asked, empty]);
  useEffect(() => () => giveUp(), []);
  useCutAtLayer();
  const put = (change: Partial<Rules>) => turn({ rules: { ...rules, ...change } });
  const insideKey = inside.kind === "nearest" ? "nearest" : String(inside.swatch);
  const changes = told?.plan.changes ?? 0;
  return (
    <>
      <Paper variant="outlined" component="section" aria-label="What it costs" sx={{ p: 1.75, borderRadius: 4 }}>
        <Typography variant="h2" sx={{ mb: 0.5 }}>
          What it costs
        </Typography>
        {empty && <Alert severity="info">Nothing is seen that could be printed.</Alert>}
        {trouble && (
          <Alert severity="error" data-test="layers-trouble">
            {trouble}
          </Alert>
        )}
        {told && !trouble && (
          <Box data-test="layers-costs">
            <Cost title="Spool changes" value={count(changes)} />
            <Cost title="Purged" value={`${figure((changes * purge) / 1000)} cm³`} />
            <Cost
              title="Printed"
              value={`${figure(told.swatches.reduce((all, { volume }) => all + volume, 0) / 1000)} cm³`}
            />
            <Cost title="Stands" value={`${figure(told.height)} mm high${inScale(told.scale)}`} />
            <Cost title="Layers" value={count(told.plan.layers.length)} />
            {told.plan.open > 0 && (
              <Typography variant="body2" sx={{ color: "warning.main", fontWeight: 700 }}>
                In {count(told.plan.open)} layers an outline does not close: mend the holes in Gather first.
              </Typography>
            )}
            {told.plan.overlapping > 0 && (
              <Typography variant="body2" color="textSecondary">
                In {count(told.plan.overlapping)} layers shells lie within each other; they count once.
              </Typography>
            )}
            <Typography variant="h3" sx={{ mt: 1.25 }}>
              What lies within decides it
            </Typography>
            <Within
              on={inside.kind === "nearest"}
              title="Paint goes right through"
              changes={told.changes_through}
              now={changes}
              onChoose={() => turn({ inside: { kind: "nearest" } })}
            />
            {told.swatches.map((swatch, i) => (
              <Within
                key={i}
                on={insideKey === String(i)}
                color={swatch.color}
                title={`${i + 1} ${swatch.name} within`}
                changes={swatch.changes_within}
                now={changes}
                onChoose={() => turn({ inside: { kind: "swatch", swatch: i } })}
              />
            ))}
          </Box>
        )}
        <Working busy={busy} share={share} onCancel={giveUp} />
      </Paper>
      <Paper variant="outlined" component="section" aria-label="How it is cut" sx={{ p: 1.75, borderRadius: 4 }}>
        <Typography variant="h2" sx={{ mb: 0.5 }}>
          How it is cut
        </Typography>
        <Sliding
          label="Height"
          value={height ?? told?.height ?? 120}
          min={5}
          max={400}
          step={1}
          digits={1}
          unit="mm"
          curved
          onChange={(next) => turn({ height: next })}
        />
        <Sliding
          label="Layers"
          value={rules.layer}
          min={0.05}
          max={0.6}
          step={0.01}
          digits={2}
          unit="mm"
          onChange={(layer) => put({ layer })}
        />
        <Sliding
          label="The first"
          value={rules.first}
          min={0.05}
          max={0.6}
          step={0.01}
          digits={2}
          unit="mm"
          onChange={(first) => put({ first })}
        />
        <Sliding
          label="Lines"
          value={rules.line}
          min={0.1}
          max={1.2}
          step={0.01}
          digits={2}
          unit="mm"
          onChange={(line) => put({ line })}
        />
        <Sliding
          label="Paint goes"
          value={rules.depth}
          min={0.1}
          max={10}
          step={0.05}
          digits={2}
          unit="mm"
          curved
          onChange={(depth) => put({ depth })}
        />
        <Choose
          label="Swatches"
          value={String(most)}
          options={[1, 2, 3, 4, 5, 6, 8, 12, 16].map((n) => [String(n), `up to ${n}`] as const)}
          onChange={(n) => turn({ most: Number(n), inside: within(inside, Number(n)) })}
        />
        <Sliding
          label="A change purges"
          value={purge}
          min={0}
          max={600}
          step={5}
          unit="mm³"
          onChange={(next) => turn({ purge: next })}
        />
      </Paper>
    </>
  );
}

/** As models are said to be scaled; nothing where they stand as they are. */
const inScale = (by: number) =>
  Math.abs(by - 1) < 1e-6 ? "" : by < 1 ? `, 1 : ${figure(1 / by)}` : `, ${figure(by)} : 1`;

/** What lies within, as far as there are so many swatches. */
const within = (inside: Inside, most: number): Inside =>
  inside.kind === "swatch" && inside.swatch >= most ? { kind: "swatch", swatch: 0 } : inside;

/** The stage shows what lies below the top of the layer; as it was when one leaves. */
function useCutAtLayer() {
  const told = usePrint((print) => print.told);
  const layer = usePrint((print) => print.layer);
  const up = useApp((state) => state.traits.up);
  useEffect(() => {
    const before = get().cutaway;
    return () => setCutaway(before);
  }, []);
  useEffect(() => {
    const own = told?.plan.layers[layer];
    if (!told || !own) return;
    const [plate = 0, mm = 1] = told.plate;
    setCutaway({
      on: true,
      placed: true,
      normal: up === "y" ? [0, 1, 0] : [0, 0, 1],
      offset: plate + (own.bottom + own.height) * mm,
    });
  }, [told, layer, up]);
}

function Cost({ title, value }: { title: string; value: string }) {
  return (
    <Box sx={{ display: "flex", borderBottom: 1, borderColor: "divider", borderBottomStyle: "dashed", py: 0.5 }}>
      <Typography variant="body2" color="textSecondary" sx={{ flex: 1 }}>
        {title}
      </Typography>
      <Typography variant="body2" sx={{ fontWeight: 700 }}>
        {value}
      </Typography>
    </Box>
  );
}

/** A choice of what lies within, with what it would save. */
function Within({
  on,
  title,
  color,
  changes,
  now,
  onChoose,
}: {
  on: boolean;
  title: string;
  color?: string;
  changes: number;
  now: number;
  onChoose: () => void;
}) {
  const by = changes - now;
  return (
    <Box
      component="button"
      type="button"
      aria-pressed={on}
      data-test="within"
      onClick={onChoose}
      sx={{
        display: "flex",
        alignItems: "center",
        gap: 1,
        width: 1,
        px: 0.75,
        py: 0.5,
        border: 1,
        borderColor: on ? "primary.main" : "transparent",
        borderRadius: 2,
        bgcolor: "transparent",
        color: "inherit",
        font: "inherit",
        textAlign: "left",
        cursor: "pointer",
      }}>
      <Box sx={{ width: 14, height: 14, borderRadius: "50%", border: 1, borderColor: "divider", bgcolor: color }} />
      <Typography variant="body2" noWrap sx={{ flex: 1, minWidth: 0 }}>
        {title}
      </Typography>
      <Typography variant="body2" sx={{ fontWeight: 700, color: by < 0 ? "success.main" : undefined }}>
        {count(changes)}
        {by !== 0 && ` (${by > 0 ? "+" : "−"}${count(Math.abs(by))})`}
      </Typography>
    </Box>
  );
}

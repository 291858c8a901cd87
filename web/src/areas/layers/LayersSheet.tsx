// How a print is cut, what it costs, what causes most of that, and how specks are swept up.
import { Alert, Box, Button, Paper, Typography } from "@mui/material";
import { useEffect, useState } from "react";
import { newWord, paintSwatches, paperOf } from "../../api/writes";
import { get, set, setCutaway, useApp } from "../../model/state";
import { count, figure } from "../../model/words";
import type { InArea } from "../../project/area";
import type { Project } from "../../project/project";
import { ColorDot } from "../../widgets/ColorDot";
import { Choose, Sliding } from "../../widgets/rows";
import { useShare, Working } from "../../widgets/waiting";
import { BureauCard } from "./BureauCard";
import { CausesList } from "./CausesList";
import { Costs } from "./Costs";
import { useKept } from "./kept";
import { useLayerOnModel } from "./layerPicture";
import { PlateCard } from "./PlateCard";
import { PrinterCard } from "./PrinterCard";
import { RangesList } from "./RangesList";
import { usePrinter } from "./printer";
import { PurgesTable } from "./PurgesTable";
import { SeamCard } from "./SeamCard";
import { Specks } from "./Specks";
import { SpoolCard } from "./SpoolCard";
import {
  cut,
  findCauses,
  foresee,
  giveUp,
  keepUp,
  lit,
  mend,
  take,
  turn,
  usePrint,
  type Inside,
  type Pace,
  type Rules,
} from "./layersInHand";

/** How long a hand rests before it is cut anew, in milliseconds. */
const REST = 250;

/** How often what is looked at is asked for again: the server lets go of it after two minutes, in milliseconds. */
const KEPT = 80_000;

export function LayersSheet({ id, project }: InArea) {
  const { rules, most, inside, through, height, told, busy, trouble, pace, causes, chosen, then, specks } = usePrint();
  const revision = useApp((state) => state.history.revision);
  const empty = useApp((state) => state.parts.every((part) => !part.visible));
  const [work, setWork] = useState(newWord);
  const { printer, ask } = usePrinter();
  const share = useShare(busy ? work : null);
  useEffect(() => take(id), [id]);
  useKept(project);
  useLit(project);
  const asked = JSON.stringify([id, rules, most, inside, through, height, pace, revision, empty]);
  useEffect(() => {
    if (empty) return;
    const timer = setTimeout(() => {
      const word = newWord();
      setWork(word);
      void cut(word);
    }, REST);
    return () => clearTimeout(timer);
  }, [asked, empty]);
  // A hand that turns the limits of specks rests first.
  const limits = JSON.stringify(specks);
  useEffect(() => {
    if (!told) return;
    const timer = setTimeout(() => void findCauses(newWord()), REST);
    return () => clearTimeout(timer);
  }, [told, limits]);
  useEffect(() => {
    const timer = setInterval(() => void keepUp(), KEPT);
    return () => clearInterval(timer);
  }, []);
  useEffect(() => void foresee(newWord()), [causes, chosen]);
  useEffect(() => () => giveUp(), []);
  useCutAtLayer();
  useLayerOnModel(project);
  const put = (change: Partial<Rules>) => turn({ rules: { ...rules, ...change } });
  const paceIs = (change: Partial<Pace>) => turn({ pace: { ...pace, ...change } });
  const insideKey = told?.inside.kind === "nearest" ? "nearest" : String(told?.inside.swatch);
  const changes = told?.plan.changes ?? 0;
  const doIt = async () => {
    const word = newWord();
    setWork(word);
    const trouble = await mend(word);
    if (trouble !== null) set({ said: { text: trouble, bad: true } });
  };
  return (
    <>
      {told && <SpoolCard told={told} project={project} printer={printer} />}
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
            <Costs told={told} then={then} />
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
            <CausesList told={told} onMend={() => void doIt()} />
            <Box sx={{ display: "flex", gap: 1, mt: 1 }}>
              {(["swaps", "page"] as const).map((form) => (
                <Button
                  key={form}
                  size="small"
                  color="secondary"
                  data-test={`paper-${form}`}
                  href={paperOf(id, told.look, form, { inside, through, pace })}
                  sx={{ py: 0, minWidth: 0 }}>
                  {form === "swaps" ? "List of swaps" : "Plan as a page"}
                </Button>
              ))}
            </Box>
            {!told.is_painted && (
              <Box sx={{ mt: 1 }}>
                <Typography variant="body2" color="textSecondary">
                  Nothing is painted in swatches yet: faces are told apart by their colors.
                </Typography>
                <Button
                  size="small"
                  color="secondary"
                  data-test="paint-swatches"
                  disabled={busy}
                  onClick={() => void paintSwatches(id, told.look).then(said)}>
                  Paint them in these swatches
                </Button>
              </Box>
            )}
          </Box>
        )}
        <Working busy={busy} share={share} onCancel={giveUp} />
      </Paper>
      {told && project && <Specks told={told} project={project} />}
      {told && <PlateCard told={told} printer={printer} />}
      {told && project && <BureauCard told={told} project={project} />}
      {told && printer?.is_there && <PrinterCard told={told} project={id} printer={printer} ask={ask} />}
      {told && !trouble && (
        <Paper variant="outlined" component="section" aria-label="What lies within" sx={{ p: 1.75, borderRadius: 4 }}>
          <Typography variant="h2" sx={{ mb: 0.5 }}>
            What lies within
          </Typography>
          <Within
            on={insideKey === "nearest"}
            title="Paint goes right through"
            changes={told.changes_through}
            now={changes}
            onChoose={() => turn({ inside: { kind: "nearest" } })}
          />
          {told.swatches.map((swatch, i) =>
            swatch.volume > 0 || insideKey === String(i) ? (
              <Within
                key={i}
                on={insideKey === String(i)}
                color={swatch.color}
                title={`${swatch.number || i + 1} ${swatch.name} within`}
                changes={swatch.changes_within}
                now={changes}
                onChoose={() => turn({ inside: { kind: "swatch", swatch: i } })}
              />
            ) : null,
          )}
          {through.length > 0 && (
            <Box sx={{ display: "flex", alignItems: "center" }}>
              <Typography variant="body2" color="textSecondary" sx={{ flex: 1 }}>
                Right through from {through.map(([from, to]) => `${figure(from)} to ${figure(to)}`).join(", ")} mm
              </Typography>
              <Button size="small" color="secondary" onClick={() => turn({ through: [] })}>
                Not any more
              </Button>
            </Box>
          )}
        </Paper>
      )}
      {told && !trouble && project && <SeamCard told={told} project={project} />}
      <Paper variant="outlined" component="section" aria-label="How it is cut" sx={{ p: 1.75, borderRadius: 4 }}>
        <Typography variant="h2" sx={{ mb: 0.5 }}>
          How it is cut
        </Typography>
        <Sliding
          label="Height"
          value={height ?? told?.height ?? 120}
          min={1}
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
        <RangesList rules={rules} onRules={put} />
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
        <Sliding
          label="or walls"
          value={rules.depth / rules.line}
          min={0.5}
          max={12}
          step={1}
          digits={1}
          onChange={(walls) => put({ depth: walls * rules.line })}
        />
        {!told?.is_painted && (
          <Choose
            label="Swatches"
            value={String(most)}
            options={[1, 2, 3, 4, 5, 6, 8, 12, 16].map((n) => [String(n), `up to ${n}`] as const)}
            onChange={(n) => turn({ most: Number(n), inside: within(inside, Number(n)) })}
          />
        )}
        <Sliding
          label="A change purges"
          value={pace.purge}
          min={0}
          max={600}
          step={5}
          unit="mm³"
          onChange={(purge) => paceIs({ purge })}
        />
        {told && <PurgesTable told={told} pace={pace} onPace={paceIs} />}
        <Sliding
          label="and takes"
          value={pace.change}
          min={0}
          max={300}
          step={5}
          unit="s"
          onChange={(change) => paceIs({ change })}
        />
        <Sliding
          label="It flows"
          value={pace.flow}
          min={1}
          max={40}
          step={0.5}
          digits={1}
          unit="mm³/s"
          onChange={(flow) => paceIs({ flow })}
        />
      </Paper>
    </>
  );
}

/** The cause that is pointed at is lit on the model. */
function useLit(project: Project | null) {
  const pointed = usePrint((print) => print.pointed);
  useEffect(() => {
    if (!project || pointed === null) return;
    const { stage } = project;
    const own = new AbortController();
    void lit(own.signal).then((places) => {
      if (!own.signal.aborted) stage.showPlaces(null, places.flat());
    });
    return () => {
      own.abort();
      stage.showPlaces(null);
    };
  }, [project, pointed]);
}

/** What lies within, as far as there are so many swatches. */
const within = (inside: Inside | null, most: number): Inside | null =>
  inside?.kind === "swatch" && inside.swatch >= most ? null : inside;

const said = ({ trouble }: { trouble: string | null }) => {
  if (trouble !== null) set({ said: { text: trouble, bad: true } });
};

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
      <ColorDot color={color} />
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

// How a print is cut, what it costs, what causes most of that, and how specks are swept up.
import { Alert, Box, Button, Paper, Typography } from "@mui/material";
import { useEffect, useState } from "react";
import type { Schemas } from "../../api/client";
import { newWord, paintSwatches, paperOf } from "../../api/writes";
import { get, set, setCutaway, useApp } from "../../model/state";
import { count, duration, figure } from "../../model/words";
import type { InArea } from "../../project/area";
import type { Project } from "../../project/project";
import { ColorDot } from "../../widgets/ColorDot";
import { whenRested } from "../../widgets/rest";
import { Choose, Sliding } from "../../widgets/rows";
import { useShare, Working } from "../../widgets/waiting";
import { BureauCard } from "./BureauCard";
import { CausesList } from "./CausesList";
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
  adopt,
  cut,
  findCauses,
  foresee,
  giveUp,
  isSame,
  keepUp,
  lit,
  mend,
  send,
  setupOf,
  take,
  turn,
  usePrint,
  usual,
  type Inside,
  type Pace,
  type Rules,
  type Told,
} from "./layersInHand";

/** How long a hand rests before it is cut anew, in milliseconds. */
const REST = 250;

/** How long it rests before the project keeps it, in milliseconds. */
const KEEPING = 900;

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

/** Has the project keep how it is printed, where that is another than it knows. */
function keep(project: Project) {
  const print = usePrint.getState();
  const own = setupOf(print);
  if (print.project !== project.id || isSame(own, get().print ?? usual)) return;
  send(own);
  void project.edit({ type: "set_print", print: own });
}

/** The project keeps how it is printed: what a hand has turned goes there when it rests, and what is undone, or
    turned in another window, comes from there. */
function useKept(project: Project | null) {
  const kept = useApp((state) => state.print);
  const print = usePrint();
  const setup = JSON.stringify(setupOf(print));
  const known = JSON.stringify(kept);
  useEffect(() => {
    if (project && print.project === project.id) adopt(get().print);
    // What comes, and not what is turned here.
  }, [project, print.project, known]);
  useEffect(() => {
    if (!project || print.project !== project.id) return;
    return whenRested(KEEPING, () => keep(project));
  }, [project, print.project, setup, known]);
  // Whoever leaves has turned what was turned last, too.
  useEffect(() => () => void (project && keep(project)), [project]);
}

/** As models are said to be scaled; nothing where they stand as they are. */
const inScale = (by: number) =>
  Math.abs(by - 1) < 1e-6 ? "" : by < 1 ? `, 1 : ${figure(1 / by)}` : `, ${figure(by)} : 1`;

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

/** What it takes now, and with what is chosen to be mended. */
function Costs({ told, then }: { told: Told; then: Schemas["WithRemedies"] | null }) {
  const now = told.estimate;
  const with_ = then?.estimate;
  const rows: [string, string, string | null, boolean][] = [
    [
      "Spool changes",
      count(told.plan.changes),
      then && count(then.changes),
      !!then && then.changes < told.plan.changes,
    ],
    ["Purged", grams(now.grams_purged), with_ ? grams(with_.grams_purged) : null, !!with_ && with_.purged < now.purged],
    ["Printing", duration(now.seconds), with_ ? duration(with_.seconds) : null, !!with_ && with_.seconds < now.seconds],
    ["Material", grams(now.grams), with_ ? grams(with_.grams) : null, !!with_ && with_.grams < now.grams],
    ...(now.price > 0
      ? [
          [
            "Price",
            now.price.toFixed(2),
            with_ ? with_.price.toFixed(2) : null,
            !!with_ && with_.price < now.price,
          ] as [string, string, string | null, boolean],
        ]
      : []),
  ];
  return (
    <>
      <Box sx={{ display: "flex", color: "text.secondary", fontSize: 12 }}>
        <Box sx={{ flex: 1 }}>
          {figure(told.height)} mm high{inScale(told.scale)} · {count(told.plan.layers.length)} layers
        </Box>
        {then && <Box sx={{ width: 84, textAlign: "right" }}>with ✓</Box>}
      </Box>
      {rows.map(([title, value, other, isLess]) => (
        <Box
          key={title}
          sx={{ display: "flex", borderBottom: 1, borderColor: "divider", borderBottomStyle: "dashed", py: 0.5 }}>
          <Typography variant="body2" color="textSecondary" sx={{ flex: 1 }}>
            {title}
          </Typography>
          <Typography
            variant="body2"
            sx={{ fontWeight: 700 }}
            data-test={title === "Spool changes" ? "changes-now" : undefined}>
            {value}
          </Typography>
          {then && (
            <Typography
              variant="body2"
              data-test={title === "Spool changes" ? "changes-then" : undefined}
              sx={{ width: 84, textAlign: "right", fontWeight: 700, color: isLess ? "success.main" : undefined }}>
              {other}
            </Typography>
          )}
        </Box>
      ))}
    </>
  );
}

const grams = (g: number) => `${g < 10 ? g.toFixed(1) : figure(g)} g`;

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

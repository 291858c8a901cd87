// Puts the part that colors come from where the active one lies: by its box, by its surface, or by points.
import { Box, Button, Typography } from "@mui/material";
import { useEffect, useState } from "react";
import { alignmentByPairs, alignmentOf } from "../../api/writes";
import { get, set, useApp, type Part } from "../../model/state";
import type { Vec } from "../../model/choices";
import { count, figure, symbols } from "../../model/words";
import type { Project } from "../../project/project";
import { Row, Switching } from "../../widgets/rows";

/** A point of the part that moves, and the one where it belongs, in the project's space. */
interface Pair {
  from: Vec | null;
  to: Vec | null;
}

const FEWEST = 3;

export function Align({ project, part, source }: { project: Project; part: Part; source: number }) {
  const unit = useApp((state) => symbols[state.traits.unit]);
  const moving = useApp((state) => state.parts.find((other) => other.id === source));
  const [busy, setBusy] = useState(false);
  const [byPoints, setByPoints] = useState(false);
  const isHeld = busy || (moving?.locked ?? true);
  const put = async (asked: ReturnType<typeof alignmentOf>) => {
    setBusy(true);
    const { data, trouble } = await asked;
    if (trouble !== null) {
      setBusy(false);
      set({ said: { text: trouble, bad: true } });
      return false;
    }
    const isDone = await project.edit({ type: "place_part", part: source, transform: data.transform });
    setBusy(false);
    if (isDone)
      set({
        said: {
          text: `It lies ${figure(data.residual)} ${unit} off now, in the root of the mean square; it was ${figure(data.before)} ${unit}.`,
          bad: false,
        },
      });
    return isDone;
  };
  return (
    <>
      <Row label="Put it there">
        <Button
          size="small"
          color="secondary"
          disabled={isHeld}
          onClick={() => void put(alignmentOf(project.id, source, part.id, "bounds"))}
          sx={{ minWidth: 0 }}>
          By box
        </Button>
        <Button
          size="small"
          color="secondary"
          data-test="best-fit"
          disabled={isHeld}
          onClick={() => void put(alignmentOf(project.id, source, part.id, "best_fit"))}
          sx={{ minWidth: 0 }}>
          By surface
        </Button>
        <Button
          size="small"
          color="secondary"
          data-test="by-points"
          aria-pressed={byPoints}
          disabled={isHeld}
          onClick={() => setByPoints(!byPoints)}
          sx={{ minWidth: 0 }}>
          By points
        </Button>
      </Row>
      {byPoints && moving && (
        <ByPoints
          project={project}
          part={part}
          moving={moving}
          busy={busy}
          onPut={async (pairs, scales) => {
            const isDone = await put(alignmentByPairs(project.id, source, { to: part.id, pairs, scales }));
            if (isDone) setByPoints(false);
          }}
        />
      )}
    </>
  );
}

function ByPoints({
  project,
  part,
  moving,
  busy,
  onPut,
}: {
  project: Project;
  part: Part;
  moving: Part;
  busy: boolean;
  onPut: (pairs: [Vec, Vec][], scales: boolean) => Promise<void>;
}) {
  const [pairs, setPairs] = useState<Pair[]>([]);
  const [scales, setScales] = useState(false);
  const whole = pairs.flatMap(({ from, to }) => (from && to ? [[from, to] as [Vec, Vec]] : []));
  const { stage } = project;
  useEffect(() => {
    const take = (_: Vec, on: number, at: Vec) => {
      if (on !== moving.id && on !== part.id) {
        set({ said: { text: `Click ${moving.name} or ${part.name}: other parts do not count.`, bad: false } });
        return;
      }
      const side = on === moving.id ? "from" : "to";
      setPairs((before) => {
        const open = before.findIndex((pair) => pair[side] === null);
        if (open < 0) return [...before, { from: null, to: null, [side]: at }];
        return before.map((pair, i) => (i === open ? { ...pair, [side]: at } : pair));
      });
    };
    const placing = { says: `Click a place on ${moving.name}, and the same one on ${part.name}`, take };
    set({ placing: { ...placing, isMany: true, onAny: true } });
    return () => {
      if (get().placing?.take === take) set({ placing: null });
    };
  }, [moving.id, moving.name, part.id, part.name]);
  useEffect(() => {
    stage.showPlaces(
      null,
      pairs.flatMap(({ from, to }) => [...(from ?? []), ...(to ?? [])]),
    );
    return () => stage.showPlaces(null);
  }, [stage, pairs]);
  const open = pairs.find(({ from, to }) => !from || !to);
  return (
    <Box data-test="pairs" sx={{ pb: 0.5 }}>
      <Typography variant="body2">
        {open
          ? open.from
            ? `Now the same place on ${part.name}.`
            : `Now the same place on ${moving.name}.`
          : whole.length < FEWEST
            ? `Click a place on ${moving.name}, and the same one on ${part.name}: ${count(FEWEST - whole.length)} more ${FEWEST - whole.length === 1 ? "pair" : "pairs"}.`
            : `${count(whole.length)} pairs: more of them even out what is off.`}
      </Typography>
      <Switching label="It may change its size" on={scales} onChange={setScales} />
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button
          size="small"
          variant="outlined"
          data-test="put-by-points"
          disabled={whole.length < FEWEST || busy}
          onClick={() => void onPut(whole, scales)}>
          Put it there
        </Button>
        <Button size="small" color="inherit" disabled={pairs.length === 0} onClick={() => setPairs(pairs.slice(0, -1))}>
          Take one back
        </Button>
      </Box>
    </Box>
  );
}

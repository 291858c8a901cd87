// Fewer triangles for a part: what they would be, asked anew with every turn, and shown on the stage.
import { useEffect, useRef, useState } from "react";
import type { Schemas } from "../../api/client";
import { decimated, sendDecimation } from "../../api/writes";
import { decode } from "../../live/frames";
import { get, LIGHTER, set, useApp, type Part } from "../../model/state";
import type { Project } from "../../project/project";
import { Surface } from "../../stage/surface";

export type Rules = Schemas["DecimationRules"];

/** How long a hand rests before it is asked, in milliseconds: it takes a while. */
const REST = 350;

/** Looks at what rules would make of a part; at nothing while there are none. */
export function useLighter(project: Project, part: Part, rules: Rules | null) {
  const [answer, setAnswer] = useState<{ asked: string; told: Schemas["Decimation"] | null } | null>(null);
  const [trouble, setTrouble] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const under = useRef<AbortController | null>(null);
  const revision = useApp((state) => state.history.revision);
  const asked = rules && JSON.stringify([rules, revision]);
  useEffect(() => {
    if (asked === null) {
      clear(project);
      return;
    }
    const own = new AbortController();
    under.current = own;
    const [wanted] = JSON.parse(asked) as [Rules];
    const timer = setTimeout(() => {
      setBusy(true);
      const order = { rules: wanted, beside: false, look: true };
      void sendDecimation(project.id, part.id, order, own.signal).then(({ data, trouble }) => {
        if (own.signal.aborted) return;
        setBusy(false);
        setAnswer({ asked, told: data });
        setTrouble(trouble);
        if (!data) clear(project);
      });
    }, REST);
    return () => {
      clearTimeout(timer);
      own.abort();
    };
  }, [asked, project, part.id]);
  const seen = answer?.told ?? null;
  // What was asked before is not kept any more.
  const look = answer?.asked === asked ? (seen?.look ?? null) : null;
  const shown = useApp((state) => state.shown);
  useEffect(() => {
    if (look === null) return;
    let isWanted = true;
    void show(project, part, look, shown, () => isWanted);
    return () => {
      isWanted = false;
    };
    // Of the part only its number and the places of its sets are asked for, which go with the revision.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [look, shown, project, part.id]);
  useEffect(() => () => clear(project), [project, part.id]);
  const cancel = () => {
    under.current?.abort();
    setBusy(false);
    setTrouble("It was cancelled: turn something to look again.");
  };
  if (asked === null) return { seen: null, trouble: null, busy: false, cancel };
  return { seen, trouble, busy, cancel };
}

/** Brings the lighter shape to the stage, with what the shown set holds on it. */
async function show(project: Project, part: Part, look: number, shown: number | null, isWanted: () => boolean) {
  const own = part.sets.find((each) => each.id === shown);
  const [shape, values] = await Promise.all([decimated(look), own ? decimated(look, own.id) : null]);
  if (!isWanted() || !shape.data) return;
  const frame = decode(shape.data);
  if (frame?.kind !== "geometry") return;
  const surface = new Surface(frame, "");
  if (own && values?.data) surface.take(own.id, own.placement, new Uint8Array(values.data));
  project.stage.add(LIGHTER, surface);
  set({ lighter: { part: part.id, shows: get().lighter?.shows ?? "after" } });
  project.looks.refresh();
}

/** Shows what is again. */
function clear(project: Project) {
  project.stage.remove(LIGHTER);
  if (get().lighter) set({ lighter: null });
  project.looks.refresh();
}

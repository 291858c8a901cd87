// How a project is printed, kept with it.
import { useEffect } from "react";
import { get, useApp } from "../../model/state";
import type { Project } from "../../project/project";
import { whenRested } from "../../widgets/rest";
import { adopt, isSame, send, setupOf, usePrint, usual } from "./layersInHand";

/** How long a hand rests before the project keeps what it turned, in milliseconds. */
const KEEPING = 900;

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
export function useKept(project: Project | null) {
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

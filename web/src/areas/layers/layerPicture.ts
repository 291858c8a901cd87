// The layer that is looked at as a picture: on its card, and on the model where that is cut.
import { useEffect } from "react";
import { useApp } from "../../model/state";
import type { Project } from "../../project/project";
import { drawn } from "./cells";
import { usePrint, type Told } from "./layersInHand";

type Print = ReturnType<typeof usePrint.getState>;

/** What was drawn last: the card and the stage ask for the same. */
let last: { key: unknown[]; picture: string } | null = null;

function pictureOf({ told, seen, through, marksBelow }: Print): string | null {
  if (!told || seen?.look !== told.look || !seen.cells) return null;
  const key = [told, seen, through, marksBelow];
  if (last?.key.every((own, i) => own === key[i])) return last.picture;
  const insideOf = (layer: number) => {
    const own = told.plan.layers[layer];
    const middle = (own?.bottom ?? 0) + (own?.height ?? 0) / 2;
    const isThrough = through.some(([from, to]) => middle >= from && middle < to);
    return told.inside.kind === "swatch" && !isThrough ? told.inside.swatch : null;
  };
  const picture = drawn(
    seen.cells,
    told.swatches.map(({ color }) => color),
    insideOf(seen.layer),
    marksBelow && seen.below ? { cells: seen.below, inside: insideOf(seen.layer - 1) } : null,
  );
  last = { key, picture };
  return picture;
}

export const useLayerPicture = (): string | null => pictureOf(usePrint());

/** From the plate, in millimetres with z up, to the project. */
const toProject = (told: Told, up: "y" | "z") => (x: number, y: number, z: number) => {
  const [plate = 0, mm = 1] = told.plate;
  return up === "y" ? [x * mm, plate + z * mm, -y * mm] : [x * mm, y * mm, plate + z * mm];
};

/** The stage shows what the layer prints in where the model is cut. */
export function useLayerOnModel(project: Project | null) {
  const picture = useLayerPicture();
  const told = usePrint((print) => print.told);
  const cells = usePrint((print) => print.seen?.cells ?? null);
  const layer = usePrint((print) => print.seen?.layer ?? 0);
  const up = useApp((state) => state.traits.up);
  useEffect(() => {
    if (!project) return;
    const own = told?.plan.layers[layer];
    if (!picture || !told || !cells || !own) {
      project.stage.showSheet(null);
      return;
    }
    const place = toProject(told, up);
    const [x, y] = cells.least;
    const [wide, high] = [cells.across * cells.side, cells.down * cells.side];
    // A hair below the cut, which hides what lies on it.
    const z = own.bottom + 0.999 * own.height;
    project.stage.showSheet({
      picture,
      corners: [place(x, y, z), place(x + wide, y, z), place(x + wide, y + high, z), place(x, y + high, z)].flat(),
    });
  }, [project, picture, told, cells, layer, up]);
  useEffect(() => () => project?.stage.showSheet(null), [project]);
}

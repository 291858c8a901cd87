import type { AreaOfWork } from "../../project/area";
import { BakeTray } from "./BakeTray";
import { Jobs, RecipeChip } from "./Jobs";
import { BakeSheet } from "./RecipeSheet";

export const bake: AreaOfWork = {
  key: "bake",
  title: "Bake",
  Tray: BakeTray,
  Sheet: ({ project }) => project && <BakeSheet project={project} />,
  Overlay: RecipeChip,
  InBar: Jobs,
};

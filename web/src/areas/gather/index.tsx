import type { AreaOfWork } from "../../project/area";
import { GatherSheet, GatherTray } from "./Gather";

export const gather: AreaOfWork = {
  key: "gather",
  title: "Gather",
  Tray: GatherTray,
  Sheet: ({ project }) => project && <GatherSheet project={project} />,
};

import type { AreaOfWork } from "../../project/area";
import { DeliverSheet } from "./DeliverSheet";
import { DeliverTray } from "./DeliverTray";

export const deliver: AreaOfWork = {
  key: "deliver",
  title: "Deliver",
  Tray: ({ id, project }) => <DeliverTray project={id} live={project} />,
  Sheet: ({ id }) => <DeliverSheet project={id} />,
};

import type { AreaOfWork } from "../../project/area";
import { PaintSheet } from "./PaintSheet";
import { PaintTray } from "./Tray";

export const paint: AreaOfWork = { key: "paint", title: "Paint", Tray: PaintTray, trayGap: 1.125, Sheet: PaintSheet };

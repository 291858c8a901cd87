import type { AreaOfWork } from "../../project/area";
import { LayerCard } from "./LayerCard";
import { LayersSheet } from "./LayersSheet";
import { LayersTray } from "./LayersTray";

export const layers: AreaOfWork = {
  key: "layers",
  title: "Layers",
  Tray: LayersTray,
  trayGap: 0,
  Sheet: LayersSheet,
  Overlay: LayerCard,
};

// What an area of work puts where in an open project: each area is a folder that says so, and a line in the workbench.
import type { ComponentType } from "react";
import type { Area } from "../model/choices";
import type { Project } from "./project";

export interface InArea {
  /** The number of the project, which is there before the project itself is. */
  id: number;
  project: Project | null;
  /** Asks for files to bring in. */
  onBring: () => void;
}

export interface AreaOfWork {
  key: Area;
  title: string;
  /** Below the stage. */
  Tray: ComponentType<InArea>;
  /** How far apart things stand in it, in steps of the theme. */
  trayGap?: number;
  /** Below the channel board. */
  Sheet: ComponentType<InArea>;
  /** Over the stage. */
  Overlay?: ComponentType<{ project: Project | null }>;
  /** In the bar above, whatever area is open. */
  InBar?: ComponentType<{ project: Project | null }>;
}

// Every key there is, in one list: what it does, and how the sheet of shortcuts tells it.
import type { Project } from "./project";
import { get, set, setBrush, setLook, type Area } from "./state";
import type { Axis } from "./stage/stage";

export interface Shortcut {
  /** As `KeyboardEvent.key`, in lower case; with "ctrl+" and "shift+" before it. */
  keys: string[];
  /** As the sheet shows it. */
  shown: string;
  group: string;
  says: string;
  run?: (project: Project) => void;
}

const TURN = Math.PI / 24;
const axis = (key: string, way: Axis, says: string): Shortcut => ({ keys: [key], shown: key, group: "Camera", says, run: (project) => project.stage.frame(undefined, way) });
const area = (key: string, to: Area, says: string): Shortcut => ({ keys: [`alt+${key}`], shown: `Alt ${key}`, group: "Areas", says, run: () => set({ area: to }) });

const pourSays = {
  crease: "Crease pour: up to where the surface bends",
  patch: "Patch pour: what has the same value here",
  piece: "Piece pour: one connected piece",
  all: "Pour over all of the part",
};

/** Scales the brush, in whichever measure it is in. */
export function scaleRadius(factor: number) {
  const { brush } = get();
  setBrush(brush.on_screen ? { pixels: Math.min(2000, Math.max(1, brush.pixels * factor)) } : { radius: brush.radius * factor });
}

export const shortcuts: Shortcut[] = [
  { keys: ["ctrl+z"], shown: "Ctrl Z", group: "History", says: "Undo", run: (project) => project.undo() },
  { keys: ["ctrl+shift+z", "ctrl+y"], shown: "Ctrl Shift Z", group: "History", says: "Redo", run: (project) => project.redo() },
  { keys: ["["], shown: "[", group: "Brush", says: "Smaller radius", run: () => scaleRadius(1 / 1.15) },
  { keys: ["]"], shown: "]", group: "Brush", says: "Larger radius", run: () => scaleRadius(1.15) },
  { keys: [], shown: "hold R, move", group: "Brush", says: "Radius, by moving sideways on the stage" },
  { keys: [], shown: "hold O, move", group: "Brush", says: "Opacity, likewise" },
  { keys: [], shown: "hold H, move", group: "Brush", says: "Hardness, likewise" },
  { keys: ["k"], shown: "K", group: "Brush", says: "Skin stroke: the visible surface in the circle", run: () => { set({ tool: "stroke" }); setBrush({ reach: "skin" }); } },
  { keys: ["d"], shown: "D", group: "Brush", says: "Deep stroke: everything within the radius", run: () => { set({ tool: "stroke" }); setBrush({ reach: "deep" }); } },
  { keys: ["t"], shown: "T", group: "Brush", says: "Facet stroke: every face the pointer crosses", run: () => { set({ tool: "stroke" }); setBrush({ reach: "facet" }); } },
  { keys: ["n"], shown: "N", group: "Brush", says: "Corner stroke: the nearest corner of each face", run: () => { set({ tool: "stroke" }); setBrush({ reach: "corner" }); } },
  ...(["crease", "patch", "piece", "all"] as const).map((kind, i): Shortcut => ({ keys: [`shift+${"ctia"[i] ?? ""}`], shown: `Shift ${"CTIA"[i] ?? ""}`, group: "Brush", says: pourSays[kind], run: () => set({ tool: "pour", pour: { ...get().pour, kind } }) })),
  { keys: ["e"], shown: "E", group: "Brush", says: "Erase to the ground color, or paint again", run: () => set({ action: get().action === "erase" ? "paint" : "erase" }) },
  { keys: [], shown: "hold P, click", group: "Parts", says: "Choose the part under the pointer; in Gather a plain click does" },
  { keys: ["f"], shown: "F", group: "Camera", says: "Frame everything", run: (project) => project.stage.frame() },
  { keys: ["shift+f"], shown: "Shift F", group: "Camera", says: "Frame the active part", run: (project) => { const { part } = get(); if (part !== null) project.stage.frame([part]); } },
  axis("1", "front", "From the front"), axis("2", "right", "From the right"), axis("3", "back", "From the back"),
  axis("4", "left", "From the left"), axis("5", "above", "From above"), axis("6", "below", "From below"),
  { keys: ["v"], shown: "V", group: "Camera", says: "Perspective or parallel lines of sight", run: () => setLook({ parallel: !get().look.parallel }) },
  { keys: ["arrowleft"], shown: "←", group: "Camera", says: "Turn left", run: (project) => project.stage.turn(-TURN, 0) },
  { keys: ["arrowright"], shown: "→", group: "Camera", says: "Turn right", run: (project) => project.stage.turn(TURN, 0) },
  { keys: ["arrowup"], shown: "↑", group: "Camera", says: "Turn up", run: (project) => project.stage.turn(0, -TURN) },
  { keys: ["arrowdown"], shown: "↓", group: "Camera", says: "Turn down", run: (project) => project.stage.turn(0, TURN) },
  { keys: ["+", "="], shown: "+", group: "Camera", says: "Closer", run: (project) => project.stage.turn(0, 0, 0.9) },
  { keys: ["-"], shown: "−", group: "Camera", says: "Farther", run: (project) => project.stage.turn(0, 0, 1.1) },
  { keys: ["l"], shown: "L", group: "Looks", says: "Lit, or flat with the exact values", run: () => setLook({ shade: get().look.shade === "lit" ? "flat" : "lit" }) },
  { keys: ["w"], shown: "W", group: "Looks", says: "Wireframe over the surface", run: () => setLook({ wire: !get().look.wire }) },
  { keys: ["c"], shown: "C", group: "Looks", says: "Next channel alone in grey, then all", run: () => { const { channel } = get().look; const next = typeof channel === "number" ? channel + 1 : 0; setLook({ channel: next > 3 ? null : next }); } },
  area("1", "gather", "Gather"), area("2", "paint", "Paint"), area("3", "deliver", "Deliver"),
  { keys: ["?", "shift+?"], shown: "?", group: "Help", says: "This sheet", run: () => set({ shortcuts: true }) },
];

function nameOf(event: KeyboardEvent): string {
  const parts = [];
  if (event.ctrlKey || event.metaKey) parts.push("ctrl");
  if (event.altKey) parts.push("alt");
  if (event.shiftKey) parts.push("shift");
  parts.push(event.key.toLowerCase());
  return parts.join("+");
}

/** Keys held down on the stage, for gestures. */
export const held = new Set<string>();

/** Listens for the keys until told to stop. */
export function listen(project: Project): () => void {
  const down = (event: KeyboardEvent) => {
    const on = event.target as HTMLElement;
    if (on.closest("input, textarea, [role=listbox], [role=menu], [role=dialog], [role=slider], [role=combobox]")) return;
    const name = nameOf(event);
    if (["r", "o", "h", "p"].includes(name)) held.add(name);
    const found = shortcuts.find((shortcut) => shortcut.keys.includes(name));
    if (!found?.run) return;
    found.run(project);
    event.preventDefault();
  };
  const up = (event: KeyboardEvent) => held.delete(event.key.toLowerCase());
  const lost = () => held.clear();
  window.addEventListener("keydown", down);
  window.addEventListener("keyup", up);
  window.addEventListener("blur", lost);
  return () => {
    window.removeEventListener("keydown", down);
    window.removeEventListener("keyup", up);
    window.removeEventListener("blur", lost);
    held.clear();
  };
}

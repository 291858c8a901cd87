// Every key there is, in one list: what it does, and how the sheet of shortcuts tells it.
import type { Project } from "./project";
import { activePart, get, maskOf, isSwatches, set, setBrush, setLook, setSpan, snapshotNames } from "../model/state";
import type { Area, SpanKind, Tool } from "../model/choices";
import { MOST_PAINTED } from "../model/swatches";
import type { Axis } from "../stage/eye";

export interface Shortcut {
  /** As `KeyboardEvent.key`, in lower case; with "ctrl+" and "shift+" before it. */
  keys: string[];
  /** As the sheet shows it. */
  shown: string;
  group: string;
  says: string;
  run?: (project: Project) => void;
  /** Whether it goes on while the key is held. */
  again?: boolean;
  /** When the key is let go. */
  lift?: () => void;
}

const TURN = Math.PI / 24;
const axis = (key: string, way: Axis, says: string): Shortcut => ({
  keys: [`shift+digit${key}`],
  shown: `Shift ${key}`,
  group: "Camera",
  says,
  run: (project) => project.stage.eye.frame(undefined, way),
});
const take = (tool: Tool) => set({ tool, picking: false });
const span = (key: string, kind: SpanKind, says: string): Shortcut => ({
  keys: [`shift+${key}`],
  shown: `Shift ${key.toUpperCase()}`,
  group: "Tools",
  says,
  run: () => {
    take("span");
    setSpan({ kind });
  },
});
const area = (key: string, to: Area, says: string): Shortcut => ({
  keys: [`alt+${key}`],
  shown: `Alt ${key}`,
  group: "Areas",
  says,
  run: () => set({ area: to }),
});

const pourSays = {
  crease: "Crease pour: up to where the surface bends",
  patch: "Patch pour: what has the same value here",
  piece: "Piece pour: one connected piece",
  all: "Pour over all of the part",
};

/** Paints with a swatch of the palette. */
function takeSwatch(index: number) {
  const { swatches, paint } = get();
  const swatch = swatches[index];
  if (!swatch) {
    set({ said: { text: `The palette has no color ${index + 1} yet: add the paint to it under Palette.`, bad: true } });
    return;
  }
  if (isSwatches(get())) {
    const { number = 0 } = swatch;
    if (number > 0) set({ swatch: number, action: "paint" });
    else
      set({ said: { text: `Faces are painted in the first ${MOST_PAINTED} of the palette: move it up.`, bad: true } });
    return;
  }
  const [r = 0, g = 0, b = 0] = swatch.color;
  set({ paint: [r, g, b, paint[3]] });
}

/** Shows what was while the key is held. */
function flip() {
  const { wipe, parts } = get();
  const name = wipe?.snapshot ?? snapshotNames(parts).at(-1);
  if (name === undefined)
    set({ said: { text: "There is no snapshot to flip to yet: take one under Views.", bad: true } });
  else if (get().flipped !== name) set({ flipped: name });
}

/** Hides all but the active part, or shows everything again. */
function isolate(project: Project) {
  const { parts, part } = get();
  const others = parts.filter((other) => other.id !== part);
  const hide = others.some((other) => other.visible);
  const changed = others.filter((other) => other.visible === hide).map((other) => other.id);
  if (changed.length > 0) void project.edit({ type: "show_parts", parts: changed, visible: !hide });
}

/** Scales the brush, in whichever measure it is in. */
export function scaleRadius(factor: number) {
  const { brush } = get();
  setBrush(
    brush.on_screen
      ? { pixels: Math.min(2000, Math.max(1, brush.pixels * factor)) }
      : { radius: brush.radius * factor },
  );
}

export const shortcuts: Shortcut[] = [
  { keys: ["ctrl+z"], shown: "Ctrl Z", group: "History", says: "Undo", again: true, run: (project) => project.undo() },
  {
    keys: ["ctrl+shift+z", "ctrl+y"],
    shown: "Ctrl Shift Z",
    group: "History",
    says: "Redo",
    again: true,
    run: (project) => project.redo(),
  },
  { keys: ["["], shown: "[", group: "Brush", says: "Smaller radius", again: true, run: () => scaleRadius(1 / 1.15) },
  { keys: ["]"], shown: "]", group: "Brush", says: "Larger radius", again: true, run: () => scaleRadius(1.15) },
  { keys: [], shown: "hold R, move", group: "Brush", says: "Radius, by moving sideways on the stage" },
  { keys: [], shown: "hold O, move", group: "Brush", says: "Opacity, likewise" },
  { keys: [], shown: "hold H, move", group: "Brush", says: "Hardness, likewise" },
  {
    keys: ["k"],
    shown: "K",
    group: "Brush",
    says: "Skin stroke: the visible surface in the circle",
    run: () => {
      take("stroke");
      setBrush({ reach: "skin" });
    },
  },
  {
    keys: ["d"],
    shown: "D",
    group: "Brush",
    says: "Deep stroke: everything within the radius",
    run: () => {
      take("stroke");
      setBrush({ reach: "deep" });
    },
  },
  {
    keys: ["t"],
    shown: "T",
    group: "Brush",
    says: "Facet stroke: every face the pointer crosses",
    run: () => {
      take("stroke");
      setBrush({ reach: "facet" });
    },
  },
  {
    keys: ["n"],
    shown: "N",
    group: "Brush",
    says: "Corner stroke: the nearest corner of each face",
    run: () => {
      take("stroke");
      setBrush({ reach: "corner" });
    },
  },
  ...(["crease", "patch", "piece", "all"] as const).map((kind, i): Shortcut => ({
    keys: [`shift+${"ctia"[i] ?? ""}`],
    shown: `Shift ${"CTIA"[i] ?? ""}`,
    group: "Tools",
    says: pourSays[kind],
    run: () => {
      take("pour");
      set({ pour: { ...get().pour, kind } });
    },
  })),
  span("b", "band", "Band: between two heights, by dragging or by numbers"),
  span("g", "gradient", "Gradient: from one point to another"),
  span("s", "solid", "Solid: inside a placed shape"),
  span("l", "lasso", "Lasso: inside an outline on the screen"),
  {
    keys: ["m"],
    shown: "M",
    group: "Tools",
    says: "Soften: mixes what lies side by side",
    run: () => {
      take("tidy");
      set({ tidy: "soften" });
    },
  },
  {
    keys: ["shift+m"],
    shown: "Shift M",
    group: "Tools",
    says: "Smear: carries color along",
    run: () => {
      take("tidy");
      set({ tidy: "smear" });
    },
  },
  {
    keys: ["enter"],
    shown: "Enter",
    group: "Tools",
    says: "Lay the span on that was drawn",
    run: (project) => {
      if (get().tool === "span" && get().spanReady) void project.fill(null);
    },
  },
  {
    keys: ["escape"],
    shown: "Esc",
    group: "Tools",
    says: "Let go of a span, of a grip, or of taking a color",
    run: (project) => {
      set({ spanReady: false, picking: false, placing: null, grip: null });
      project.endFootprint();
    },
  },
  {
    keys: ["delete"],
    shown: "Delete",
    group: "Tools",
    says: "Take the volume in hand away",
    run: (project) => {
      const { area, sheet, volumes, volume } = get();
      const others = volumes.filter(({ id }) => id !== volume);
      if (area === "paint" && sheet === "volumes" && others.length < volumes.length)
        void project.edit({ type: "set_volumes", volumes: others });
    },
  },
  {
    keys: ["g"],
    shown: "G",
    group: "Tools",
    says: "Repeat the last fill or adjustment, on what is chosen now",
    run: (project) => void project.repeat(),
  },
  {
    keys: ["u"],
    shown: "U",
    group: "Tools",
    says: "Tools write into the selection, the mask, or the set again",
    run: () => {
      const part = activePart(get());
      const ways = [
        "set",
        ...(part?.helpers.some((helper) => helper.role === "selection") ? ["selection"] : []),
        ...(maskOf(part) ? ["mask"] : []),
      ] as const;
      set({ into: (ways[(ways.indexOf(get().into) + 1) % ways.length] ?? "set") as "set" | "selection" | "mask" });
    },
  },
  {
    keys: ["e"],
    shown: "E",
    group: "Brush",
    says: "Erase to the ground color, or paint again",
    run: () => set({ action: get().action === "erase" ? "paint" : "erase" }),
  },
  {
    keys: ["x"],
    shown: "X",
    group: "Color",
    says: "Swap the paint with the second color, or the two swatches at hand",
    run: () => {
      const { paint, second, swatch, secondSwatch } = get();
      if (isSwatches(get())) set({ swatch: secondSwatch, secondSwatch: swatch });
      else set({ paint: second, second: paint });
    },
  },
  { keys: [], shown: "second button", group: "Color", says: "On a set of swatches: paint or pour the second one" },
  {
    keys: ["i"],
    shown: "I",
    group: "Color",
    says: "Take a color from the model or the pinned picture",
    run: () => set({ picking: !get().picking }),
  },
  ...Array.from({ length: 9 }, (_, i): Shortcut => ({
    keys: [`digit${i + 1}`],
    shown: i === 0 ? "1 to 9" : "",
    group: "Color",
    says: i === 0 ? "Paint with that color of the palette" : "",
    run: () => takeSwatch(i),
  })),
  { keys: [], shown: "↑ ↓", group: "Bake", says: "On a step's grip: move the step" },
  { keys: [], shown: "arrows", group: "Bake", says: "On a point of a curve: move it, ten times as far with Shift" },
  {
    keys: [],
    shown: "Space, Delete",
    group: "Bake",
    says: "On a point of a curve: break the curve there, take the point out",
  },
  { keys: [], shown: "hold S, move", group: "Stencil", says: "Move a stencil that lies on the screen" },
  { keys: [], shown: "hold Z, move", group: "Stencil", says: "Its size" },
  { keys: [], shown: "hold Y, move", group: "Stencil", says: "Its turn" },
  {
    keys: ["q"],
    shown: "Q",
    group: "Looks",
    says: "List what every corner under the pointer holds",
    run: () => set({ listing: !get().listing, corners: null }),
  },
  {
    keys: ["b"],
    shown: "hold B",
    group: "Looks",
    says: "Flip to the snapshot of the wipe, or to the last one",
    run: flip,
    lift: () => set({ flipped: null }),
  },
  {
    keys: ["j"],
    shown: "J",
    group: "Parts",
    says: "Hide the active part, or show it",
    run: (project) => {
      const part = activePart(get());
      if (part) void project.edit({ type: "show_parts", parts: [part.id], visible: !part.visible });
    },
  },
  {
    keys: ["shift+j"],
    shown: "Shift J",
    group: "Parts",
    says: "Hide all other parts, or show them again",
    run: isolate,
  },
  {
    keys: [],
    shown: "hold P, click",
    group: "Parts",
    says: "Choose the part under the pointer; in Gather a plain click does",
  },
  { keys: ["f"], shown: "F", group: "Camera", says: "Frame everything", run: (project) => project.stage.eye.frame() },
  {
    keys: ["shift+f"],
    shown: "Shift F",
    group: "Camera",
    says: "Frame the active part",
    run: (project) => {
      const { part } = get();
      if (part !== null) project.stage.eye.frame([part]);
    },
  },
  axis("1", "front", "From the front"),
  axis("2", "right", "From the right"),
  axis("3", "back", "From the back"),
  axis("4", "left", "From the left"),
  axis("5", "above", "From above"),
  axis("6", "below", "From below"),
  {
    keys: ["v"],
    shown: "V",
    group: "Camera",
    says: "Perspective or parallel lines of sight",
    run: () => setLook({ parallel: !get().look.parallel }),
  },
  {
    keys: ["arrowleft"],
    shown: "←",
    group: "Camera",
    says: "Turn left",
    again: true,
    run: (project) => project.stage.eye.turn(-TURN, 0),
  },
  {
    keys: ["arrowright"],
    shown: "→",
    group: "Camera",
    says: "Turn right",
    again: true,
    run: (project) => project.stage.eye.turn(TURN, 0),
  },
  {
    keys: ["arrowup"],
    shown: "↑",
    group: "Camera",
    says: "Turn up",
    again: true,
    run: (project) => project.stage.eye.turn(0, -TURN),
  },
  {
    keys: ["arrowdown"],
    shown: "↓",
    group: "Camera",
    says: "Turn down",
    again: true,
    run: (project) => project.stage.eye.turn(0, TURN),
  },
  {
    keys: ["+", "="],
    shown: "+",
    group: "Camera",
    says: "Closer",
    again: true,
    run: (project) => project.stage.eye.turn(0, 0, 0.9),
  },
  {
    keys: ["-"],
    shown: "−",
    group: "Camera",
    says: "Farther",
    again: true,
    run: (project) => project.stage.eye.turn(0, 0, 1.1),
  },
  {
    keys: ["l"],
    shown: "L",
    group: "Looks",
    says: "Lit, or flat with the exact values",
    run: () => setLook({ shade: get().look.shade === "lit" ? "flat" : "lit" }),
  },
  {
    keys: ["w"],
    shown: "W",
    group: "Looks",
    says: "Wireframe over the surface",
    run: () => setLook({ wire: !get().look.wire }),
  },
  {
    keys: ["c"],
    shown: "C",
    group: "Looks",
    says: "Next channel alone in grey, then all",
    run: () => {
      const { channel } = get().look;
      const next = typeof channel === "number" ? channel + 1 : 0;
      setLook({ channel: next > 3 ? null : next });
    },
  },
  area("1", "gather", "Gather"),
  area("2", "bake", "Bake"),
  area("3", "paint", "Paint"),
  area("4", "proof", "Proof"),
  area("5", "layers", "Layers"),
  area("6", "deliver", "Deliver"),
  { keys: ["?", "shift+?"], shown: "?", group: "Help", says: "This sheet", run: () => set({ shortcuts: true }) },
];

function nameOf(event: KeyboardEvent): string {
  const parts = [];
  if (event.ctrlKey || event.metaKey) parts.push("ctrl");
  if (event.altKey) parts.push("alt");
  if (event.shiftKey) parts.push("shift");
  // Digits by their place, since Shift makes other signs of them.
  const digit = /^Digit(\d)$/.exec(event.code)?.[1];
  const isPlain = digit !== undefined && !event.altKey && (event.shiftKey || event.key === digit);
  parts.push(isPlain ? `digit${digit}` : event.key.toLowerCase());
  return parts.join("+");
}

/** Keys held down on the stage, for gestures. */
export const held = new Set<string>();

/** Listens for the keys until told to stop. */
export function listen(project: Project): () => void {
  const down = (event: KeyboardEvent) => {
    const on = event.target as HTMLElement;
    if (
      on.closest(
        "input, textarea, [role=listbox], [role=menu], [role=dialog], [role=slider], [role=combobox], select, [contenteditable]",
      )
    )
      return;
    const name = nameOf(event);
    if (["r", "o", "h", "p", "s", "z", "y"].includes(name)) held.add(name);
    const found = shortcuts.find((shortcut) => shortcut.keys.includes(name));
    if (!found?.run) return;
    // A button or link that has the focus is pressed by Enter.
    if (event.key === "Enter" && on.closest("button, [role=button], a[href]")) return;
    event.preventDefault();
    // A key that rests does a thing once, but for what one walks along with it.
    if (event.repeat && !found.again) return;
    found.run(project);
  };
  const up = (event: KeyboardEvent) => {
    const key = event.key.toLowerCase();
    held.delete(key);
    shortcuts.find((shortcut) => shortcut.lift && shortcut.keys.includes(key))?.lift?.();
  };
  const lost = () => {
    held.clear();
    set({ flipped: null });
  };
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

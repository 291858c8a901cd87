// From what the user has chosen to what goes over the wire.
import type { Schemas } from "../api/client";
import type { HandAt } from "../stage/handAt";
import type { Stage } from "../stage/stage";
import { activePart, chosenSelection, intoSet, isSwatches, type Part, type State } from "../model/state";
import type { PourChoice, SpanChoice, Vec } from "../model/choices";

const axes: Record<"x" | "y" | "z", Vec> = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] };

/** Which way a band or gradient runs. */
export const directionOf = (span: SpanChoice): Vec => (span.axis === "drawn" ? span.direction : axes[span.axis]);

const dot = (a: readonly number[], b: readonly number[]) => a.reduce((sum, x, i) => sum + x * (b[i] ?? 0), 0);

/** The corners of a part's bounds, in the project's space. */
function cornersOf(part: Part): Vec[] {
  const { min, max, matrix: m } = part;
  return Array.from({ length: 8 }, (_, bits) => {
    const [x, y, z] = [0, 1, 2].map((i) => ((bits >> i) & 1 ? max[i] : min[i]) ?? 0) as Vec;
    return [0, 1, 2].map(
      (row) => (m[row] ?? 0) * x + (m[4 + row] ?? 0) * y + (m[8 + row] ?? 0) * z + (m[12 + row] ?? 0),
    ) as Vec;
  });
}

/** Where a part begins and ends along a direction. */
export function extentOf(part: Part, direction: Vec): [number, number] {
  const along = cornersOf(part).map((corner) => dot(corner, direction));
  return [Math.min(...along), Math.max(...along)];
}

/** The middle of a part, and its size along each axis. */
export function boxOf(part: Part): { center: Vec; size: Vec } {
  const sides = (["x", "y", "z"] as const).map((axis) => extentOf(part, axes[axis]));
  return {
    center: sides.map(([low, high]) => (low + high) / 2) as Vec,
    size: sides.map(([low, high]) => high - low) as Vec,
  };
}

/** A band's or gradient's numbers: typed, dragged, or the middle third of the part. */
export function rangeOf(span: SpanChoice, part: Part): [number, number] {
  const [low, high] = extentOf(part, directionOf(span));
  const third = (high - low) / 3;
  return [span.from ?? low + third, span.to ?? high - third];
}

/** The pour in hand on a part. */
function pourRegion({ kind, degrees, tolerance }: PourChoice, part: Part, state: State): Schemas["Region"] | null {
  switch (kind) {
    case "crease":
      return { type: kind, degrees: degrees ?? part.crease };
    case "patch":
      return { type: kind, tolerance };
    case "chosen": {
      const selection = chosenSelection(state);
      return selection ? { type: "chosen", set: selection.id } : null;
    }
    default:
      return { type: kind };
  }
}

/** The span in hand on a part; null while it has no place yet. */
function spanRegion(span: SpanChoice, part: Part): Schemas["Region"] | null {
  const direction = directionOf(span);
  const [from, to] = rangeOf(span, part);
  const at = (distance: number): Vec => {
    const square = dot(direction, direction);
    return direction.map((x) => (x * distance) / square) as Vec;
  };
  switch (span.kind) {
    case "band":
      return { type: "band", direction, from: Math.min(from, to), to: Math.max(from, to), soft: span.soft };
    case "gradient":
      return { type: "gradient", from: at(from), to: at(to) };
    case "solid": {
      const { center } = boxOf(part);
      const half = span.size.map((side) => side / 2) as Vec;
      return {
        type: "solid",
        solid: span.shape,
        soft: span.softShare,
        transform: { translation: span.center ?? center, rotation_degrees: span.turn, scale: half },
      };
    }
    case "lasso":
      return span.drawn?.type === "lasso" ? { ...span.drawn, through: span.through } : null;
  }
}

/** The region of the pour or span in hand. */
export function regionOf(state: State): Schemas["Region"] | null {
  const part = activePart(state);
  if (!part) return null;
  return state.tool === "span" ? spanRegion(state.span, part) : pourRegion(state.pour, part, state);
}

export function cutawayOf({ cutaway }: State): Schemas["Cutaway"] | null {
  const { on, normal, offset, covers_hidden } = cutaway;
  return on ? { normal, offset, covers_hidden } : null;
}

function stencilOf(state: State, stage: Stage): Schemas["StencilUse"] | null {
  const { stencil } = state;
  if (!stencil || state.into !== "set") return null;
  const { id, turn, repeat, invert, width, at } = stencil;
  const common = { stencil: id, turn, repeat, invert };
  if (stencil.lay === "uv") return { ...common, lay: { type: "uv", uv_set: 0, width: width.uv } };
  if (stencil.lay === "axes") return { ...common, lay: { type: "axes", width: width.axes } };
  const { screen, middle, perPixel } = stage.eye.screen();
  return {
    ...common,
    lay: {
      type: "screen",
      screen,
      middle: [middle[0] + at.x * perPixel, middle[1] - at.y * perPixel],
      width: width.screen * perPixel,
    },
  };
}

/** The state with the second swatch in hand, where that is meant. */
export const inHand = (state: State, second: boolean): State =>
  second ? { ...state, swatch: state.secondSwatch, action: "paint" } : state;

/** Why nothing can be painted now; null when all is well. */
export function whyNotPaint(state: State): string | null {
  const part = activePart(state);
  const target = intoSet(state);
  return !part || !target
    ? "This part has no color set yet: add one on the channel board, then paint."
    : state.into === "set" && target.encoding !== "swatch" && state.channels.every((chosen) => !chosen)
      ? "No channel is chosen: choose R, G, B or A on the channel board."
      : state.connected !== true
        ? "The server is not connected: painting goes on when it is back."
        : part.locked
          ? `${part.name} is locked: unlock it in Gather first.`
          : null;
}

/** What is laid on, and where; null when there is nothing to write into. */
export function coatOf(state: State, stage: Stage): Schemas["Coat"] | null {
  const part = activePart(state);
  const into = intoSet(state);
  if (!part || !into) return null;
  const isHelper = state.into !== "set";
  const action = state.tool === "tidy" ? state.tidy : state.action;
  const { value } = state;
  const isPainted = into.encoding === "swatch";
  const number = state.swatch / 255;
  return {
    part: part.id,
    set: into.id,
    // Helpers hold their numbers in the first channel.
    channels: isHelper ? [true, false, false, false] : isPainted ? [true, true, true, true] : state.channels,
    action,
    blend: isHelper || isPainted ? "normal" : state.blend,
    paint: isHelper
      ? [1, 0, 0, 0]
      : isPainted
        ? [number, number, number, number]
        : into.encoding === "data"
          ? [value, value, value, value]
          : state.paint,
    all_parts: state.allParts,
    stencil: stencilOf(state, stage),
    cutaway: cutawayOf(state),
  };
}

export function strokeOf(state: State, stage: Stage): Schemas["StrokeStart"] | null {
  const coat = coatOf(state, stage);
  if (!coat) return null;
  // Tidying goes by the circle.
  const reach = state.tool === "tidy" && state.brush.reach !== "deep" ? "skin" : state.brush.reach;
  // A face is painted in a swatch or not: as far as the circle goes.
  const whole = isSwatches(state) ? { opacity: 1, hardness: 1, build_up: "stroke" as const } : {};
  return {
    ...coat,
    brush: stage.eye.brush({ ...state.brush, reach, ...whole }),
    view: stage.eye.view(),
    mirror: state.mirror,
  };
}

export function fillOf(state: State, stage: Stage, at: HandAt | null): Schemas["Fill"] | null {
  const coat = coatOf(state, stage);
  const region = regionOf(state);
  if (!coat || !region) return null;
  const afresh = state.into !== "set" && state.afresh && state.action === "paint";
  const crisp =
    state.tool === "span" ? state.span.crisp && canBeCrisp(state.span) : state.pour.crisp && pourCanBeCrisp(state);
  const opacity = isSwatches(state) ? 1 : state.brush.opacity;
  return { ...coat, opacity, region, at: at && stage.eye.sample(at), afresh, crisp };
}

/** Whether a pour ends at edges beyond which its paint fades: of what belongs to vertices. */
export const pourCanBeCrisp = (state: State): boolean =>
  state.tool === "pour" && state.pour.kind === "crease" && intoSet(state)?.placement === "vertex";

/** Whether a span ends at a line that faces can be cut along. */
export const canBeCrisp = (span: SpanChoice): boolean =>
  span.kind === "lasso" || (span.kind === "band" && span.soft === 0) || (span.kind === "solid" && span.softShare === 0);

/** A fill or an adjustment once more, on what is chosen now; why it cannot be; null where nothing can. */
export function editAgain(last: Schemas["Edit"], state: State): Schemas["Edit"] | string | null {
  const part = activePart(state);
  const into = intoSet(state);
  if (!part || !into) return null;
  const channels = state.into === "set" ? state.channels : [true, false, false, false];
  const target = { part: part.id, set: into.id, channels };
  if (last.type === "fill") return { type: "fill", fill: { ...last.fill, ...target } };
  if (last.type !== "adjust") return null;
  const selection = chosenSelection(state);
  const isWithin = last.adjustment.within != null;
  if (isWithin && !selection)
    return "That was within a selection, and none is chosen now: choose one under Select, then repeat it.";
  const within = selection && isWithin ? selection.id : null;
  return { type: "adjust", adjustment: { ...last.adjustment, ...target, within } };
}

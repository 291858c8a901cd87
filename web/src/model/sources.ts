// What the steps of recipes start from, in the words the user reads.
import type { Schemas } from "../api/client";
import { facts, get, type ColorSet, type Part } from "./state";
import { channelName } from "./theme";
import { figure, symbols } from "./words";

export type Source = Schemas["RecipeSource"];
export type Kind = Source["kind"];
export type Direction = Schemas["Direction"];
export type Root = Schemas["Root"];
type Target = Schemas["Target"];

/** The families of sources, as the tray shows them. */
export const families = [
  {
    key: "form",
    title: "Form",
    kinds: ["occlusion", "open_way", "hollows", "ridges", "relief", "edges", "thickness", "openness", "light"],
  },
  { key: "place", title: "Place", kinds: ["facing", "height_ramp", "between", "position", "normal"] },
  { key: "ways", title: "Ways", kinds: ["distance", "trail", "line", "rim", "joint"] },
  { key: "weather", title: "Weather", kinds: ["streaks", "dust", "waterline", "wear"] },
  { key: "chance", title: "Chance", kinds: ["noise", "pattern", "per_piece", "per_piece_shift"] },
  {
    key: "given",
    title: "Given",
    kinds: ["image", "channel", "from_part", "material", "constant", "color", "pivot", "piece_number", "hand_paint"],
  },
] as const satisfies readonly { key: string; title: string; kinds: readonly Kind[] }[];

export const sourceWords: Record<Kind, { title: string; says: string }> = {
  occlusion: {
    title: "Occlusion",
    says: "How open the surface is to what is around: 1 in the open, 0 where no light gets in.",
  },
  open_way: {
    title: "Open way",
    says: "Which way it is open: the mean of the ways where nothing is met, x, y and z about a neutral of 0.5.",
  },
  hollows: {
    title: "Hollows",
    says: "Where the surface goes in: 0 where it is flat, 1 in a groove as tight as the scale.",
  },
  ridges: { title: "Ridges", says: "Where it stands out: 0 where it is flat, 1 on a ridge as tight as the scale." },
  relief: {
    title: "Relief",
    says: "Hollow or out as one number: 0.5 where it is flat, 1 on a ridge as tight as the scale, 0 in such a groove.",
  },
  edges: { title: "Edges", says: "How near an edge is at which the surface bends by more than an angle." },
  thickness: { title: "Thickness", says: "How thick the body is inwards." },
  openness: { title: "Openness", says: "How much of a light in the distance is seen: a soft shadow." },
  light: {
    title: "Light",
    says: "The light that falls on it: lamps with soft shadows, the sky, what others give on, what comes through.",
  },
  streaks: {
    title: "Streaks",
    says: "Where water runs down: the steepest way, over edges, into hollows; 1 along a run, less towards its end.",
  },
  dust: {
    title: "Dust",
    says: "How much settles: less on what is steep or covered, more where the wind does not get.",
  },
  waterline: { title: "Waterline", says: "What stood in water: 1 below a height, with a rim that splashed higher." },
  wear: {
    title: "Wear",
    says: "Edges and ridges rubbed off by what gets at them: 1 along a square edge, broken up where it is weak.",
  },
  line: {
    title: "Line",
    says: "A line that you draw on the surface: how far it is along the surface, or how far along the line.",
  },
  rim: {
    title: "Rim",
    says: "How far the rim of a selection is, along the surface: 0.5 on it, more within, less outside.",
  },
  pattern: { title: "Pattern", says: "What comes again and again: waves, stripes, checks, bricks." },
  pivot: { title: "Pivot", says: "Where each piece is moored: x, y and z within a box." },
  piece_number: { title: "Piece no.", says: "The number of each piece, from 0, as 8 or 16 bits hold it." },
  facing: { title: "Facing", says: "How much it faces a direction." },
  height_ramp: { title: "Height", says: "From 0 to 1 along a direction." },
  between: { title: "Between", says: "From 0 at one point to 1 at another." },
  distance: { title: "Distance", says: "The straight distance from a point, a selection, an edge or another part." },
  trail: { title: "Trail", says: "The distance along the surface from a root: 0 there, 1 at the far end." },
  joint: { title: "Joint", says: "How near others are: 1 where parts, pieces or materials meet." },
  position: { title: "Position", says: "Where it is: x, y and z within the part's box." },
  normal: { title: "Normal", says: "Which way it looks: x, y and z." },
  noise: { title: "Noise", says: "Random numbers that hang together." },
  per_piece: { title: "Per piece", says: "A random number for each piece, material or part." },
  per_piece_shift: {
    title: "Color shift",
    says: "A random shift of lightness, chroma and hue for each piece, around a neutral of 0.5.",
  },
  image: { title: "Image", says: "The colors of an image, averaged over what belongs to each element." },
  channel: { title: "Channel", says: "What another channel has." },
  from_part: {
    title: "From part",
    says: "What another part has where the two lie together: a light copy follows its dense original.",
  },
  material: { title: "Material", says: "The color of the part's material, or of each face's." },
  constant: { title: "Number", says: "One number everywhere." },
  color: { title: "Color", says: "One color everywhere." },
  volumes: { title: "Volumes", says: "The swatches of the volumes that are met: see Volumes in Paint." },
  hand_paint: { title: "Hand paint", says: "What is painted by hand, where it is." },
};

/** A source as it is where nothing more is said of it, as the server tells. */
function bare<K extends Kind>(kind: K) {
  return facts().sources.find((source): source is Extract<Source, { kind: K }> => source.kind === kind) ?? { kind };
}

/** A source as it starts. Lengths of 0 are found from the part. */
export function sourceOf(kind: Kind, part: Part, set: ColorSet, target: Target): Source {
  const seed = Math.floor(Math.random() * 1000);
  const by = part.pieces > 1 ? "pieces" : "materials";
  switch (kind) {
    case "between":
      return { kind, from: part.min, to: part.max, space: "part" };
    case "distance":
      return { kind, from: { kind: "end", towards: "down" }, reach: 0 };
    case "trail":
      return { kind, root: { kind: "end", towards: "down" }, reach: 0, joined: "apart", touch: 0 };
    case "noise":
      return { ...bare(kind), contrast: 1, seed };
    case "per_piece":
      return { ...bare(kind), by, seed };
    case "per_piece_shift":
      return { ...bare(kind), by, amounts: [0.5, 0.5, 0.25], seed };
    case "image":
      return {
        kind,
        image: get().images[0]?.name ?? "",
        lay: part.uv_sets > 0 ? { kind: "uv", uv_set: 0 } : { kind: "three_axes", width: 0 },
        repeat: [1, 1],
        offset: [0, 0],
        turn: 0,
        wrap: "repeat",
        hard_pixels: false,
        averaged: "footprint",
      };
    case "channel": {
      const other = part.sets.find((own) => own.id !== set.id) ?? set;
      const free = other.id === set.id ? (channelName.find((name) => !target.includes(name)) ?? "A") : "R";
      return { kind, set: other.name, channel: free };
    }
    case "from_part": {
      const other = get().parts.find((other) => other.id !== part.id && other.sets.length > 0);
      const from = other?.sets.find((each) => each.name === set.name) ?? other?.sets[0];
      return { kind, part: other?.name ?? "", set: from?.name ?? "", channel: target };
    }
    case "streaks":
      return { ...bare(kind), stray: 0.3, seed };
    case "dust":
    case "waterline":
    case "wear":
      return { ...bare(kind), seed };
    case "line":
      return { kind, points: [], closed: false, tells: "distance", reach: 0 };
    case "rim": {
      const first = part.selections[0]?.name ?? part.helpers.find((each) => each.role === "selection")?.name;
      const hasMask = part.helpers.some((each) => each.role === "mask");
      return { ...bare(kind), of: hasMask ? null : (first ?? "") };
    }
    case "pattern":
      return { ...bare(kind), shows: "bricks", seed };
    case "pivot":
    case "piece_number":
      return { ...bare(kind), by };
    case "constant":
      return { kind, value: 0.5 };
    case "color":
      return { kind, color: get().paint.slice(0, 3) };
    default:
      return bare(kind);
  }
}

/** The directions, as the lists show them. */
export const directionWords: readonly (readonly [Exclude<Direction, { to: unknown }> | "to", string])[] = [
  ["up", "up"],
  ["down", "down"],
  ["x", "along x"],
  ["minus_x", "against x"],
  ["y", "along y"],
  ["minus_y", "against y"],
  ["z", "along z"],
  ["minus_z", "against z"],
  ["to", "any other way"],
];
export const directionTitle = (direction: Direction) =>
  typeof direction === "string"
    ? (directionWords.find(([key]) => key === direction)?.[1] ?? direction)
    : `to ${direction.to.map((x) => figure(x)).join(", ")}`;

const rootTitle = (root: Root): string => {
  switch (root.kind) {
    case "point":
      return `the point ${root.at.map((x) => figure(x)).join(", ")}`;
    case "selection":
      return root.name || "a selection";
    case "open_edge":
      return "the open edge";
    case "end":
      return `its end, ${directionTitle(root.towards)}`;
    case "part":
      return root.name || "another part";
  }
};

const symbol = () => symbols[get().traits.unit];
/** A length of which 0 means: as the part suggests. */
const fitted = (value: number | undefined, words = "fitted") => (value ? `${figure(value)} ${symbol()}` : words);

const spaceTitle = (space: Schemas["NormalSpace"] | undefined) =>
  space === "tangent" ? "of the surface, by UV" : space === "part" ? "of the part" : "of the project";

/** What a source is set to, in a line. */
export function sourceLine(source: Source): string {
  const words: (string | false | null | undefined)[] = (() => {
    switch (source.kind) {
      case "occlusion":
        return [
          `${source.rays} rays`,
          source.reach ? `${figure(source.reach)} ${symbol()} far` : "endless",
          source.ground && "on the ground",
          source.both_sides && "both sides",
          source.own_shape === false && "others alone",
          source.falloff && source.falloff !== "none" && "fades by distance",
          source.spread === "even" && "even",
          source.sky != null && `light ${directionTitle(source.sky)}`,
        ];
      case "open_way":
        return [
          `${source.rays} rays`,
          source.reach ? `${figure(source.reach)} ${symbol()} far` : "endless",
          spaceTitle(source.space),
        ];
      case "hollows":
      case "ridges":
        return [source.scale ? `scale ${fitted(source.scale)}` : "finest scale"];
      case "relief":
        return source.scales?.length
          ? source.scales.map((each) => (each.scale ? `scale ${fitted(each.scale)}` : "finest scale"))
          : ["finest scale"];
      case "edges":
        return [
          `from ${figure(source.angle ?? 30)}°`,
          source.width ? `${fitted(source.width)} wide` : false,
          source.bends === "both" ? false : source.bends,
        ];
      case "thickness":
        return [`${source.rays} rays`, source.reach ? `up to ${fitted(source.reach)}` : false];
      case "openness":
        return [
          `light ${directionTitle(source.light ?? "up")}`,
          `±${figure(source.spread ?? 15)}°`,
          `${source.rays} rays`,
        ];
      case "light": {
        const count = source.lamps?.length ?? 1;
        return [
          count === 0 ? "no lamp" : count === 1 ? "one lamp" : `${count} lamps`,
          source.sky?.some((x) => x > 0) && "sky",
          source.bounce ? "given on" : false,
          source.through ? `through ${fitted(source.through)}` : false,
          source.intensity && "strength alone",
        ];
      }
      case "streaks":
        return [
          source.from ? `out of ${source.from}` : "from above",
          source.length ? `${fitted(source.length)} long` : false,
          source.width ? `${fitted(source.width)} wide` : false,
        ];
      case "dust":
        return [
          `up to ${figure(source.slope ?? 60)}° steep`,
          source.wind ? `wind ${Math.round(source.wind * 100)} %` : false,
        ];
      case "waterline":
        return [
          source.height == null ? "a third of the way up" : `at ${figure(source.height)} ${symbol()}`,
          source.band ? `a mark of ${fitted(source.band)}` : false,
        ];
      case "wear":
        return [
          source.width ? `${fitted(source.width)} wide` : "fitted",
          source.broken ? `broken ${Math.round(source.broken * 100)} %` : false,
        ];
      case "line":
        return [
          source.points.length < 2 ? "not drawn yet" : `through ${source.points.length} points`,
          source.tells === "progress" ? "how far along it" : source.reach ? `up to ${fitted(source.reach)}` : false,
        ];
      case "rim":
        return [
          source.of == null ? "of the mask" : `of ${source.of || "a selection"}`,
          source.reach ? `±${fitted(source.reach)}` : false,
        ];
      case "pattern":
        return [
          patternWords.find(([key]) => key === source.shows)?.[1],
          typeof source.space === "object" ? "in UV" : fitted(source.size),
          source.each && "each its own",
        ];
      case "pivot":
        return [
          `of ${amongWords.find(([key]) => key === source.by)?.[1] ?? "pieces"}`,
          source.end == null ? "in the middle" : `its end, ${directionTitle(source.end)}`,
        ];
      case "piece_number":
        return [`of ${amongWords.find(([key]) => key === source.by)?.[1] ?? "pieces"}`, `${source.bits ?? 8} bits`];
      case "facing":
        return [directionTitle(source.direction ?? "up"), `within ${figure(source.half_angle ?? 90)}°`];
      case "height_ramp":
        return [
          directionTitle(source.direction ?? "up"),
          source.from != null && source.to != null
            ? `${figure(source.from)} to ${figure(source.to)} ${symbol()}`
            : "over the part",
        ];
      case "between":
        return ["two points"];
      case "distance":
        return [`from ${rootTitle(source.from)}`, source.reach ? `up to ${fitted(source.reach)}` : false];
      case "trail":
        return [
          `from ${rootTitle(source.root)}`,
          source.joined === "apart"
            ? false
            : source.joined === "holds"
              ? "joined pieces move along"
              : "goes on into joined pieces",
        ];
      case "joint":
        return [
          `between ${amongWords.find(([key]) => key === source.between)?.[1] ?? "pieces"}`,
          source.width ? `${fitted(source.width)} wide` : false,
        ];
      case "position":
        return [
          source.space === "part" ? "of the part" : "of the project",
          source.within ? "in a box of its own" : false,
        ];
      case "normal":
        return [spaceTitle(source.space)];
      case "noise":
        return [
          noiseWords.find(([key]) => key === source.noise)?.[1],
          typeof source.space === "object"
            ? source.size
              ? `${figure(source.size)} of the image`
              : "fitted"
            : fitted(source.size),
          `${source.octaves} octave${source.octaves === 1 ? "" : "s"}`,
        ];
      case "per_piece":
      case "per_piece_shift":
        return [
          `of ${amongWords.find(([key]) => key === source.by)?.[1] ?? "pieces"}`,
          source.kind === "per_piece" && source.colors ? `${source.colors} different` : false,
          `seed ${source.seed}`,
        ];
      case "image":
        return [
          source.image || "none chosen",
          source.lay?.kind === "along"
            ? "along a direction"
            : source.lay?.kind === "three_axes"
              ? "from three axes"
              : "by UV",
          source.tiles && "tiles",
          source.averaged === "piece" && "one mean a piece",
        ];
      case "channel":
        return [`${source.part ? `${source.part}, ` : ""}${source.set} · ${source.channel}`];
      case "from_part":
        return [
          source.part ? `${source.part}, ${source.set} · ${source.channel}` : "none chosen",
          source.along === "normal" ? "along the normal" : source.along === "outermost" && "outermost",
          source.within ? `within ${fitted(source.within)}` : false,
        ];
      case "material":
        return ["as the file has it"];
      case "constant":
        return [String(source.value)];
      case "color":
        return [source.color.map((x) => x.toFixed(2)).join(" ")];
      case "volumes":
        return [source.over ? "over what is painted" : "where nothing is painted"];
      case "hand_paint":
        return ["where you paint"];
    }
  })();
  return words.filter(Boolean).join(" · ");
}

export const noiseWords: readonly (readonly [Schemas["NoiseKind"], string])[] = [
  ["value", "value"],
  ["gradient", "gradient"],
  ["simplex", "simplex-like"],
  ["cellular", "cellular"],
  ["cell_edges", "cell edges"],
  ["ridged", "ridged"],
  ["billowed", "billowed"],
];

export const patternWords: readonly (readonly [Schemas["PatternKind"], string])[] = [
  ["waves", "waves"],
  ["stripes", "stripes"],
  ["checks", "checks"],
  ["bricks", "bricks"],
];

/** What is told apart, as the lists show it. */
export const amongWords: readonly (readonly [Schemas["Among"], string])[] = [
  ["pieces", "pieces"],
  ["touching", "what touches"],
  ["islands", "UV islands"],
  ["materials", "groups or materials"],
  ["parts", "parts"],
];

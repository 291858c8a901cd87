// What each source looks at, in a few lines: the surface in section, and where the number comes from.
import { SvgIcon, type SvgIconProps } from "@mui/material";
import type { Kind } from "../model/sources";

const line = {
  fill: "none",
  stroke: "currentColor",
  strokeWidth: 1.6,
  strokeLinecap: "round",
  strokeLinejoin: "round",
} as const;

/** Of each: what stands out, what recedes, and dots. */
const drawn: Record<Kind, [string, string, [number, number, number][]]> = {
  occlusion: ["M3 19h6c1-4 5-4 6 0h6", "M12 14V7M10 14.500 5.500 9M14 14.500 18.500 9", []],
  hollows: ["M3 8c4 0 5 9 9 9s5-9 9-9", "M12 6v7M10 11l2 2.500 2-2.500", []],
  open_way: ["M3 19h5c1.500-4 6-4 8 0h5", "M12 13 17.500 5M17.500 5l-4 1.500M17.500 5l.5 4", []],
  relief: ["M3 13c3 0 3.500-6 6-6s3 10 6 10 3-4 6-4", "M9 3.500v1M15 19.500v1", []],
  ridges: ["M3 18c4 0 5-9 9-9s5 9 9 9", "M12 2.500v3M7 4.500l1.500 2.500M17 4.500 15.500 7", []],
  edges: ["M3 19 12 8l9 11", "M7 11a7 7 0 0 0 10 0", []],
  thickness: ["M3 7c4-2.500 14-2.500 18 0M3 18c4 2 14 2 18 0", "M12 7.500v9M10 9.500l2-2 2 2M10 14.500l2 2 2-2", []],
  openness: ["M3 20h18M9 20v-6h6v6", "M17 5.500 13 11M20 9l-5 4", [[19, 5, 2.2]]],
  light: ["M4 19h16", "M14.500 9.500 9 19M17 10v5", [[17, 6, 2.6]]],
  streaks: ["M4 5h16", "M8 5v9M12 5v14M16 5v6", [[8, 16.5, 1.2]]],
  dust: [
    "M3 19c3-4 5-4 8-4s4-5 10-5",
    "",
    [
      [6, 12, 1],
      [9.5, 10.5, 1.3],
      [13, 9.5, 1],
      [16, 6, 1.2],
      [20, 6.5, 1],
      [7, 6, 0.9],
    ],
  ],
  waterline: ["M3 14c2-1.500 3 1 5 0s2-5 3.500-5 1.500 5 3.500 5 3-1.500 6 0", "M5 18h14M8 21h8", []],
  wear: ["M4 19h7.500M12.500 8V19M6 12l-2 2", "M12.500 8 8.500 9.500 6 12 4 14", [[17, 6, 2.8]]],
  line: ["M4 17c4-7 6 3 9-4s4-6 7-6", "M4 20.500h2M18 3.500h2", [[4, 17, 2]]],
  rim: ["M12 5a7 7 0 1 0 .1 0", "M12 2.500v2.500M19 12h2.500M12 8.500v-3M15.500 12H19", []],
  pattern: ["M4 5h16v14H4ZM4 9.700h16M4 14.300h16", "M10 5v4.700M16 9.700v4.600M8 14.300V19", []],
  pivot: ["M4 4h9v9H4Z", "M8.500 8.500 18 18", [[18, 18, 2.4]]],
  piece_number: ["M4 4h7v7H4ZM13 13h7v7h-7Z", "M7.500 6v3M15 15.500h3M15 18h3", []],
  facing: ["M3 18c4-7 14-7 18 0", "M12 12V4M9.500 6.500 12 4l2.500 2.500", []],
  height_ramp: ["M4 20h16M7 15.500h10", "M9.500 11h5M11 6.500h2", []],
  between: [
    "M6 17 18 7",
    "",
    [
      [5, 18, 2.4],
      [19, 6, 1.4],
    ],
  ],
  distance: ["", "M9 6.500a8 8 0 0 1 0 11M13 4a12 12 0 0 1 0 16", [[5, 12, 2.4]]],
  trail: ["M4 19c6 0 2-9 8-9s2-6 8-6", "", [[4, 19, 2.4]]],
  joint: ["M3 9c5 0 7 1.500 9 3-2 1.500-4 3-9 3M21 9c-5 0-7 1.500-9 3 2 1.500 4 3 9 3", "", [[12, 12, 1.8]]],
  position: ["M12 13V4M12 13 4.500 18M12 13l7.500 5", "", [[12, 13, 1.8]]],
  normal: ["M4 19c5-4 11-4 16 0", "M7 16 5 9M12 15V6M17 16l2-7", []],
  noise: [
    "",
    "",
    [
      [6, 7, 2.2],
      [12, 5, 1.3],
      [18, 8, 1.8],
      [8, 13, 1.3],
      [14, 12, 2.4],
      [19, 15, 1.2],
      [5, 18, 1.8],
      [12, 19, 1.6],
      [17, 19, 1],
    ],
  ],
  per_piece: [
    "M4 5h6v6H4ZM14 13h6v6h-6Z",
    "M14 5h6v6h-6ZM4 13h6v6H4Z",
    [
      [7, 8, 1.3],
      [17, 16, 2],
    ],
  ],
  per_piece_shift: ["M12 4v16", "M5 8h4M5 12h5M5 16h3M16 8h3M14.500 12h5M16 16h4", [[12, 10, 1.9]]],
  image: ["M4 5h16v14H4Z", "M4 16l5-5 4 4 3-2.500 4 3.500", [[15.5, 9, 1.4]]],
  channel: ["M4 6h4v12H4ZM16 6h4v12h-4Z", "M10 12h4M12.500 10.500 14 12l-1.500 1.500", []],
  from_part: ["M3 18c5-3 13-3 18 0", "M3 9c5-4 13-4 18 0M8 10.500v5M16 10.500v5M12 9.500v5.500", []],
  material: ["M12 4a8 8 0 1 0 0 16 8 8 0 1 0 0-16", "M7 9.500c3-1.500 7-1.500 10 0M5 14c4 2 10 2 14 0", []],
  constant: ["M4 12h16", "M4 18h16M4 6h16", []],
  color: ["M12 3.500c4 5 6 7.500 6 10.500a6 6 0 0 1-12 0c0-3 2-5.500 6-10.500Z", "", [[10, 15, 1.4]]],
  volumes: ["M4 9l7-4 7 4-7 4Z", "M4 9v7l7 4 7-4V9M11 13v7", [[19.5, 18.5, 1.4]]],
  hand_paint: ["M4 19c4 1 6-1 6-3.500", "M10 14 18.500 4.500l1.500 1.500L12 15.500Z", []],
};

export function SourceIcon({ kind, ...props }: SvgIconProps & { kind: Kind }) {
  const [near, far, dots] = drawn[kind];
  return (
    <SvgIcon {...props} viewBox="0 0 24 24">
      {far && <path {...line} d={far} opacity={0.5} />}
      {near && <path {...line} strokeWidth={2} d={near} />}
      {dots.map(([x, y, r]) => (
        <circle key={`${x} ${y}`} cx={x} cy={y} r={r} fill="currentColor" />
      ))}
    </SvgIcon>
  );
}

/** A channel that a recipe makes: a list being worked off. */
export const RecipeIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <path {...line} strokeWidth={2} d="M9.500 6.500H20M9.500 12H20M9.500 17.500H16" />
    <circle cx="5" cy="6.500" r="1.800" fill="currentColor" />
    <circle cx="5" cy="12" r="1.800" fill="currentColor" />
    <circle cx="5" cy="17.500" r="1.800" fill="currentColor" />
  </SvgIcon>
);
/** Taken hold of to be moved. */
export const GripIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <g fill="currentColor">
      {[7, 12, 17].flatMap((y) => [9.5, 14.5].map((x) => <circle key={`${x} ${y}`} cx={x} cy={y} r="1.400" />))}
    </g>
  </SvgIcon>
);

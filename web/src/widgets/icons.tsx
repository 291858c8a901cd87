// Our own icons: what a tool covers, seen in section.
import { SvgIcon, type SvgIconProps } from "@mui/material";

const line = {
  fill: "none",
  stroke: "currentColor",
  strokeWidth: 1.6,
  strokeLinecap: "round",
  strokeLinejoin: "round",
} as const;

/** The visible skin under the brush; the far side stays. */
export const SkinIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <path {...line} d="M4 19c1.500-6 4.500-9 8-9s6.500 3 8 9" opacity="0.4" />
    <path {...line} strokeWidth={3} d="M8.200 11.600c1.100-1.100 2.400-1.600 3.800-1.600s2.700.5 3.800 1.600" />
    <path {...line} d="M12 2.500v4M10.200 5 12 6.800 13.800 5" />
  </SvgIcon>
);
export const UndoIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <path {...line} d="M5 9h9a5 5 0 0 1 0 10h-4M5 9l4-4M5 9l4 4" />
  </SvgIcon>
);
export const RedoIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <path {...line} d="M19 9h-9a5 5 0 0 0 0 10h4M19 9l-4-4M19 9l-4 4" />
  </SvgIcon>
);
export const DownIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <path {...line} d="m7 10 5 5 5-5" />
  </SvgIcon>
);
export const EggMark = () => <img src="/speckle.svg" alt="" width={26} height={26} />;
/** Everything within reach, the far side too. */
export const DeepIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <path {...line} d="M4 13c1.500-4 4.500-6 8-6s6.500 2 8 6M4 21c1.500-4 4.500-6 8-6s6.500 2 8 6" opacity="0.4" />
    <path
      {...line}
      strokeWidth={3}
      d="M8.500 7.900c2.300-1.200 4.700-1.200 7 0M8.500 15.900c2.300-1.200 4.700-1.200 7 0"
    />
    <path {...line} d="M12 2v3" />
  </SvgIcon>
);
/** A whole face under the pointer. */
export const FacetIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <path {...line} d="M3 19 8 10M16 10l5 9" opacity="0.4" />
    <path {...line} strokeWidth={3} d="M8 10h8" />
    <path {...line} d="M8 6.500v7M16 6.500v7" />
    <path {...line} d="M12 2.500v3.500" />
  </SvgIcon>
);
/** One corner of a face. */
export const CornerIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <path {...line} d="M3 19 9 11h12" opacity="0.4" />
    <path {...line} strokeWidth={3} d="M9 11h3.500" />
    <circle cx="9" cy="11" r="2.600" fill="currentColor" />
    <path {...line} d="M9 3v3.500" />
  </SvgIcon>
);
/** Up to where the surface bends. */
export const CreaseIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <path {...line} d="M15 9l6 9" opacity="0.4" />
    <path {...line} d="M9 9 3 18" opacity="0.4" />
    <path {...line} strokeWidth={3} d="M9 9h6" />
    <path {...line} d="M12 2.500v3" />
  </SvgIcon>
);
/** What has the same value. */
export const PatchIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <path {...line} d="M3 16h4M17 16h4" opacity="0.4" />
    <path {...line} strokeWidth={3} d="M8.500 16h7" />
    <path {...line} strokeDasharray="1.500 2.800" d="M7.500 11v9M16.500 11v9" />
    <path {...line} d="M12 7v4" />
  </SvgIcon>
);
/** One piece of several. */
export const PieceIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <circle {...line} strokeWidth={3} cx="8" cy="14" r="4.500" />
    <circle {...line} cx="18" cy="14" r="3" opacity="0.4" />
    <path {...line} d="M8 3v3" />
  </SvgIcon>
);
/** Everything. */
export const AllIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <circle {...line} strokeWidth={3} cx="8" cy="14" r="4.500" />
    <circle {...line} strokeWidth={3} cx="18" cy="14" r="3" />
    <path {...line} d="M8 3v3M18 5v3" />
  </SvgIcon>
);
export const EyeIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <path {...line} d="M3 12c2.500-4 5.500-6 9-6s6.500 2 9 6c-2.500 4-5.500 6-9 6s-6.500-2-9-6Z" />
    <circle {...line} cx="12" cy="12" r="2.800" />
  </SvgIcon>
);
export const EyeShutIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <path {...line} d="M3 11c2.500 3.500 5.500 5 9 5s6.500-1.500 9-5M6 14.500 4.500 17M12 16v3M18 14.500l1.500 2.500" />
  </SvgIcon>
);
export const LockIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <path {...line} d="M6 11h12v9H6ZM8.500 11V8a3.500 3.500 0 0 1 7 0v3" />
  </SvgIcon>
);
export const OpenLockIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <path {...line} opacity="0.55" d="M6 11h12v9H6ZM8.500 11V7a3.500 3.500 0 0 1 6.800-1.200" />
  </SvgIcon>
);
export const MoreIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <g fill="currentColor">
      <circle cx="12" cy="5.500" r="1.700" />
      <circle cx="12" cy="12" r="1.700" />
      <circle cx="12" cy="18.500" r="1.700" />
    </g>
  </SvgIcon>
);
/** Between two planes, through everything. */
export const BandIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <path {...line} d="M8 3c-2 3-2 15 0 18M16 3c2 3 2 15 0 18" opacity="0.4" />
    <path {...line} strokeWidth={3} d="M6.700 9.500c-.3 2-.3 3.500 0 5M17.300 9.500c.3 2 .3 3.500 0 5" />
    <path {...line} strokeDasharray="1.500 2.800" d="M3 9.500h18M3 14.500h18" />
  </SvgIcon>
);
/** Thinning out from one point to another. */
export const GradientIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <path {...line} strokeWidth={3.4} d="M3 16h4" />
    <path {...line} strokeWidth={2.4} d="M9.500 16h3" />
    <path {...line} strokeWidth={1.6} d="M15 16h2.500" opacity="0.7" />
    <path {...line} d="M20 16h1" opacity="0.4" />
    <circle cx="4" cy="8" r="2.200" fill="currentColor" />
    <circle {...line} cx="20" cy="8" r="1.800" />
    <path {...line} d="M7 8h10" opacity="0.4" />
  </SvgIcon>
);
/** What meets a placed shape. */
export const SolidIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <path {...line} d="M2.500 17h19" opacity="0.4" />
    <path {...line} strokeWidth={3} d="M7.500 17h9" />
    <path {...line} strokeDasharray="1.500 2.800" d="M5.800 19.500a8 8 0 1 1 12.400 0" />
  </SvgIcon>
);
/** Inside an outline on the screen. */
export const LassoIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <path
      {...line}
      strokeDasharray="2.200 2.600"
      d="M12 4c5 0 8.500 2.500 8.500 6S17 16.500 12 16.500 3.500 14 3.500 10 7 4 12 4Z"
    />
    <path {...line} strokeWidth={3} d="M9 10h6" />
    <path {...line} d="M7 16c-1.500 1.500-1 3.500 1 4" />
  </SvgIcon>
);
/** Neighbours that meet in the middle. */
export const SoftenIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <path {...line} opacity="0.4" d="M3 17h3l3-9 3 9 3-9 3 9h3" />
    <path {...line} strokeWidth={2.6} d="M3 15c4 0 4-3 9-3s5 3 9 3" />
  </SvgIcon>
);
/** Carried along with the pointer. */
export const SmearIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <circle cx="6" cy="14" r="3.200" fill="currentColor" />
    <path {...line} strokeWidth={2.4} d="M9 14h5" />
    <path {...line} d="M16 14h1.500" opacity="0.7" />
    <path {...line} d="M19.500 14h1" opacity="0.4" />
    <path {...line} d="M6 7h11M14.500 4.500 17 7l-2.500 2.500" />
  </SvgIcon>
);
/** Everywhere along one way. */
export const MoveIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <path {...line} d="M12 4v16M8.500 7.500 12 4l3.500 3.500M8.500 16.500 12 20l3.500-3.500" />
  </SvgIcon>
);
/** A drop taken up. */
export const PickIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <path {...line} d="M12 3.500c3.500 4.500 5.500 7.500 5.500 10.500a5.500 5.500 0 0 1-11 0c0-3 2-6 5.500-10.500Z" />
    <path {...line} d="M12 18V11M9.500 13 12 10.500l2.500 2.500" />
  </SvgIcon>
);
/** Two colors change places. */
export const SwapIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <path {...line} d="M4 9h13M14 5.500 17.500 9 14 12.500M20 15H7M10 11.500 6.500 15l3.500 3.500" />
  </SvgIcon>
);
/** What was selected before. */
export const ChosenIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <path {...line} strokeDasharray="2.200 2.600" d="M4 6h16v13H4Z" />
    <path {...line} strokeWidth={2.2} d="m7 16 6-7M11 16l6-7" />
  </SvgIcon>
);

// Our own icons: what a tool covers, seen in section.
import { SvgIcon, type SvgIconProps } from "@mui/material";

const line = { fill: "none", stroke: "currentColor", strokeWidth: 1.6, strokeLinecap: "round", strokeLinejoin: "round" } as const;

/** The visible skin under the brush; the far side stays. */
export const SkinIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24">
    <path {...line} d="M4 19c1.500-6 4.500-9 8-9s6.500 3 8 9" opacity="0.4" />
    <path {...line} strokeWidth={3} d="M8.200 11.600c1.100-1.100 2.400-1.600 3.800-1.600s2.700.5 3.800 1.600" />
    <path {...line} d="M12 2.500v4M10.200 5 12 6.800 13.800 5" />
  </SvgIcon>
);
export const UndoIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24"><path {...line} d="M5 9h9a5 5 0 0 1 0 10h-4M5 9l4-4M5 9l4 4" /></SvgIcon>
);
export const RedoIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24"><path {...line} d="M19 9h-9a5 5 0 0 0 0 10h4M19 9l-4-4M19 9l-4 4" /></SvgIcon>
);
export const DownIcon = (props: SvgIconProps) => (
  <SvgIcon {...props} viewBox="0 0 24 24"><path {...line} d="m7 10 5 5 5-5" /></SvgIcon>
);
export const EggMark = () => <img src="/speckle.svg" alt="" width={26} height={26} />;

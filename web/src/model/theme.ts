// The look of the whole app: every color, face and size is named here.
import { createTheme } from "@mui/material/styles";

export const heading = "'Bricolage Grotesque Variable', sans-serif";
const text = "'Atkinson Hyperlegible Next', sans-serif";

/** The stage's surround and the inks of R, G, B and A; neutral in both schemes, since color is judged on it. */
export const stageGrey = "#7b7b7b";
export const channelInk = ["#B3372F", "#2F7A43", "#2F5FB3", "#56535E"] as const;
export const channelName = ["R", "G", "B", "A"] as const;

export const theme = createTheme({
  cssVariables: { colorSchemeSelector: "class" },
  colorSchemes: {
    light: {
      palette: {
        primary: { main: "#D9512C", contrastText: "#FFFDF8" },
        secondary: { main: "#1E6F7C" },
        info: { main: "#1E6F7C" },
        success: { main: "#4F7A33" },
        warning: { main: "#8A5A0B" },
        error: { main: "#A8322A" },
        background: { default: "#F5F0E6", paper: "#FFFDF8" },
        text: { primary: "#2A2933", secondary: "#6A6670" },
        divider: "#DDD4C3",
      },
    },
    dark: {
      palette: {
        primary: { main: "#EE7350", contrastText: "#211F27" },
        secondary: { main: "#6FBFCB" },
        info: { main: "#6FBFCB" },
        success: { main: "#9CC47C" },
        warning: { main: "#E3B25C" },
        error: { main: "#EE8A80" },
        background: { default: "#24222A", paper: "#2E2C35" },
        text: { primary: "#F2EDE2", secondary: "#B4AEB4" },
        divider: "#46434E",
      },
    },
  },
  // Whoever asked the system for less motion has menus and sheets at once.
  motion: { reducedMotion: "system" },
  shape: { borderRadius: 4 },
  typography: {
    fontFamily: text,
    fontSize: 13,
    h1: { fontFamily: heading, fontWeight: 700, fontSize: 40, letterSpacing: "-0.02em" },
    h2: { fontFamily: heading, fontWeight: 650, fontSize: 17 },
    h3: { fontFamily: heading, fontWeight: 650, fontSize: 15 },
    h6: { fontFamily: heading, fontWeight: 650, fontSize: 17 },
    button: { textTransform: "none", fontWeight: 600 },
    body2: { fontSize: 13 },
    caption: { fontSize: 12 },
  },
  components: {
    MuiCssBaseline: {
      styleOverrides: {
        body: { fontVariantNumeric: "tabular-nums", overflow: "hidden" },
        "#root": { height: "100vh" },
        // Whoever goes by keys sees where they are; fields show it all around.
        ":focus-visible": { outline: "2px solid var(--mui-palette-secondary-main)", outlineOffset: 1 },
        ".MuiInputBase-input:focus-visible, .MuiSelect-select:focus-visible, .MuiSlider-thumb input:focus-visible, [role=dialog]:focus-visible, .MuiDialog-container:focus-visible":
          { outline: "none" },
        ".MuiInputBase-root:has(:focus-visible):not(.MuiOutlinedInput-root), .MuiSlider-thumb:has(:focus-visible)": {
          outline: "2px solid var(--mui-palette-secondary-main)",
          outlineOffset: 2,
          borderRadius: 3,
        },
      },
    },
    MuiButtonBase: { defaultProps: { disableRipple: true } },
    MuiButton: {
      defaultProps: { disableElevation: true },
      styleOverrides: { root: { borderRadius: 9, minHeight: 32 } },
    },
    MuiPaper: { styleOverrides: { root: { backgroundImage: "none" } } },
    MuiTooltip: { defaultProps: { enterDelay: 500 } },
  },
});

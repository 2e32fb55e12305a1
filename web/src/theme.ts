// The chart table: warm paper, ink, thin rules, a few signal colours that mean something.
// petrol: main action, in step · marigold: needs a person · brick: blocked · slate: information
import { createTheme } from "@mui/material/styles";

const titles = '"Bricolage Grotesque Variable", system-ui, sans-serif';
const text = '"Source Sans 3", system-ui, sans-serif';
export const mono = '"JetBrains Mono", ui-monospace, monospace';

export const theme = createTheme({
  cssVariables: { colorSchemeSelector: "data-scheme" },
  colorSchemes: {
    light: {
      palette: {
        background: { default: "#F7F4EC", paper: "#FFFFFF" },
        text: { primary: "#15222C", secondary: "#53616B" },
        divider: "#DAD4C6",
        primary: { main: "#0D5C6D", contrastText: "#FFFFFF" },
        warning: { main: "#8A4E05", contrastText: "#FFFFFF" },
        error: { main: "#A1332B", contrastText: "#FFFFFF" },
        info: { main: "#4B5B8C", contrastText: "#FFFFFF" },
      },
    },
    dark: {
      palette: {
        background: { default: "#0E1920", paper: "#15242D" },
        text: { primary: "#ECE7DA", secondary: "#A9B6BD" },
        divider: "#2E404B",
        primary: { main: "#6CC3D3", contrastText: "#0E1920" },
        warning: { main: "#E6A848", contrastText: "#0E1920" },
        error: { main: "#EE978D", contrastText: "#0E1920" },
        info: { main: "#AAB7E6", contrastText: "#0E1920" },
      },
    },
  },
  shape: { borderRadius: 3 },
  typography: {
    fontFamily: text,
    fontSize: 14,
    h1: { fontFamily: titles, fontSize: "1.75rem", fontWeight: 650, letterSpacing: "-0.01em" },
    h2: { fontFamily: titles, fontSize: "1.2rem", fontWeight: 620 },
    h3: { fontFamily: titles, fontSize: "1rem", fontWeight: 620 },
    button: { textTransform: "none", fontWeight: 600 },
    body1: { fontSize: "0.95rem" },
    body2: { fontSize: "0.875rem" },
    caption: { fontSize: "0.8rem" },
  },
  components: {
    MuiButton: { defaultProps: { disableElevation: true, disableRipple: true } },
    MuiButtonBase: { defaultProps: { disableRipple: true } },
    MuiTextField: { defaultProps: { size: "small", fullWidth: true } },
    MuiToggleButton: { styleOverrides: { root: { color: "var(--mui-palette-text-secondary)" } } },
    MuiPaper: { styleOverrides: { root: { backgroundImage: "none" } } },
    MuiTableCell: { styleOverrides: { root: { borderColor: "var(--mui-palette-divider)" } } },
    MuiDialogTitle: { defaultProps: { variant: "h2" } },
    // What may scroll can be reached by keys.
    MuiDialogContent: { defaultProps: { tabIndex: 0 } },
    MuiTooltip: { defaultProps: { arrow: true, describeChild: true } },
    MuiCssBaseline: {
      styleOverrides: {
        a: { color: "var(--mui-palette-primary-main)" },
        "code, .mono": { fontFamily: mono, fontSize: "0.92em", fontVariantLigatures: "none" },
        ":focus-visible": { outline: "2px solid var(--mui-palette-primary-main)", outlineOffset: 1 },
        "@media (prefers-reduced-motion: reduce)": {
          "*": { transition: "none !important", animation: "none !important" },
        },
      },
    },
  },
});

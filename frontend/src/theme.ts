/** The look: a surveyor's ledger. Everything that has a colour or a size takes it from here. */
import { createTheme } from "@mui/material/styles";

export const PAPER = "#F6F2E9";
export const INK = "#1F2933";
export const MADDER = "#A8322D";
export const QUIET = "#56606A";
export const RULE = "#C9C1B0";
export const WATER = "#DCE4E4";
/** Ground of which nobody has said that it is water. */
export const PLAIN = "#E8E4DA";
/** A number that lies below the lowest or above the highest break. */
export const BEYOND = "#8A8F94";
export const NO_VALUE = "#F6F2E9";
export const HATCH = "#8B8778";
export const HEADING = '"Newsreader Variable", Georgia, serif';

export const theme = createTheme({
  palette: {
    primary: { main: INK },
    error: { main: MADDER },
    background: { default: PAPER, paper: PAPER },
    text: { primary: INK, secondary: QUIET },
    divider: RULE,
  },
  shape: { borderRadius: 0 },
  typography: {
    fontFamily: '"Public Sans Variable", system-ui, sans-serif',
    fontSize: 13,
    h1: { fontFamily: HEADING, fontSize: "1.35rem", fontWeight: 500 },
    h2: { fontFamily: HEADING, fontSize: "1.2rem", fontWeight: 500 },
    button: { textTransform: "none", fontWeight: 500 },
  },
  components: {
    MuiCssBaseline: {
      styleOverrides: {
        body: { fontVariantNumeric: "tabular-nums lining-nums", overflow: "hidden" },
        "*:focus-visible": { outline: `2px solid ${INK}`, outlineOffset: 2 },
      },
    },
    MuiButtonBase: {
      defaultProps: { disableRipple: true },
      styleOverrides: { root: { fontFamily: "inherit", fontVariantNumeric: "inherit" } },
    },
    MuiPaper: { defaultProps: { elevation: 0 } },
  },
});

import { createTheme, type Theme } from "@mui/material/styles";
import { DeferredModal } from "./DeferredModal";

export type Scheme = "light" | "dark";

/** MUI dressed in our look. Its colours name the variables of look.css wherever MUI does not compute with them. */
export function theme(scheme: Scheme): Theme {
  const light = scheme === "light";
  const opening = { slots: { root: DeferredModal } };
  const border = { border: "1px solid var(--rule)" };
  return createTheme({
    palette: {
      mode: scheme,
      primary: { main: light ? "#0b5a60" : "#6cc3c0", contrastText: light ? "#ffffff" : "#0c1b1e" },
      error: { main: light ? "#b03a2b" : "#f08a78" },
      background: { default: light ? "#f4f7f6" : "#0c1b1e", paper: light ? "#ffffff" : "#11262a" },
      text: { primary: light ? "#0f2a2e" : "#e6f0ee", secondary: light ? "#4b6468" : "#a7bdbb" },
      divider: light ? "#cbd8d5" : "#2b474b",
    },
    shape: { borderRadius: 2 },
    typography: { fontFamily: '"Archivo Variable", sans-serif', fontSize: 13, button: { textTransform: "none", fontWeight: 600 } },
    components: {
      MuiButtonBase: { defaultProps: { disableRipple: true } },
      MuiButton: {
        defaultProps: { disableElevation: true, size: "small", variant: "outlined" },
        styleOverrides: {
          root: {
            height: 28,
            minWidth: 0,
            flexShrink: 0,
            padding: "0 10px",
            fontSize: 13.5,
            lineHeight: 1,
            borderColor: "var(--rule)",
            whiteSpace: "nowrap",
            "&.Mui-focusVisible": { outline: "2px solid var(--marigold)", outlineOffset: 1 },
          },
        },
      },
      MuiPaper: { styleOverrides: { root: { backgroundImage: "none" } } },
      MuiDialog: {
        defaultProps: opening,
        styleOverrides: { paper: { ...border, borderTop: "3px solid var(--rule-strong)", borderRadius: 2 } },
      },
      MuiDialogTitle: { styleOverrides: { root: { fontStretch: "78%", fontWeight: 750, fontSize: 20, padding: "14px 20px 6px" } } },
      MuiDialogContent: { styleOverrides: { root: { padding: "6px 20px 12px" } } },
      MuiDialogActions: { styleOverrides: { root: { padding: "8px 20px 16px", borderTop: "1px solid var(--rule)" } } },
      MuiPopover: { defaultProps: opening },
      MuiMenu: { defaultProps: opening, styleOverrides: { paper: { border: "1px solid var(--rule-strong)", borderRadius: 2 } } },
      MuiMenuItem: { styleOverrides: { root: { fontSize: 13.5, minHeight: 30, padding: "4px 12px" } } },
      MuiOutlinedInput: {
        styleOverrides: {
          root: { fontSize: 13.5, background: "var(--sheet)" },
          input: { padding: "5px 8px", height: "auto" },
          notchedOutline: { borderColor: "var(--rule)", top: 0, "& legend": { display: "none" } },
        },
      },
      // A label stands above its box, not on its line, where it would touch what is above.
      MuiInputLabel: {
        defaultProps: { shrink: true },
        styleOverrides: {
          root: { position: "static", transform: "none", fontSize: 12.5, lineHeight: "18px", marginBottom: 2, maxWidth: "none" },
        },
      },
      MuiTextField: { defaultProps: { size: "small", fullWidth: true } },
      MuiSelect: { defaultProps: { size: "small" }, styleOverrides: { root: { height: 28 } } },
      MuiCheckbox: { defaultProps: { size: "small" } },
      MuiTooltip: {
        styleOverrides: { tooltip: { background: "var(--rule-strong)", color: "var(--sheet)", borderRadius: 2, fontSize: 12.5 } },
      },
      MuiSnackbarContent: {
        styleOverrides: {
          root: { background: "var(--rule-strong)", color: "var(--sheet)", borderRadius: 2, fontSize: 13.5, padding: "2px 14px" },
        },
      },
      MuiAutocomplete: {
        styleOverrides: {
          inputRoot: { padding: "0 32px 0 0 !important", height: 28 },
          input: { padding: "0 8px !important" },
          paper: { border: "1px solid var(--rule-strong)" },
          option: { fontSize: 13.5 },
        },
      },
      MuiFormControlLabel: { styleOverrides: { label: { fontSize: 13.5 } } },
    },
  });
}

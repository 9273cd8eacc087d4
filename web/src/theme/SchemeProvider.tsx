import { ThemeProvider } from "@mui/material/styles";
import { createContext, useContext, useEffect, useMemo, useState, type ReactNode } from "react";
import { theme, type Scheme } from "./theme";

const KEY = "kelvix-scheme";
const SchemeContext = createContext<{ scheme: Scheme; change: () => void }>({ scheme: "light", change: () => undefined });

export const useScheme = () => useContext(SchemeContext);

function first(): Scheme {
  const kept = localStorage.getItem(KEY);
  if (kept === "light" || kept === "dark") return kept;
  return window.matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light";
}

/** Light or dark: as the system has it, until the person chooses. */
export function SchemeProvider({ children }: { children: ReactNode }) {
  const [scheme, setScheme] = useState(first);
  useEffect(() => {
    document.documentElement.dataset.scheme = scheme;
  }, [scheme]);
  const value = useMemo(() => {
    const change = () =>
      setScheme((now) => {
        const next = now === "light" ? "dark" : "light";
        localStorage.setItem(KEY, next);
        return next;
      });
    return { scheme, change };
  }, [scheme]);
  return (
    <SchemeContext.Provider value={value}>
      <ThemeProvider theme={useMemo(() => theme(scheme), [scheme])}>{children}</ThemeProvider>
    </SchemeContext.Provider>
  );
}

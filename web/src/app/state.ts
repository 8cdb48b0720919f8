// What the shell knows: the theme, and which of its dialogs is open.
import { create } from "zustand";

export type Theme = "day" | "night";

interface Shell {
  theme: Theme;
  commandOpen: boolean;
  keysOpen: boolean;
}

const THEME_KEY = "ember-ridge-theme";

function firstTheme(): Theme {
  const kept = localStorage.getItem(THEME_KEY);
  if (kept === "day" || kept === "night") return kept;
  return matchMedia("(prefers-color-scheme: dark)").matches ? "night" : "day";
}

export const useShell = create<Shell>()(() => ({
  theme: firstTheme(),
  commandOpen: false,
  keysOpen: false,
}));

export const setShell = (change: Partial<Shell>) => useShell.setState(change);

export function toggleTheme() {
  const theme = useShell.getState().theme === "day" ? "night" : "day";
  localStorage.setItem(THEME_KEY, theme);
  setShell({ theme });
}

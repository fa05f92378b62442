export type Theme = "day" | "pit" | "system";

const dark = matchMedia("(prefers-color-scheme: dark)");

export function theme(): Theme {
  const kept = localStorage.getItem("fanfold.theme");
  return kept === "day" || kept === "pit" ? kept : "system";
}

export function applyTheme(choice: Theme = theme()) {
  const pit = choice === "pit" || (choice === "system" && dark.matches);
  document.documentElement.dataset.theme = pit ? "pit" : "day";
}

export function setTheme(choice: Theme) {
  localStorage.setItem("fanfold.theme", choice);
  applyTheme(choice);
}

dark.addEventListener("change", () => applyTheme());

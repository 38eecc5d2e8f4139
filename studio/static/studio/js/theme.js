// Evening or daylight: chosen by the user, kept in this browser.

const KEY = "pirouette-theme";

/** Apply the theme that was chosen last. */
export function applyTheme() {
  document.documentElement.dataset.theme = localStorage.getItem(KEY) ?? "evening";
}

export function switchTheme() {
  localStorage.setItem(KEY, document.documentElement.dataset.theme === "light" ? "evening" : "light");
  applyTheme();
}

applyTheme();

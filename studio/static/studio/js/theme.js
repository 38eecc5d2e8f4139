// Evening or daylight: chosen by the user, kept in this browser, applied by theme-start.js.

export function switchTheme() {
  const { dataset } = document.documentElement;
  dataset.theme = dataset.theme === "light" ? "evening" : "light";
  localStorage.setItem("pirouette-theme", dataset.theme);
}

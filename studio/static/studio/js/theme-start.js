// Runs before the page is drawn, so that it never flashes in the other theme. See theme.js.
document.documentElement.dataset.theme = localStorage.getItem("pirouette-theme") ?? "evening";

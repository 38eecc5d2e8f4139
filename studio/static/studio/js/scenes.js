// The list of scenes: asks before something is removed.

for (const form of document.querySelectorAll("form[data-confirm]")) {
  form.addEventListener("submit", (event) => {
    if (!window.confirm(form.dataset.confirm)) event.preventDefault();
  });
}
document.getElementById("import-file")?.addEventListener("change", (event) => event.target.form.submit());

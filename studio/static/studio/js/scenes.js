// The pages of scenes and assets: ask before something is removed, and send files that are chosen or dropped.

for (const form of document.querySelectorAll("form[data-confirm]")) {
  form.addEventListener("submit", (event) => {
    if (!window.confirm(form.dataset.confirm)) event.preventDefault();
  });
}
document.getElementById("import-file")?.addEventListener("change", (event) => event.target.form.submit());
for (const input of document.querySelectorAll("input[data-submit]"))
  input.addEventListener("change", () => input.files.length && input.form.submit());

// Files dropped anywhere on the page go to its form for new ones.
const target = document.querySelector("form[data-drop]");
if (target) {
  document.addEventListener("dragover", (event) => {
    event.preventDefault();
    target.classList.add("over");
  });
  document.addEventListener("dragleave", (event) => event.relatedTarget === null && target.classList.remove("over"));
  document.addEventListener("drop", (event) => {
    event.preventDefault();
    target.classList.remove("over");
    if (!event.dataTransfer.files.length) return;
    const input = target.querySelector("input[type=file]");
    input.files = event.dataTransfer.files;
    target.submit();
  });
}

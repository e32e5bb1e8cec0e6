// The console's keys, and the help that lists them.
import { onView, typing, visit } from "./view.js";

async function help(dialog) {
  const part = dialog.querySelector("[data-part]");
  if (!part.hasChildNodes()) {
    const answer = await fetch(dialog.dataset.from);
    part.innerHTML = await answer.text();
  }
  if (!dialog.open) dialog.showModal();
}

onView("body", (body, signal) => {
  const dialog = document.querySelector("#keys");
  document.addEventListener(
    "keydown",
    (event) => {
      const apply = document.querySelector("[data-key=apply]");
      if (event.key === "Enter" && event.ctrlKey && apply) {
        event.preventDefault();
        apply.click();
        return;
      }
      if (event.ctrlKey || event.metaKey || event.altKey || typing(event.target)) return;
      const find = document.querySelector("#find");
      const walk = document.querySelector("input[data-key=walk]") ?? document.querySelector("a[data-key=walk]");
      if (event.key === "/" && find) find.focus();
      else if (event.key === "w" && walk) {
        if (walk.href) visit(walk.href);
        else walk.focus();
      } else if (event.key === "?" && dialog) help(dialog);
      else return;
      event.preventDefault();
    },
    { signal },
  );
  document.addEventListener(
    "click",
    (event) => {
      if (event.target.closest("[data-close]")) event.target.closest("dialog").close();
    },
    { signal },
  );
});

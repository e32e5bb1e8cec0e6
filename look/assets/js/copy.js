// Copying, and adding a line to a list.
import { onView } from "./view.js";

onView("body", (body, signal) => {
  document.addEventListener(
    "click",
    async (event) => {
      const button = event.target.closest("[data-copy]");
      if (button) {
        const from = document.querySelector(button.dataset.copy);
        await navigator.clipboard.writeText(from.value ?? from.textContent.trim());
        button.textContent = "Copied";
      }
      const append = event.target.closest("[data-append]");
      if (append) {
        const list = document.querySelector(append.dataset.append);
        list.value = `${list.value.trimEnd()}${list.value.trim() ? "\n" : ""}${append.dataset.line}\n`;
        list.dispatchEvent(new Event("input", { bubbles: true }));
      }
      const dismiss = event.target.closest("[data-dismiss]");
      if (dismiss) dismiss.closest(dismiss.dataset.dismiss).remove();
    },
    { signal },
  );
});

// A colour that is picked is meant.
onView("[data-picks]", (input, signal) => {
  input.addEventListener(
    "input",
    () => {
      input.form.elements[input.dataset.picks].checked = false;
    },
    { signal },
  );
});

// A name is shown where it will stand, and proposes an address until one is typed.
onView("[data-names]", (input, signal) => {
  const address = input.form.elements[input.dataset.names];
  let typed = address.value !== "";
  address.addEventListener(
    "input",
    (event) => {
      if (event.isTrusted) typed = address.value !== "";
    },
    { signal },
  );
  input.addEventListener(
    "input",
    () => {
      for (const shown of document.querySelectorAll("[data-named]")) shown.textContent = input.value || "Your site";
      if (typed) return;
      const plain = input.value.normalize("NFD").replace(/\p{M}/gu, "").toLowerCase();
      address.value = plain
        .replace(/[^a-z0-9]+/g, "-")
        .replace(/^-+|-+$/g, "")
        .slice(0, 40)
        .replace(/-+$/, "");
      address.dispatchEvent(new Event("input", { bubbles: true }));
    },
    { signal },
  );
});

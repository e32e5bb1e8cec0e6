// Nothing typed is lost: what stands in a form and was not sent is kept in this tab, and put
// back when the form is shown again, whatever led away from it.
import { onView } from "./view.js";

const kinds =
  "input:not([type=password],[type=file],[type=hidden],[type=radio],[type=checkbox],[type=search]),textarea";
const keyOf = (form) =>
  `velada typed ${location.pathname} ${new URL(form.getAttribute("action") ?? "", location.href).pathname}`;
const stored = (key) => JSON.parse(sessionStorage.getItem(key) ?? "null");
const sent = "velada sent";

onView("form[method=post]:not([data-save])", (form, signal) => {
  const key = keyOf(form);
  const fields = [...form.querySelectorAll(kinds)].filter((field) => field.name && !field.readOnly);
  if (!fields.length) return;
  if (sessionStorage.getItem(sent) === key) {
    // the server has answered it: what it shows now holds
    sessionStorage.removeItem(key);
    sessionStorage.removeItem(sent);
  }
  const kept = stored(key);
  if (kept) {
    for (const field of fields) {
      const was = kept[field.name];
      if (was && was.from === field.defaultValue && field.value !== was.text) {
        field.value = was.text;
        field.dispatchEvent(new Event("input", { bubbles: true }));
      }
    }
  }
  form.addEventListener(
    "input",
    () => {
      const typed = {};
      for (const field of fields) {
        if (field.value !== field.defaultValue) typed[field.name] = { text: field.value, from: field.defaultValue };
      }
      if (Object.keys(typed).length) sessionStorage.setItem(key, JSON.stringify(typed));
      else sessionStorage.removeItem(key);
    },
    { signal },
  );
  form.addEventListener("submit", () => sessionStorage.setItem(sent, key), { signal });
  form.addEventListener("reset", () => sessionStorage.removeItem(key), { signal });
});

// A form that was sent and is not shown again was taken, unless what came is a problem.
onView("#main", () => {
  const key = sessionStorage.getItem(sent);
  if (!key) return;
  sessionStorage.removeItem(sent);
  if (!document.querySelector("[data-problem]")) sessionStorage.removeItem(key);
});

// Cancelling means it.
onView("form .acts a", (link, signal) => {
  link.addEventListener("click", () => sessionStorage.removeItem(keyOf(link.closest("form"))), { signal });
});

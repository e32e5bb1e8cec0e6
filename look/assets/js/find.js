// Finding a site, page or person: arrows choose, Enter opens, Escape closes.
import { onView, visit } from "./view.js";

onView(".find", (form, signal) => {
  const input = form.querySelector("#find");
  const list = form.querySelector("#hits");
  const hits = () => [...list.querySelectorAll("[role=option]")];
  let at = -1;

  function choose(n) {
    const all = hits();
    at = all.length ? (n + all.length) % all.length : -1;
    all.forEach((hit, i) => hit.setAttribute("aria-selected", String(i === at)));
    if (at < 0) input.removeAttribute("aria-activedescendant");
    else input.setAttribute("aria-activedescendant", all[at].id);
    all[at]?.scrollIntoView({ block: "nearest" });
  }
  function close() {
    list.replaceChildren();
    at = -1;
    input.setAttribute("aria-expanded", "false");
    input.removeAttribute("aria-activedescendant");
  }

  list.addEventListener(
    "htmx:after:swap",
    () => {
      at = -1;
      input.setAttribute("aria-expanded", String(hits().length > 0));
    },
    { signal },
  );
  input.addEventListener(
    "keydown",
    (event) => {
      const all = hits();
      if (event.key === "ArrowDown") choose(at + 1);
      else if (event.key === "ArrowUp") choose(at < 0 ? all.length - 1 : at - 1);
      else if (event.key === "Enter" && all.length) visit(all[Math.max(at, 0)].href);
      else if (event.key === "Escape") {
        if (!all.length && !input.value) input.blur();
        input.value = "";
        close();
      } else return;
      event.preventDefault();
    },
    { signal },
  );
  document.addEventListener(
    "click",
    (event) => {
      if (!form.contains(event.target)) close();
    },
    { signal },
  );
});

// Focus stays where the work is: after a view was swapped it is on the same thing again, or else
// on the heading of the view.
const place = (element) => {
  if (!element || element === document.body) return null;
  const form = element.form?.getAttribute("action") ?? "";
  const words = element.getAttribute("aria-label") ?? element.textContent.trim().slice(0, 60);
  return {
    path: location.pathname,
    id: element.id,
    tag: element.tagName,
    name: element.name ?? "",
    form,
    words,
    href: element.getAttribute("href"),
  };
};

const find = (was) =>
  (was.id && document.getElementById(was.id)) ||
  [...document.querySelectorAll(was.tag)].find((other) => {
    const is = place(other);
    return is.name === was.name && is.form === was.form && is.words === was.words && is.href === was.href;
  });

let was = null;
document.addEventListener("htmx:before:swap", (event) => {
  const target = event.detail?.ctx?.target ?? event.target;
  was = target === document.body ? place(document.activeElement) : null;
});
document.addEventListener("htmx:after:swap", (event) => {
  const target = event.detail?.ctx?.target ?? event.target;
  if (target !== document.body || document.activeElement !== document.body) return;
  const again = was && find(was);
  if (again && !document.querySelector("[autofocus]")) {
    again.focus({ preventScroll: true });
    return;
  }
  const heading = document.querySelector("#main h1") ?? document.querySelector("#main h2");
  if (!heading || document.querySelector("[autofocus]")) return;
  heading.tabIndex = -1;
  heading.focus({ preventScroll: true });
});

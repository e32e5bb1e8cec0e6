// What the scripts of the console have in common. Views are swapped in by htmx: a part of a
// script begins with each view that has what it works on, and its signal ends with that view.
const parts = [];
let mine = null;

// onView calls begin(element, signal) for every element that matches in each view.
export function onView(selector, begin) {
  parts.push([selector, begin]);
  if (mine) start(selector, begin);
}

function start(selector, begin) {
  for (const element of document.querySelectorAll(selector)) begin(element, mine.signal);
}

function show() {
  mine?.abort();
  mine = new AbortController();
  for (const [selector, begin] of parts) start(selector, begin);
}

// Whether something is typed into an element.
export const typing = (element) => element.matches?.("input,textarea,select,[contenteditable]");

// visit leads to another view.
export const visit = (href) => {
  location.href = href;
};

show();
document.addEventListener("htmx:after:swap", (event) => {
  const target = event.detail?.ctx?.target ?? event.target;
  if (target === document.body || target?.id === "main") show();
});

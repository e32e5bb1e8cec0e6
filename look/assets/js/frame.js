// The band and the tabs.
import { onView } from "./view.js";

// Where the tabs do not all fit, the one that one is on is seen.
onView(".tabs", (tabs) => {
  const here = tabs.querySelector("[aria-current]");
  if (here && tabs.scrollWidth > tabs.clientWidth) {
    tabs.scrollLeft = here.offsetLeft - (tabs.clientWidth - here.offsetWidth) / 2;
  }
});

// A sentence that is cut is opened by a touch.
onView("[data-standing]", (sentence, signal) => {
  sentence.addEventListener("click", () => sentence.classList.toggle("open"), { signal });
});

// A menu closes when something else is chosen, and with Escape.
onView("details.me", (menu, signal) => {
  const close = (event) => {
    if (!menu.contains(event.target)) menu.open = false;
  };
  document.addEventListener("click", close, { signal });
  menu.addEventListener(
    "keydown",
    (event) => {
      if (event.key !== "Escape") return;
      menu.open = false;
      menu.querySelector("summary").focus();
    },
    { signal },
  );
});

// What waits at the foot never covers what lies below it.
onView(".tray", (tray, signal) => {
  const room = new ResizeObserver(() => {
    document.documentElement.style.setProperty("--tray", `${tray.offsetHeight}px`);
  });
  room.observe(tray);
  signal.addEventListener("abort", () => {
    room.disconnect();
    document.documentElement.style.removeProperty("--tray");
  });
});

// Where there is little room, the list of pages is folded: what one came for stands above.
onView("[data-folds]", (list) => {
  if (matchMedia("(max-width: 640px)").matches) list.open = false;
});

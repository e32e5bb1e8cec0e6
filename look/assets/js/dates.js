// Dates are typed, or picked from a month; they read as everywhere: 24 Nov 2026 18:00.
import { onView } from "./view.js";

const months = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];
const days = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];
const two = (n) => String(n).padStart(2, "0");
const write = (d) => `${d.day} ${months[d.month]} ${d.year} ${two(d.hour)}:${two(d.minute)}`;

function read(text) {
  const words = /^(\d{1,2}) (\w{3})\w* (\d{4})(?:,? (\d{1,2}):(\d{2}))?$/.exec(text.trim());
  if (words) {
    const month = months.findIndex((name) => name.toLowerCase() === words[2].toLowerCase());
    if (month >= 0)
      return { day: +words[1], month, year: +words[3], hour: +(words[4] ?? 0), minute: +(words[5] ?? 0) };
  }
  const iso = /^(\d{4})-(\d{2})-(\d{2})T(\d{2}):(\d{2})/.exec(text.trim());
  return iso ? { year: +iso[1], month: iso[2] - 1, day: +iso[3], hour: +iso[4], minute: +iso[5] } : null;
}

// now is the house's time as the view was made: a device's clock may be another.
function now() {
  return { ...read(document.querySelector("[data-now]").dataset.now), minute: 0 };
}

function element(tag, attributes, ...children) {
  const made = document.createElement(tag);
  for (const [name, value] of Object.entries(attributes)) made.setAttribute(name, value);
  made.append(...children);
  return made;
}

onView("[data-date]", (box, signal) => {
  const input = box.querySelector("input");
  if (box.querySelector("button")) return;
  const label =
    box.closest("label")?.querySelector("span")?.textContent.trim() ?? input.getAttribute("aria-label") ?? "a date";
  const button = element("button", {
    type: "button",
    class: "pick-date",
    "aria-label": `Pick a date: ${label}`,
    "aria-expanded": "false",
  });
  button.innerHTML =
    '<svg width="16" height="16" viewBox="0 0 16 16" aria-hidden="true"><path d="M1.5 3.5h13v11h-13zM1.5 6.5h13M5 1.5v3M11 1.5v3"/></svg>';
  box.append(button);
  let pane = null;
  let shown = null;

  const chosen = () => read(input.value);
  const set = (date) => {
    input.value = write(date);
    input.dispatchEvent(new Event("input", { bubbles: true }));
    input.dispatchEvent(new Event("change", { bubbles: true }));
  };
  const close = (focus) => {
    pane?.remove();
    pane = null;
    button.setAttribute("aria-expanded", "false");
    if (focus) button.focus();
  };

  function draw(focusDay) {
    const first = new Date(Date.UTC(shown.year, shown.month, 1));
    const length = new Date(Date.UTC(shown.year, shown.month + 1, 0)).getUTCDate();
    const at = chosen();
    const grid = element("div", {
      class: "month-days",
      role: "group",
      "aria-label": `${months[shown.month]} ${shown.year}`,
    });
    for (const name of days) grid.append(element("span", { "aria-hidden": "true" }, name.slice(0, 2)));
    for (let i = 0; i < (first.getUTCDay() + 6) % 7; i++) grid.append(element("span", {}));
    for (let day = 1; day <= length; day++) {
      const is = at && at.year === shown.year && at.month === shown.month && at.day === day;
      const one = element(
        "button",
        { type: "button", "data-day": day, "aria-label": `${day} ${months[shown.month]} ${shown.year}` },
        String(day),
      );
      if (is) one.setAttribute("aria-current", "date");
      grid.append(one);
    }
    const time = element("input", {
      type: "text",
      class: "time",
      inputmode: "numeric",
      maxlength: "5",
      "aria-label": "Time",
      value: at ? `${two(at.hour)}:${two(at.minute)}` : `${two(shown.hour)}:00`,
    });
    const step = (by, name) =>
      element("button", { type: "button", "data-step": by, "aria-label": name }, by < 0 ? "‹" : "›");
    pane.replaceChildren(
      element(
        "div",
        { class: "month-head" },
        step(-1, "Previous month"),
        element("b", {}, `${months[shown.month]} ${shown.year}`),
        step(1, "Next month"),
      ),
      grid,
      element(
        "div",
        { class: "month-foot" },
        time,
        element("button", { type: "button", class: "btn", "data-done": "" }, "Done"),
        element("button", { type: "button", class: "plainbtn", "data-clear": "" }, "No date"),
      ),
    );
    if (focusDay) pane.querySelector(`[data-day="${Math.min(focusDay, length)}"]`)?.focus();
  }
  const timeOf = () => {
    const m = /^(\d{1,2}):(\d{2})$/.exec(pane.querySelector(".time").value.trim());
    return m && m[1] < 24 && m[2] < 60 ? { hour: +m[1], minute: +m[2] } : { hour: 0, minute: 0 };
  };
  const turn = (by, day) => {
    const d = new Date(Date.UTC(shown.year, shown.month + by, 1));
    shown = { ...shown, year: d.getUTCFullYear(), month: d.getUTCMonth() };
    draw(day);
  };

  button.addEventListener(
    "click",
    (event) => {
      event.preventDefault();
      if (pane) return close(true);
      shown = chosen() ?? now();
      pane = element("div", { class: "month", role: "dialog", "aria-label": `Pick a date: ${label}` });
      box.append(pane);
      button.setAttribute("aria-expanded", "true");
      draw(shown.day);
    },
    { signal },
  );
  box.addEventListener(
    "click",
    (event) => {
      if (!pane || !pane.contains(event.target)) return;
      event.preventDefault();
      const day = event.target.closest("[data-day]");
      const step = event.target.closest("[data-step]");
      if (day) {
        set({ ...shown, ...timeOf(), day: +day.dataset.day });
        draw(+day.dataset.day);
      } else if (step) turn(+step.dataset.step, 1);
      else if (event.target.closest("[data-clear]")) {
        input.value = "";
        input.dispatchEvent(new Event("input", { bubbles: true }));
        close(true);
      } else if (event.target.closest("[data-done]")) {
        const at = chosen();
        if (at) set({ ...at, ...timeOf() });
        close(true);
      } else if (event.target.matches("input")) event.target.focus();
    },
    { signal },
  );
  box.addEventListener(
    "keydown",
    (event) => {
      if (!pane) return;
      const day = +(event.target.dataset?.day ?? 0);
      const moves = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -7, ArrowDown: 7 };
      if (event.key === "Escape") close(true);
      else if (event.key === "Enter" && event.target.matches(".time")) pane.querySelector("[data-done]").click();
      else if (day && moves[event.key]) {
        const d = new Date(Date.UTC(shown.year, shown.month, day + moves[event.key]));
        shown = { ...shown, year: d.getUTCFullYear(), month: d.getUTCMonth() };
        draw(d.getUTCDate());
      } else return;
      event.preventDefault();
      event.stopPropagation();
    },
    { signal },
  );
  document.addEventListener(
    "click",
    (event) => {
      if (pane && !event.composedPath().includes(box)) close(false);
    },
    { signal },
  );
});

// Where the house's clock is not this device's, that is said once in a view.
onView("body", (body) => {
  const zone = body.dataset.zone;
  const here = Intl.DateTimeFormat().resolvedOptions().timeZone;
  const main = document.querySelector("#main");
  if (!zone || !main || zone === here || main.querySelector(".zone-note")) return;
  main.append(
    element(
      "p",
      { class: "zone-note" },
      `All times are those of ${zone.replaceAll("_", " ")}, the house's time zone.`,
    ),
  );
});

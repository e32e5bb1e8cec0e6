// The calendar: an end of a lane is dragged, or moved by arrow keys, and what that would do is
// shown when it is let go, or when the keys have rested.
import { onView } from "./view.js";

const rest = 900; // ms after the last key until the move is sent
const dayLong = 86_400_000,
  hourLong = 3_600_000;

// Where an end would be: its distance in days and hours, told in the house's zone.
function move(picture, grip) {
  const { zone } = document.body.dataset;
  const format = new Intl.DateTimeFormat("en-GB", {
    timeZone: zone,
    weekday: "short",
    day: "numeric",
    month: "short",
    year: "numeric",
    hour: "2-digit",
    minute: "2-digit",
  });
  const holder = grip.parentElement,
    lane = grip.closest(".lane"),
    days = +picture.dataset.days;
  // what is too short to be seen is drawn some px wide
  const percent = (text) => (text?.endsWith("%") ? parseFloat(text) : 0);
  const start = percent(holder.getAttribute("x"));
  const bar = lane.querySelector(grip.dataset.edge === "from" ? ".bar" : ".bar:last-of-type");
  const left = percent(bar?.getAttribute("x")),
    width = percent(bar?.getAttribute("width"));
  const by = { days: 0, hours: 0 };
  const show = () => {
    const shift = (100 * (by.days + by.hours / 24)) / days;
    holder.setAttribute("x", `${start + shift}%`);
    if (bar && grip.dataset.edge === "until") bar.setAttribute("width", `${Math.max(0, width + shift)}%`);
    if (bar && grip.dataset.edge === "from") {
      bar.setAttribute("x", `${left + shift}%`);
      bar.setAttribute("width", `${Math.max(0, width - shift)}%`);
    }
    lane.classList.toggle("moving", by.days !== 0 || by.hours !== 0);
    const to = new Date(Date.parse(grip.dataset.at) + by.days * dayLong + by.hours * hourLong);
    const what = grip.dataset.edge === "from" ? "begins" : "ends";
    const text = `${grip.dataset.name} ${what} ${format.format(to)}`;
    document.querySelector("#cal-says").textContent = `${text}. Let go to see what that does.`;
    grip.setAttribute("aria-valuenow", by.days * 24 + by.hours);
    grip.setAttribute("aria-valuetext", text);
  };
  const send = () => {
    if (!by.days && !by.hours) return;
    const form = document.querySelector("#cal-move");
    const values = {
      site: lane.dataset.site,
      key: lane.dataset.key,
      edge: grip.dataset.edge,
      days: by.days,
      hours: by.hours,
      name: grip.dataset.name,
    };
    for (const [name, value] of Object.entries(values)) form.elements[name].value = value;
    grip.focus();
    form.requestSubmit();
  };
  return { by, show, send };
}

onView("[data-cal]", (picture, signal) => {
  let held = null, // by the pointer: the grip's move, and where it began
    keyed = null, // by keys: the grip and its move
    timer = 0;
  const listen = (type, what) => picture.addEventListener(type, what, { signal });

  listen("pointerdown", (event) => {
    const grip = event.target.closest?.(".grip");
    if (!grip) return;
    event.preventDefault();
    grip.focus();
    grip.setPointerCapture(event.pointerId);
    held = { move: move(picture, grip), x: event.clientX };
  });
  listen("pointermove", (event) => {
    if (!held) return;
    const days = ((event.clientX - held.x) / picture.getBoundingClientRect().width) * +picture.dataset.days;
    const { by } = held.move;
    if (picture.dataset.step === "hour") {
      const hours = Math.round(days * 24);
      by.days = Math.trunc(hours / 24);
      by.hours = hours % 24;
    } else by.days = Math.round(days);
    held.move.show();
  });
  listen("pointerup", () => {
    held?.move.send();
    held = null;
  });

  const drop = () => {
    clearTimeout(timer);
    if (keyed) {
      keyed.move.by.days = keyed.move.by.hours = 0;
      keyed.move.show();
    }
    keyed = null;
  };
  listen("keydown", (event) => {
    const grip = event.target.closest?.(".grip");
    if (!grip) return;
    const step = { ArrowLeft: -1, ArrowRight: 1, PageUp: -7, PageDown: 7 }[event.key];
    if (event.key === "Escape") drop();
    else if (event.key === "Enter" && keyed) keyed.move.send();
    else if (step) {
      if (keyed?.grip !== grip) drop();
      keyed ??= { grip, move: move(picture, grip) };
      const { by } = keyed.move;
      if (event.shiftKey) by.hours = Math.max(-23, Math.min(23, by.hours + step));
      else by.days += step;
      keyed.move.show();
      clearTimeout(timer);
      timer = setTimeout(() => keyed?.move.send(), rest);
    } else return;
    event.preventDefault();
  });
  signal.addEventListener("abort", () => clearTimeout(timer));
});

// The matrix of sightlines: arrow keys and the pointer choose a window, which is
// read out; Enter or a click leads to its why. Delegated, since views are
// swapped in by htmx.
import { onView } from "./view.js";

const column = 108,
  row = 34,
  rowsOfBand = 25;
let at = null; // of the matrix at hand: [row, column]
let wanted = null; // where the band is not drawn yet

const headsOf = (matrix) => [...matrix.querySelectorAll(".heads a")];
const bandOf = (matrix, r) => matrix.querySelector(`.sight-band[data-first="${r - (r % rowsOfBand)}"]`);
const rowAt = (matrix, r) => bandOf(matrix, r)?.querySelectorAll(".rows a")[r % rowsOfBand];
const meaning = (letter) =>
  document.querySelector(`.legend [data-letter="${letter}"]`)?.dataset.text ?? "nobody is in it";

function describe(line, head, c) {
  const { is, was, some } = line.dataset;
  const text = `${head.dataset.name}, ${line.querySelector("span").textContent}: ${some?.split("|")[c] || meaning(is[c])}`;
  return was && was[c] !== "." ? `${text}; before: ${meaning(was[c])}` : text;
}

function choose(matrix, r, c) {
  const heads = headsOf(matrix),
    cursor = matrix.querySelector(".cursor");
  r = Math.min(Math.max(r, 0), Number(matrix.dataset.rows) - 1);
  c = Math.min(Math.max(c, 0), heads.length - 1);
  const line = rowAt(matrix, r);
  if (!line) {
    wanted = [r, c];
    bandOf(matrix, r).scrollIntoView({ block: "nearest" });
    return;
  }
  wanted = null;
  at = [r, c];
  cursor.hidden = false;
  const box = line.closest(".sight-band").querySelector(".cells").getBoundingClientRect(),
    frame = matrix.getBoundingClientRect();
  const left = box.left - frame.left + matrix.scrollLeft + c * column + column / 2 - 17;
  const top = box.top - frame.top + matrix.scrollTop + (r % rowsOfBand) * row + 2;
  cursor.style.left = `${left}px`;
  cursor.style.top = `${top}px`;
  const names = matrix.querySelector(".rows").offsetWidth;
  if (left - matrix.scrollLeft < names) matrix.scrollLeft = left - names - 20;
  else if (left + 60 > matrix.scrollLeft + matrix.clientWidth) matrix.scrollLeft = left + 60 - matrix.clientWidth;
  if (top - matrix.scrollTop < 70) matrix.scrollTop = top - 80;
  else if (top + 44 > matrix.scrollTop + matrix.clientHeight) matrix.scrollTop = top + 50 - matrix.clientHeight;
  document.querySelector("#sight-read").textContent = describe(line, heads[c], c);
}

function open(matrix) {
  const query = new URLSearchParams();
  const page = rowAt(matrix, at[0]).dataset.page,
    who = headsOf(matrix)[at[1]].dataset.who;
  if (page) query.set("page", page);
  if (who && who !== "stranger") query.set("as", who);
  if (matrix.dataset.at) query.set("at", matrix.dataset.at);
  location.href = `${matrix.dataset.door}?${query}`;
}

onView(".matrix", (view, signal) => {
  at = wanted = null;
  document.addEventListener("htmx:after:swap", () => wanted && choose(view, ...wanted), { signal });
  document.addEventListener(
    "keydown",
    (event) => {
      const matrix = event.target;
      if (!matrix.matches?.(".matrix")) return;
      const moves = {
        ArrowUp: [-1, 0],
        ArrowDown: [1, 0],
        ArrowLeft: [0, -1],
        ArrowRight: [0, 1],
        PageDown: [12, 0],
        PageUp: [-12, 0],
      };
      if (event.key === "Enter" && at && !event.ctrlKey) open(matrix);
      else if (moves[event.key]) {
        const from = wanted ?? at;
        choose(matrix, ...(from ? [from[0] + moves[event.key][0], from[1] + moves[event.key][1]] : [0, 0]));
      } else return;
      event.preventDefault();
    },
    { signal },
  );

  document.addEventListener(
    "click",
    (event) => {
      const cells = event.target.closest?.(".matrix .cells");
      if (!cells) return;
      const matrix = cells.closest(".matrix"),
        box = cells.getBoundingClientRect();
      choose(
        matrix,
        Number(cells.closest(".sight-band").dataset.first) + Math.floor((event.clientY - box.top) / row),
        Math.floor((event.clientX - box.left) / column),
      );
      open(matrix);
    },
    { signal },
  );
});

// The picture as PNG is drawn from the one as SVG.
onView("[data-png]", (link, signal) =>
  link.addEventListener(
    "click",
    (event) => {
      event.preventDefault();
      const picture = new Image();
      picture.onload = () => {
        const scale = Math.min(2, 8000 / Math.max(picture.naturalWidth, picture.naturalHeight));
        const canvas = document.createElement("canvas");
        canvas.width = picture.naturalWidth * scale;
        canvas.height = picture.naturalHeight * scale;
        canvas.getContext("2d").drawImage(picture, 0, 0, canvas.width, canvas.height);
        const save = document.createElement("a");
        save.href = canvas.toDataURL("image/png");
        save.download = link.dataset.png;
        save.click();
      };
      picture.src = link.href;
    },
    { signal },
  ),
);

onView(".cells .w-breach", (breach) => breach.scrollIntoView({ block: "center", inline: "center" }));

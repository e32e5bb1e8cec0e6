// The matrix of sightlines: arrow keys and the pointer choose a window, which is
// read out; Enter or a click leads to its why. Delegated, since views are
// swapped in by htmx.
import { onView } from "./view.js";

const column = 108,
  row = 34;
let at = null; // of the matrix at hand: [row, column]

const parts = (matrix) => ({
  rows: [...matrix.querySelectorAll(".rows a")],
  heads: [...matrix.querySelectorAll(".heads a")],
  bands: [...matrix.querySelectorAll(".cells")],
  cursor: matrix.querySelector(".cursor"),
});
const meaning = (letter) =>
  document.querySelector(`.legend [data-letter="${letter}"]`)?.dataset.text ?? "nobody is in it";

function describe(rows, heads, r, c) {
  const { is, was, some } = rows[r].dataset;
  const text = `${heads[c].dataset.name}, ${rows[r].querySelector("span").textContent}: ${some?.split("|")[c] || meaning(is[c])}`;
  return was && was[c] !== "." ? `${text}; before: ${meaning(was[c])}` : text;
}

function choose(matrix, r, c) {
  const { rows, heads, bands, cursor } = parts(matrix);
  r = Math.min(Math.max(r, 0), rows.length - 1);
  c = Math.min(Math.max(c, 0), heads.length - 1);
  at = [r, c];
  const perBand = bands[0].getAttribute("height") / row;
  cursor.hidden = false;
  const box = bands[Math.floor(r / perBand)].getBoundingClientRect(),
    frame = matrix.getBoundingClientRect();
  const left = box.left - frame.left + matrix.scrollLeft + c * column + column / 2 - 17;
  const top = box.top - frame.top + matrix.scrollTop + (r % perBand) * row + 2;
  cursor.style.left = `${left}px`;
  cursor.style.top = `${top}px`;
  const names = matrix.querySelector(".rows").offsetWidth;
  if (left - matrix.scrollLeft < names) matrix.scrollLeft = left - names - 20;
  else if (left + 60 > matrix.scrollLeft + matrix.clientWidth) matrix.scrollLeft = left + 60 - matrix.clientWidth;
  if (top - matrix.scrollTop < 70) matrix.scrollTop = top - 80;
  else if (top + 44 > matrix.scrollTop + matrix.clientHeight) matrix.scrollTop = top + 50 - matrix.clientHeight;
  document.querySelector("#sight-read").textContent = describe(rows, heads, r, c);
}

function open(matrix) {
  const { rows, heads } = parts(matrix);
  const query = new URLSearchParams();
  const page = rows[at[0]].dataset.page,
    who = heads[at[1]].dataset.who;
  if (page) query.set("page", page);
  if (who && who !== "stranger") query.set("as", who);
  if (matrix.dataset.at) query.set("at", matrix.dataset.at);
  location.href = `${matrix.dataset.door}?${query}`;
}

onView(".matrix", (view, signal) => {
  at = null;
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
      else if (moves[event.key])
        choose(matrix, ...(at ? [at[0] + moves[event.key][0], at[1] + moves[event.key][1]] : [0, 0]));
      else return;
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
      const before = rowsAbove(matrix, cells);
      choose(
        matrix,
        before + Math.floor((event.clientY - box.top) / row),
        Math.floor((event.clientX - box.left) / column),
      );
      open(matrix);
    },
    { signal },
  );
});

const rowsAbove = (matrix, cells) => {
  const { bands } = parts(matrix);
  return bands.slice(0, bands.indexOf(cells)).reduce((n, band) => n + band.getAttribute("height") / row, 0);
};

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

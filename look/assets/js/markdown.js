// Writes Markdown for those who know none: each word of the bar changes what is selected, and
// takes it back where it is there already.

// put replaces a stretch of a text so that the browser can undo it, and selects part of it.
function put(area, from, to, text, start = from, end = from + text.length) {
  area.focus();
  area.setSelectionRange(from, to);
  if (!document.execCommand("insertText", false, text)) {
    area.setRangeText(text, from, to, "end");
    area.dispatchEvent(new Event("input", { bubbles: true }));
  }
  area.setSelectionRange(start, end);
}

function bold(area) {
  const { value, selectionStart: from, selectionEnd: to } = area;
  if (value.slice(from - 2, from) === "**" && value.slice(to, to + 2) === "**") {
    put(area, from - 2, to + 2, value.slice(from, to));
    return;
  }
  const text = value.slice(from, to) || "important";
  put(area, from, to, `**${text}**`, from + 2, from + 2 + text.length);
}

// lines puts a mark before each line of the selection, or takes it away.
function lines(area, mark) {
  const { value, selectionStart, selectionEnd } = area;
  const from = value.lastIndexOf("\n", selectionStart - 1) + 1;
  const next = value.indexOf("\n", selectionEnd);
  const to = next < 0 ? value.length : next;
  const all = value.slice(from, to).split("\n");
  const marked = all.every((line) => line.startsWith(mark));
  put(area, from, to, all.map((line) => (marked ? line.slice(mark.length) : mark + line)).join("\n"));
}

function link(area) {
  const { value, selectionStart: from, selectionEnd: to } = area;
  const text = value.slice(from, to) || "words to click";
  const at = from + text.length + 3;
  put(area, from, to, `[${text}](https://)`, at, at + 8);
}

function table(area) {
  const { value, selectionEnd } = area;
  const next = value.indexOf("\n", selectionEnd);
  const at = next < 0 ? value.length : next;
  const text = `${at ? "\n\n" : ""}| What | When |\n| --- | --- |\n| First | |\n| Second | |\n`;
  const name = at + text.indexOf("What");
  put(area, at, at, text, name, name + 4);
}

// Stretches that are shown in a way of their own, with what to write over selected.
const blocks = {
  columns: ["::: columns\nThe left column\n\n---\n\nThe right column\n:::", "The left column"],
  cards: ["::: cards\n- [A page](/path) What it is about.\n- [Another](/path) What it is about.\n:::", "A page"],
  gallery: ["::: gallery\n![What it shows](/path.jpg \"Caption\")\n![What it shows](/path.jpg \"Caption\")\n:::", "What it shows"],
  notice: ["::: notice Please note\nWhat everybody is to see.\n:::", "What everybody is to see."],
  button: ["::: button\n[Come to the next night](/path)\n:::", "Come to the next night"],
  fold: ["::: fold What opens it\nWhat is shown then.\n:::", "What opens it"],
  dates: ["::: dates\n- 2026-12-11 19:30 – 23:00 What takes place\n- 2026-12-12 All day\n:::", "2026-12-11 19:30 – 23:00 What takes place"],
  files: ["::: files\n:::", "::: files"],
  contact: ["::: contact Write to us\n:::", "Write to us"],
  map: ["::: map\n![Map: how to get there](/map.jpg)\n\nThe address, and how to get there.\n:::", "/map.jpg"],
  video: ["::: video What it shows\n[Film](/film.mp4) [Captions](/captions.vtt)\n:::", "/film.mp4"],
  audio: ["::: audio What one hears\n[Recording](/sound.mp3)\n:::", "/sound.mp3"],
  below: ["::: below\n:::", "::: below"],
  quote: ["> What somebody said.\n>\n> — Who said it", "What somebody said."],
  picture: ["![What it shows](/path.jpg \"The caption\")", "The caption"],
  footnote: ["A sentence.[^1]\n\n[^1]: What stands at the foot of the page.", "What stands at the foot of the page."],
};

function block(area, name) {
  const { value, selectionEnd } = area;
  const next = value.indexOf("\n", selectionEnd);
  const at = next < 0 ? value.length : next;
  const [text, selected] = blocks[name];
  const whole = `${at ? "\n\n" : ""}${text}\n`;
  const start = at + whole.indexOf(selected);
  put(area, at, at, whole, start, start + selected.length);
}

const writes = { bold, link, table, heading: (area) => lines(area, "## "), list: (area) => lines(area, "- ") };

// markdown does what a word of the bar says to a text area.
export const markdown = (area, word) => (blocks[word] ? block(area, word) : writes[word](area));

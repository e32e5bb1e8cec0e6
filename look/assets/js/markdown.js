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

const writes = { bold, link, table, heading: (area) => lines(area, "## "), list: (area) => lines(area, "- ") };

// markdown does what a word of the bar says to a text area.
export const markdown = (area, word) => writes[word](area);

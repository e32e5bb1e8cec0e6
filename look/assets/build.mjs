// Builds what the application ships into look/static: styles by Tailwind CSS, scripts by esbuild, fonts as subsets
// of npm packages, and what is copied as it is (make assets).
import { execFile } from "node:child_process";
import { createHash } from "node:crypto";
import { copyFileSync, mkdirSync, readFileSync, readdirSync, writeFileSync } from "node:fs";
import { promisify } from "node:util";
import { build } from "esbuild";
import subset from "subset-font";

const to = "look/static";
const run = promisify(execFile);
mkdirSync(`${to}/fonts`, { recursive: true });

for (const range of ["latin", "latin-ext"]) {
  for (const family of ["atkinson-hyperlegible-next", "bricolage-grotesque"]) {
    const name = `${family}-${range}-wght-normal.woff2`;
    copyFileSync(`node_modules/@fontsource-variable/${family}/files/${name}`, `${to}/fonts/${name}`);
  }
}

// The families of looks: axes that a look does not use are pinned, and the letters of western Europe stand in one file,
// those of the rest of Europe in another that is fetched where a page has some of them.
const letters = (from, till) => Array.from({ length: till - from }, (_, i) => String.fromCharCode(from + i)).join("");
const western = letters(0x20, 0x7f) + letters(0xa0, 0x100) + "ıŒœˆ˚˜–—‘’‚“”„†•…‹›€™←↑→↓−";
const eastern = letters(0x100, 0x180) + letters(0x218, 0x21c) + letters(0x1e80, 0x1e86) + "ẞ₺₽";
// Of what is set in italics on a front page only what its words need.
const words = letters(0x20, 0x7f) + "áàâäãåæçéèêëíìîïñóòôöõøœúùûüýÿßÁÀÂÄÅÆÇÉÈÊÍÑÓÖØÚÜ·«»¿¡ ­–—‘’“”„…";
const families = [
  { look: "broadside", family: "Newsreader", file: "newsreader", axes: "opsz-normal", weight: "400 650", text: words + "©®°²³½¼¾±×÷µ§€−→←", pin: { wght: { min: 400, max: 650 }, opsz: 20 } },
  { look: "broadside", family: "Newsreader", file: "newsreader", axes: "opsz-italic", weight: "400", italic: true, text: words, pin: { wght: 400, opsz: 16 } },
  { look: "noticeboard", family: "Instrument Sans", file: "instrument-sans", axes: "standard-normal", weight: "400 700", pin: { wght: { min: 400, max: 700 }, wdth: 100 } },
  { look: "vitrine", family: "Fraunces", file: "fraunces", axes: "full-normal", weight: "500 700", pin: { wght: { min: 500, max: 700 }, opsz: 60, SOFT: 0, WONK: 0 } },
  { look: "vitrine logbook", family: "Figtree", file: "figtree", axes: "wght-normal", weight: "400 700", pin: { wght: { min: 400, max: 700 } } },
  { look: "logbook", family: "Spline Sans Mono", file: "spline-sans-mono", axes: "wght-normal", weight: "400 600", pin: { wght: { min: 400, max: 600 } } },
  { look: "handbill", family: "Gabarito", file: "gabarito", axes: "wght-normal", weight: "400 900", pin: { wght: { min: 400, max: 900 } } },
];
const faces = {};
for (const f of families) {
  for (const [range, text, ext] of [["latin", f.text ?? western, ""], ["latin-ext", eastern, "-ext"]]) {
    const from = `node_modules/@fontsource-variable/${f.file}/files/${f.file}-${range}-${f.axes}.woff2`;
    const name = `${f.file}${f.italic ? "-italic" : ""}${ext}.woff2`;
    const font = await subset(readFileSync(from), text, { targetFormat: "woff2", variationAxes: f.pin, noLayoutClosure: true });
    writeFileSync(`${to}/fonts/${name}`, font);
    const codes = [...text].map((c) => c.codePointAt(0)).sort((a, b) => a - b);
    const ranges = [];
    for (const c of codes) {
      if (ranges.length && ranges.at(-1)[1] === c - 1) ranges.at(-1)[1] = c;
      else ranges.push([c, c]);
    }
    const hex = (c) => c.toString(16).toUpperCase();
    const unicode = ranges.map(([a, b]) => (a === b ? `U+${hex(a)}` : `U+${hex(a)}-${hex(b)}`)).join(",");
    for (const look of f.look.split(" ")) {
      (faces[look] ??= []).push(
        `@font-face{font-family:"${f.family}";src:url(fonts/${name});font-weight:${f.weight};font-style:${f.italic ? "italic" : "normal"};font-display:swap;unicode-range:${unicode}}`,
      );
    }
  }
}

const looks = readdirSync("look/assets/looks").filter((f) => !["frame.css", "base.css", "blocks.css"].includes(f)).map((f) => f.replace(".css", ""));
const styles = [["look/assets/theme.css", "velada"], ...looks.map((l) => [`look/assets/looks/${l}.css`, `site-${l}`])];
await Promise.all(styles.map(([from, name]) => run("npx", ["tailwindcss", "-i", from, "-o", `${to}/${name}.css`, "--minify"])));

// Fonts are named with the mark of their contents, as look.URL does, so that browsers keep them for ever. Visitors of a
// site see its words at once and in one place: a font that is not there by then is for the next page.
for (const [, name] of styles) {
  const look = name.replace("site-", "");
  const style = ((faces[look] ?? []).join("") + readFileSync(`${to}/${name}.css`, "utf8"))
    .replace(/url\((fonts\/[\w.-]+)\)/g, (_, font) => `url(${font}?${createHash("sha256").update(readFileSync(`${to}/${font}`)).digest("hex").slice(0, 12)})`)
    .replaceAll("font-display:swap", `font-display:${name === "velada" ? "swap" : "optional"}`);
  writeFileSync(`${to}/${name}.css`, style);
}

copyFileSync("node_modules/htmx.org/dist/htmx.min.js", `${to}/htmx.min.js`);
copyFileSync("look/assets/windows.svg", `${to}/windows.svg`);
await build({
  entryPoints: ["console", "countdown"].map((name) => `look/assets/js/${name}.js`),
  outdir: to,
  bundle: true,
  minify: true,
  format: "iife",
  target: "es2022",
  charset: "utf8",
});

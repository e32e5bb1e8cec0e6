// Bundles the scripts, and copies what the application ships from npm packages and from
// look/assets into look/static; the styles are built by Tailwind CSS beside it (make assets).
import { createHash } from "node:crypto";
import { copyFileSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { build } from "esbuild";

const to = "look/static";
mkdirSync(`${to}/fonts`, { recursive: true });
for (const range of ["latin", "latin-ext"]) {
  for (const family of ["atkinson-hyperlegible-next", "bricolage-grotesque"]) {
    const name = `${family}-${range}-wght-normal.woff2`;
    copyFileSync(`node_modules/@fontsource-variable/${family}/files/${name}`, `${to}/fonts/${name}`);
  }
}
// Fonts are named with the mark of their contents, as look.URL does, so that browsers keep them for ever. Visitors of a
// site see its words at once and in one place: a font that is not there by then is for the next page.
for (const [name, display] of [["velada", "swap"], ["site", "optional"]]) {
  const style = readFileSync(`${to}/${name}.css`, "utf8")
    .replace(/url\((fonts\/[\w.-]+)\)/g, (_, font) => `url(${font}?${createHash("sha256").update(readFileSync(`${to}/${font}`)).digest("hex").slice(0, 12)})`)
    .replaceAll("font-display:swap", `font-display:${display}`);
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

// Bundles the scripts, and copies what the application ships from npm packages and from
// look/assets into look/static; the styles are built by Tailwind CSS beside it (make assets).
import { copyFileSync, mkdirSync } from "node:fs";
import { build } from "esbuild";

const to = "look/static";
mkdirSync(`${to}/fonts`, { recursive: true });
for (const range of ["latin", "latin-ext"]) {
  for (const family of ["atkinson-hyperlegible-next", "bricolage-grotesque"]) {
    const name = `${family}-${range}-wght-normal.woff2`;
    copyFileSync(`node_modules/@fontsource-variable/${family}/files/${name}`, `${to}/fonts/${name}`);
  }
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

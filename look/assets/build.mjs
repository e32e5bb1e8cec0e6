// Copies what the application ships from npm packages and from look/assets into
// look/static; the styles are built by Tailwind CSS beside it (make assets).
import { copyFileSync, mkdirSync } from "node:fs";

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
for (const script of ["console", "countdown", "sightlines", "editor", "passkey"]) copyFileSync(`look/assets/${script}.js`, `${to}/${script}.js`);

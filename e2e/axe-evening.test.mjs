import { nothingSerious } from "./axe.mjs";

// Only colours differ from the day.
nothingSerious("in the evening", { viewport: { width: 1280, height: 800 }, colorScheme: "dark" }, ["color-contrast", "link-in-text-block"]);

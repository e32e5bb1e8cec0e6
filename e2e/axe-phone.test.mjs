import { nothingSerious } from "./axe.mjs";

// What is narrow may be too close together, scroll, or lose its name with its label; colours and the rest
// are as by day.
nothingSerious("on a phone", { viewport: { width: 360, height: 740 } }, ["target-size", "scrollable-region-focusable", "link-in-text-block", "meta-viewport", "button-name", "link-name", "label", "select-name", "aria-hidden-focus"]);

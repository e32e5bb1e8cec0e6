import { nothingSerious } from "./axe.mjs";

nothingSerious("by day", { viewport: { width: 1280, height: 800 } });

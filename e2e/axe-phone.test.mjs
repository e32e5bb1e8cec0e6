import { nothingSerious } from "./axe.mjs";

nothingSerious("on a phone", { viewport: { width: 360, height: 740 } });

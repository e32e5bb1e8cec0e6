// The console's scripts. Everything works without them; they only make the way shorter.
import "./frame.js";
import "./find.js";
import "./searches.js";
import "./keys.js";
import "./copy.js";
import "./upload.js";
import "./keep.js";
import "./dates.js";
import "./frames.js";
import "./focus.js";
import "./calendar.js";
import "./sightlines.js";
import "./editor.js";
import "./passkey.js";

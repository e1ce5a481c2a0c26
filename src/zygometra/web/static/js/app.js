/* What every page runs. Scripts move handles, open dialogs and send requests; the server reckons. */

import "./levers.js";
import "./handles.js";
import "./dialog.js";
import "./keys.js";
import "./drafts.js";
import "./notice.js";
import "./drop.js";
import "./offers.js";
import "./bar.js";
import "./newer.js";
import "./queue.js";

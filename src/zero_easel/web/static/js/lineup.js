// The line-up: all items of a shoot side by side on the line at their final scale. Rules and places are the server's;
// while something is dragged it is drawn here, and kept when it is let go.

import { drawAll } from "./lineup/drawing.js";
import { rules, send } from "./lineup/keeping.js";
import { root } from "./lineup/model.js";
import { hearSentences } from "./sentences.js";
import "./lineup/dragging.js";
import "./lineup/keys.js";

// The sentences: each rule is sent as it is changed, and the row follows.
const sendRule = (field, value, more = {}) =>
  send("place/rule", { body: new URLSearchParams({ field, value, category: root.dataset.category, view: root.dataset.view, page: root.dataset.page, ...more }) });

hearSentences(rules, sendRule);

for (const direction of ["undo", "redo"]) document.querySelector(`#step-${direction}`).disabled = false;
drawAll();
document.body.dataset.lineUp = "ready";

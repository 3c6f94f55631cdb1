// Brings files in, a few at a time, each with its own progress. The server tells photos from tables.

import { refresh } from "./refresh.js";

const form = document.querySelector("[data-takes-files]");
const panel = document.querySelector("#uploads");
const list = document.querySelector("#uploads-list");
const title = document.querySelector("#uploads-title");
const total = document.querySelector("#uploads-progress");
const close = document.querySelector("#uploads-close");
const AT_ONCE = 3;
const SHOWN = 400; // rows; thousands of finished ones would only slow the page
const queue = [];
let running = 0;
let count = 0;
let done = 0;
let bad = 0;
let seen = 0;

const say = () => {
  const open = count - done;
  title.textContent = open ? `Bringing in ${done} of ${count}` : `${done - bad} of ${count} brought in${bad ? `, ${bad} with a problem` : ""}`;
  total.max = count;
  total.value = done;
  total.hidden = !open;
  close.hidden = Boolean(open);
  // Where little room is, what went well needs no list.
  if (!open && "quiet" in form.dataset && !list.querySelector(".note, .fault")) panel.hidden = true;
};

const row = (name) => {
  const item = document.createElement("li");
  const mark = document.createElement("span");
  mark.className = "state-mark";
  const label = document.createElement("span");
  label.className = "mono";
  label.textContent = name;
  const bar = document.createElement("progress");
  bar.max = 1;
  bar.value = 0;
  item.append(mark, label, bar);
  if (list.children.length > SHOWN) list.querySelector("li.done")?.remove();
  list.append(item);
  return item;
};

const finish = (item, { ok, message, look = "" }) => {
  item.classList.add(ok ? "done" : "bad");
  item.querySelector("progress").remove();
  if (message) {
    const line = document.createElement("span");
    line.className = ok ? "note soft" : "fault";
    line.textContent = message;
    if (look) {
      const link = document.createElement("a");
      link.href = `/products/table/${look}?name=${encodeURIComponent(item.querySelector(".mono").textContent)}`;
      link.textContent = "Look at it";
      line.append(" ", link);
    }
    item.append(line);
    if (!ok) list.prepend(item);
  }
  done += 1;
  if (!ok) bad += 1;
  running -= 1;
  say();
  // What came in is seen while the rest is on its way.
  if ("quiet" in form.dataset && Date.now() - seen > 3000 && done < count) {
    seen = Date.now();
    refresh("#photo-list", "#whole-head");
  }
  next();
};

// The server answers with a line of JSON per file; an archive gives one for itself and one for each file in it.
const hear = (state, text, over) => {
  const lines = text.slice(state.read).split("\n");
  const rest = over ? "" : lines.pop();
  state.read = text.length - rest.length;
  for (const line of lines.filter(Boolean)) {
    const report = JSON.parse(line);
    state.last = report;
    if (report.kind === "archive") {
      count += report.of;
      state.archive = report;
    } else if (state.archive) {
      running += 1;
      finish(row(report.name), report);
    }
  }
  say();
};

const send = ({ file, folder }) => {
  const item = row(file.name);
  const body = new FormData();
  body.append("folder", folder);
  body.append("files", file, file.name);
  const request = new XMLHttpRequest();
  const state = { read: 0 };
  request.open("POST", form.action);
  request.setRequestHeader("Accept", "application/x-ndjson");
  request.upload.onprogress = (event) => {
    if (event.lengthComputable) item.querySelector("progress").value = event.loaded / event.total;
  };
  request.onprogress = () => request.status === 200 && hear(state, request.responseText, false);
  request.onload = () => {
    if (request.status === 200) hear(state, request.responseText, true);
    const report = request.status === 200 && (state.archive ?? state.last);
    if (report) finish(item, report);
    else finish(item, { ok: false, message: request.status === 413 ? `${file.name} is too large.` : `${file.name} was refused (${request.status}).` });
  };
  request.onerror = () => finish(item, { ok: false, message: `${file.name} did not arrive; is the application still running?` });
  request.send(body);
};

const next = () => {
  while (running < AT_ONCE && queue.length) {
    running += 1;
    send(queue.shift());
  }
  if (!running && !queue.length) refresh("#zero-line", "#photo-list", "#matches", "#whole-head");
};

// files: {file, folder}; a folder's own name does not count, only what lies within.
const take = (files) => {
  // Tables first: then every photo is matched the moment it arrives.
  const isTable = ({ file }) => /\.(csv|tsv|txt|xlsx)$/i.test(file.name);
  const chosen = [...files].filter(({ file }) => !file.name.startsWith("."));
  chosen.sort((a, b) => Number(isTable(b)) - Number(isTable(a)));
  if (!chosen.length) return;
  if (!running && !queue.length) {
    list.replaceChildren();
    count = done = bad = 0;
  }
  count += chosen.length;
  queue.push(...chosen);
  panel.hidden = false;
  say();
  next();
};

const folderOf = (path) => path.split("/").filter(Boolean).slice(1, -1).join("/");

// A file with the folder that it lay in, if a folder was chosen.
const lying = (file) => ({ file, folder: folderOf(`/${file.webkitRelativePath}`) });

// A dropped folder arrives as an entry that must be walked.
const walk = async (entry) => {
  if (entry.isFile) {
    const file = await new Promise((resolve, reject) => entry.file(resolve, reject));
    return [{ file, folder: folderOf(entry.fullPath) }];
  }
  const reader = entry.createReader();
  const found = [];
  for (;;) {
    const some = await new Promise((resolve, reject) => reader.readEntries(resolve, reject));
    if (!some.length) return found;
    for (const child of some) found.push(...(await walk(child)));
  }
};

form.addEventListener("dragover", () => form.classList.add("over"));
for (const name of ["dragleave", "drop"]) form.addEventListener(name, () => form.classList.remove("over"));
form.addEventListener("files-dropped", async ({ detail: { entries, files } }) => {
  if (entries.some((entry) => entry.isDirectory)) {
    const found = [];
    for (const entry of entries) found.push(...(await walk(entry)));
    take(found);
  } else take(files.map(lying));
});
for (const input of form.querySelectorAll("input[type=file]")) {
  const chosen = () => {
    take([...input.files].map(lying));
    input.value = "";
  };
  input.addEventListener("change", chosen);
  chosen(); // before this script was there
}
close.addEventListener("click", () => (panel.hidden = true));

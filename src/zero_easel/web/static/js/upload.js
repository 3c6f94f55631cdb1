// Brings files in, a few at a time, each with its own progress. The server tells photos from tables.

const form = document.querySelector("#drop");
const panel = document.querySelector("#uploads");
const list = document.querySelector("#uploads-list");
const title = document.querySelector("#uploads-title");
const total = document.querySelector("#uploads-progress");
const close = document.querySelector("#uploads-close");
const AT_ONCE = 3;
const SHOWN = 400; // rows; thousands of finished ones would only slow the page
let queue = [];
let running = 0;
let count = 0;
let done = 0;
let bad = 0;

const say = () => {
  const open = count - done;
  title.textContent = open ? `Bringing in ${done} of ${count}` : `${done - bad} of ${count} brought in${bad ? `, ${bad} with a problem` : ""}`;
  total.max = count;
  total.value = done;
  total.hidden = !open;
  close.hidden = Boolean(open);
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

const finish = (item, ok, said) => {
  item.classList.add(ok ? "done" : "bad");
  item.querySelector("progress").remove();
  if (said) {
    const line = document.createElement("span");
    line.className = ok ? "note soft" : "fault";
    line.textContent = said;
    item.append(line);
    if (!ok) list.prepend(item);
  }
  done += 1;
  if (!ok) bad += 1;
  running -= 1;
  say();
  next();
};

const send = (file) => {
  const item = row(file.name);
  const body = new FormData();
  body.append("files", file, file.name);
  const request = new XMLHttpRequest();
  request.open("POST", form.action);
  request.setRequestHeader("Accept", "application/json");
  request.responseType = "json";
  request.upload.onprogress = (event) => {
    if (event.lengthComputable) item.querySelector("progress").value = event.loaded / event.total;
  };
  request.onload = () => {
    const report = request.status === 200 && request.response?.[0];
    if (report) finish(item, report.ok, report.said);
    else finish(item, false, request.status === 413 ? `${file.name} is too large.` : `${file.name} was refused (${request.status}).`);
  };
  request.onerror = () => finish(item, false, `${file.name} did not arrive; is the application still running?`);
  request.send(body);
};

const next = () => {
  while (running < AT_ONCE && queue.length) {
    running += 1;
    send(queue.shift());
  }
  if (!running && !queue.length) refresh();
};

// What is on the page may have changed everywhere: stages, list, matches.
const refresh = () => {
  const wanted = ["#zero-line", "#photo-list", "#matches"].filter((id) => document.querySelector(id));
  const codes = document.querySelector("#codes");
  fetch(form.dataset.refresh).then((answer) => answer.text()).then((text) => {
    const page = new DOMParser().parseFromString(text, "text/html");
    for (const id of codes ? [...wanted, "#codes"] : wanted) {
      const fresh = page.querySelector(id);
      document.querySelector(id).replaceWith(fresh);
      window.htmx.process(fresh);
    }
  });
};

const take = (files) => {
  // Tables first: then every photo is matched the moment it arrives.
  const isTable = (file) => /\.(csv|tsv|txt)$/i.test(file.name);
  const chosen = [...files].filter((file) => !file.name.startsWith("."));
  chosen.sort((a, b) => isTable(b) - isTable(a));
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

// A dropped folder arrives as an entry that must be walked.
const walk = async (entry) => {
  if (entry.isFile) return [await new Promise((resolve, reject) => entry.file(resolve, reject))];
  const reader = entry.createReader();
  const found = [];
  for (;;) {
    const some = await new Promise((resolve, reject) => reader.readEntries(resolve, reject));
    if (!some.length) return found;
    for (const child of some) found.push(...(await walk(child)));
  }
};

form.addEventListener("dragover", (event) => {
  event.preventDefault();
  form.classList.add("over");
});
form.addEventListener("dragleave", () => form.classList.remove("over"));
form.addEventListener("drop", async (event) => {
  event.preventDefault();
  form.classList.remove("over");
  const entries = [...event.dataTransfer.items].map((item) => item.webkitGetAsEntry?.()).filter(Boolean);
  const files = [...event.dataTransfer.files];
  if (entries.some((entry) => entry.isDirectory)) {
    const found = [];
    for (const entry of entries) found.push(...(await walk(entry)));
    take(found);
  } else take(files);
});
for (const input of form.querySelectorAll("input[type=file]")) {
  input.addEventListener("change", () => {
    take(input.files);
    input.value = "";
  });
}
close.addEventListener("click", () => (panel.hidden = true));

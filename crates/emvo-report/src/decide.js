// Questions are decided one after the other, by buttons or keys, and saved as the sheet that
// the next command reads. Nothing is sent anywhere: the file goes where downloads go.
const asked = JSON.parse(document.getElementById("asked").textContent);
const part = document.getElementById("questions");
const element = (name) => part.querySelector(`[data-part=${name}]`);
const count = (number) => number.toLocaleString("en");
const answerColumn = asked.columns.indexOf("answer");
const texts = asked.list.map((one) => [one.question, one.why, ...one.sides, ...one.rows.flat()].join(" ").toLowerCase());
const decided = new Array(asked.list.length).fill("");
let shown = asked.list.map((_, at) => at);
let place = 0;
let saved = true;

const made = (name, text, className) => {
  const node = document.createElement(name);
  node.textContent = text;
  if (className) node.className = className;
  return node;
};

// Those without an answer that are asked for the same reason; the one that is looked at too.
const alike = (at) => asked.list.flatMap((one, other) => (other === at || (one.kind === asked.list[at].kind && !decided[other]) ? [other] : []));

const rowsOf = (one) =>
  one.rows.map(([field, first, second, differs]) => {
    const row = document.createElement("tr");
    const head = made("th", field);
    head.scope = "row";
    if (differs) {
      row.className = "differs";
      head.append(made("span", " differs"));
    }
    row.append(head);
    for (const [side, text] of [first, second].entries()) {
      const cell = made("td", text || "—", text ? "" : "none");
      cell.dataset.label = one.sides[side];
      row.append(cell);
    }
    return row;
  });

const show = () => {
  const all = decided.filter(Boolean).length;
  element("done").value = all;
  element("progress").textContent = `${count(all)} of ${count(decided.length)} decided`;
  element("save").disabled = all === 0;
  const at = shown[place];
  element("one").hidden = at === undefined;
  element("none").hidden = at !== undefined;
  if (at === undefined) return;
  const one = asked.list[at];
  element("place").textContent = `${count(place + 1)} of ${count(shown.length)}`;
  element("question").textContent = one.question;
  element("why").textContent = one.why;
  element("first").textContent = one.sides[0];
  element("second").textContent = one.sides[1];
  element("rows").replaceChildren(...rowsOf(one));
  element("alike-count").textContent = count(alike(at).length);
  for (const button of element("answers").querySelectorAll("button")) {
    button.setAttribute("aria-pressed", String(button.value !== "" && button.value === decided[at]));
  }
};

const move = (by) => {
  place = Math.max(0, Math.min(shown.length - 1, place + by));
  show();
};

// What is answered stays in its place until the list is chosen anew, so that nobody loses theirs.
const answer = (word) => {
  const at = shown[place];
  if (at === undefined) return;
  const several = element("alike").checked;
  for (const one of several ? alike(at) : [at]) decided[one] = word;
  element("alike").checked = false;
  saved = false;
  element("said").textContent = "";
  const next = shown.findIndex((other, here) => here > place && !decided[other]);
  if (word) place = next >= 0 ? next : Math.min(place + 1, shown.length - 1);
  show();
};

const filter = () => {
  const at = shown[place];
  const words = element("search").value.toLowerCase().split(/\s+/).filter(Boolean);
  const kind = element("kind").value;
  const open = element("open").checked;
  const fits = (one) => words.every((word) => texts[one].includes(word)) && (!kind || asked.list[one].kind === kind) && !(open && decided[one]);
  shown = asked.list.map((_, one) => one).filter(fits);
  place = Math.max(0, shown.indexOf(at));
  show();
};

// RFC 4180: a cell with a comma, a quote or a line break stands in quotes.
const cell = (text) => (/[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);
const sheet = () => {
  const rows = asked.list.map((one, at) => one.cells.map((text, column) => (column === answerColumn ? decided[at] : text)));
  return "\ufeff" + [asked.columns, ...rows].map((row) => row.map(cell).join(",") + "\r\n").join("");
};

const save = () => {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([sheet()], { type: "text/csv" }));
  link.download = asked.file;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10000);
  saved = true;
  element("said").textContent = `Saved as ${asked.file}, where downloads go.`;
};

const cellsOf = (text) => {
  const rows = [[""]];
  let quoted = false;
  for (let at = 0; at < text.length; at++) {
    const row = rows[rows.length - 1];
    const letter = text[at];
    if (letter === '"' && quoted && text[at + 1] === '"') row[row.length - 1] += text[++at];
    else if (letter === '"') quoted = !quoted;
    else if (quoted || !/[,\r\n]/.test(letter)) row[row.length - 1] += letter;
    else if (letter === ",") row.push("");
    else if (letter === "\n") rows.push([""]);
  }
  return rows;
};

const goOn = async (file) => {
  const [columns, ...rows] = cellsOf((await file.text()).replace(/^\ufeff/, ""));
  const key = (cells) => JSON.stringify(cells.filter((_, column) => column !== answerColumn));
  const known = new Map(rows.map((row) => [key(row), row[answerColumn]]));
  const words = asked.answers.map((one) => one.word);
  let taken = 0;
  asked.list.forEach((one, at) => {
    const word = known.get(key(one.cells));
    if (!words.includes(word)) return;
    decided[at] = word;
    taken++;
  });
  const fits = columns.join() === asked.columns.join();
  element("said").textContent = fits ? `${count(taken)} answers taken from ${file.name}.` : `${file.name} is no file of answers that this page has saved.`;
  place = Math.max(0, shown.findIndex((at) => !decided[at]));
  show();
};

for (const kind of new Set(asked.list.map((one) => one.kind))) {
  const option = made("option", `${kind} (${count(asked.list.filter((one) => one.kind === kind).length)})`);
  option.value = kind;
  element("kind").append(option);
}
for (const { word, label, key } of [...asked.answers, { word: "", label: "Decide later", key: "l" }]) {
  const button = made("button", `${label} `);
  button.type = "button";
  button.value = word;
  button.append(made("kbd", key));
  button.addEventListener("click", () => answer(word));
  element("answers").append(button);
}
const keys = new Map([...asked.answers.map(({ key, word }) => [key, () => answer(word)]), ["l", () => answer("")]]);
keys.set("ArrowLeft", () => move(-1)).set("ArrowRight", () => move(1));
keys.set("a", () => (element("alike").checked = !element("alike").checked));
document.addEventListener("keydown", (event) => {
  const writes = /^(INPUT|SELECT|TEXTAREA)$/.test(event.target.tagName) && event.target.type !== "checkbox";
  if (writes || event.ctrlKey || event.metaKey || event.altKey || !keys.has(event.key)) return;
  event.preventDefault();
  keys.get(event.key)();
});
element("back").addEventListener("click", () => move(-1));
element("on").addEventListener("click", () => move(1));
element("save").addEventListener("click", save);
element("file").addEventListener("change", (event) => event.target.files[0] && goOn(event.target.files[0]));
for (const name of ["search", "kind", "open"]) element(name).addEventListener("input", filter);
addEventListener("beforeunload", (event) => {
  if (!saved) event.preventDefault();
});
part.hidden = false;
element("done").max = decided.length;
show();

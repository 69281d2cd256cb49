// Lists can be searched, beyond the rows that are shown, and put in order by any column.
const mostShown = 2000;
const collator = new Intl.Collator(undefined, { numeric: true });
const grouped = (number) => number.toLocaleString("en");

for (const list of document.querySelectorAll("table.list")) {
  const body = list.tBodies[0];
  const headers = [...list.tHead.rows[0].cells];
  const labels = headers.map((header) => header.textContent);
  const status = list.caption.querySelector("[role=status]");
  const asWritten = status.textContent;
  const rows = [...body.rows].map((row) => [...row.cells].map((cell) => cell.textContent));
  const more = document.querySelector(`script[data-more="${list.id}"]`);
  if (more) rows.push(...JSON.parse(more.textContent));
  const texts = rows.map((row) => row.join(" ").toLowerCase());
  let words = [];
  let order = { column: -1, down: false };

  const element = (row) => {
    const line = document.createElement("tr");
    row.forEach((text, at) => {
      const cell = line.insertCell();
      // A path may go on in the next line behind each folder.
      text.split(/(?<=\/)/).forEach((part, place) => cell.append(...(place ? [document.createElement("wbr"), part] : [part])));
      cell.dataset.label = labels[at];
      if (text.split(/[ /]/).some((word) => word.length > 24)) cell.className = "long";
    });
    return line;
  };

  const show = () => {
    let found = rows.map((_, at) => at).filter((at) => words.every((word) => texts[at].includes(word)));
    if (order.column >= 0) {
      const sign = order.down ? -1 : 1;
      found.sort((one, two) => sign * collator.compare(rows[one][order.column], rows[two][order.column]) || one - two);
    }
    body.replaceChildren(...found.slice(0, mostShown).map((at) => element(rows[at])));
    const cut = found.length > mostShown ? `; the first ${grouped(mostShown)} are shown` : "";
    status.textContent = words.length ? `${grouped(found.length)} of ${grouped(rows.length)} rows${cut}` : asWritten;
  };

  headers.forEach((header, column) => {
    const button = document.createElement("button");
    button.type = "button";
    button.textContent = header.textContent;
    header.replaceChildren(button);
    header.dataset.label = button.textContent;
    button.addEventListener("click", () => {
      const again = order.column === column;
      // Up, down, and as it was written.
      order = again && order.down ? { column: -1, down: false } : { column, down: again };
      headers.forEach((other) => other.removeAttribute("aria-sort"));
      if (order.column >= 0) header.setAttribute("aria-sort", order.down ? "descending" : "ascending");
      show();
    });
  });

  const box = document.querySelector(`input[data-for="${list.id}"]`);
  if (box) {
    box.hidden = false;
    box.addEventListener("input", () => {
      words = box.value.toLowerCase().split(/\s+/).filter(Boolean);
      show();
    });
  }
}

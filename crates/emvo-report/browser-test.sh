#!/usr/bin/env bash
# Opens a report in a browser, as the person does who gets it by mail: the
# verdict, the counts and the lists show, a search finds and counts, columns sort, everything is
# reached by keyboard, and no column is cut on a screen of 1280 pixels nor one of 390.
# Usage: browser-test.sh PAGE.html VERDICT
# With AXE=path/to/axe.min.js, a checker of accessibility, it has to find nothing.
set -euo pipefail

page=$(realpath "$1")
verdict=$2
browser=$(command -v chromium || command -v chromium-browser || true)
if [ -z "$browser" ]; then
    apt-get update -qq && apt-get install -y -qq chromium
    browser=$(command -v chromium)
fi
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT
cat > "$folder/look.html" <<'HTML'
<!doctype html><body style="margin:0"><pre id="seen"></pre>
<iframe id="wide" width="1280" height="800"></iframe><iframe id="narrow" width="390" height="800"></iframe>
<script>
const seen = [];
const page = new URLSearchParams(location.search).get("page");
let left = 2;
for (const id of ["wide", "narrow"]) {
  const frame = document.getElementById(id);
  frame.addEventListener("load", () => {
    const shown = frame.contentDocument;
    const box = shown.scrollingElement;
    seen.push(id + " fits: " + (box.scrollWidth <= box.clientWidth));
    const lists = [...shown.querySelectorAll("table.list")];
    const cut = lists.filter((list) => list.parentElement.scrollWidth > list.parentElement.clientWidth);
    seen.push(id + " cut lists: " + cut.length);
    if (id === "wide") {
      seen.push("verdict: " + shown.getElementById("verdict").textContent);
      seen.push("counts: " + shown.querySelectorAll(".counts li").length);
      seen.push("rows: " + shown.querySelectorAll("table[id] tbody tr").length);
      seen.push("headers: " + shown.querySelectorAll("table[id] th[scope=col]").length);
      const unreached = [...shown.querySelectorAll(".wide")].filter((region) => region.tabIndex !== 0);
      seen.push("reached by keyboard: " + (unreached.length === 0 && shown.querySelectorAll("th button").length > 0));
      const box = shown.querySelector("input[data-for]");
      if (box) {
        const list = shown.getElementById(box.dataset.for);
        const status = list.querySelector("[role=status]");
        const search = (words) => { box.value = words; box.dispatchEvent(new Event("input")); };
        const all = list.tBodies[0].rows.length;
        search("no such words in any row");
        seen.push("nothing found: " + (list.tBodies[0].rows.length === 0 && status.textContent.startsWith("0 of ")));
        search(list.querySelector("tbody td")?.textContent ?? "");
        search("");
        seen.push("all again: " + (list.tBodies[0].rows.length === all));
        const header = list.tHead.rows[0].cells[2];
        const column = () => [...list.tBodies[0].rows].map((row) => row.cells[2].textContent);
        const before = column().join("|");
        header.firstChild.click();
        const up = column();
        seen.push("sorted: " + (header.ariaSort === "ascending" && up.join("|") === [...up].sort(new Intl.Collator(undefined, { numeric: true }).compare).join("|")));
        header.firstChild.click();
        header.firstChild.click();
        seen.push("as it was written: " + (!header.hasAttribute("aria-sort") && column().join("|") === before));
      }
    }
    if (--left === 0) document.getElementById("seen").textContent = seen.join("\n");
  });
  frame.src = page;
}
</script>
HTML
seen=$("$browser" --headless --no-sandbox --disable-gpu --allow-file-access-from-files \
    --virtual-time-budget=10000 --dump-dom "file://$folder/look.html?page=file://$page" 2>/dev/null)
expect() {
    if ! grep -qE "$1" <<< "$seen"; then
        echo "the page does not show: $1"
        sed -n '/<pre/,/<\/pre>/p' <<< "$seen"
        exit 1
    fi
}
expect "verdict: $verdict"
expect "wide fits: true"
expect "narrow fits: true"
expect "counts: [1-9]"
expect "rows: [1-9]"
expect "headers: [1-9]"
expect "reached by keyboard: true"
expect "nothing found: true"
expect "all again: true"
expect "sorted: true"
expect "as it was written: true"
expect "wide cut lists: 0"
expect "narrow cut lists: 0"
if [ -n "${AXE:-}" ]; then
    # The checker runs inside the page itself, in the light and the dark.
    for scheme in light dark; do
        python3 - "$page" "$AXE" "$folder/checked.html" "$scheme" <<'PYTHON'
import sys
page, checker, out, scheme = sys.argv[1:]
html = open(page, encoding="utf-8").read()
if scheme == "dark":
    html = html.replace("@media (prefers-color-scheme: dark)", "@media all")
run = """<script>addEventListener("load", () => axe.run().then(({ violations }) => {
  const told = violations.map((one) => one.id + ": " + one.nodes.map((node) => node.html.slice(0, 200)).join(" | "));
  document.body.dataset.checked = "found " + violations.length + " " + told.join("; ");
}));</script>"""
html = html.replace("</body>", "<script>" + open(checker, encoding="utf-8").read() + "</script>" + run + "</body>")
open(out, "w", encoding="utf-8").write(html)
PYTHON
        checked=$("$browser" --headless --no-sandbox --disable-gpu --virtual-time-budget=30000 \
            --dump-dom "file://$folder/checked.html" 2>/dev/null | grep -o 'data-checked="[^"]*"' | head -n 1)
        if [[ "$checked" != 'data-checked="found 0 "' ]]; then
            echo "the checker of accessibility finds, in the $scheme: $checked"
            exit 1
        fi
    done
fi
echo "the page shows what it should, at 1280 and 390 pixels: $(basename "$page")"

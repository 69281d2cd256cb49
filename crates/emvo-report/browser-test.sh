#!/usr/bin/env bash
# Opens a report in a browser, as the person does who gets it by mail: the
# verdict, the counts and the lists show, the filter filters, and the page fits
# a screen of 1280 and one of 390 pixels.
# Usage: browser-test.sh PAGE.html VERDICT
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
    if (id === "wide") {
      seen.push("verdict: " + shown.getElementById("verdict").textContent);
      seen.push("counts: " + shown.querySelectorAll(".counts li").length);
      seen.push("rows: " + shown.querySelectorAll("table[id] tbody tr").length);
      seen.push("headers: " + shown.querySelectorAll("table[id] th[scope=col]").length);
      const filter = shown.querySelector("input[data-for]");
      if (filter) {
        filter.value = "no such words in any row";
        filter.dispatchEvent(new Event("input"));
        const rows = shown.querySelectorAll("#" + filter.dataset.for + " tbody tr");
        seen.push("filtered: " + [...rows].every((row) => row.hidden));
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
expect "filtered: true"
echo "the page shows what it should, at 1280 and 390 pixels: $(basename "$page")"

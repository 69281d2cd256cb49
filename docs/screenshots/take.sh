#!/usr/bin/env bash
# Photographs the main commands at work on the demo exports, each in a terminal
# window of about 1280x800. Installs what it needs on a Debian machine.
set -euo pipefail
here=$(cd "$(dirname "$0")" && pwd)
root=$(cd "$here/../.." && pwd)

for tool in Xvfb xterm import xwininfo; do
  if ! command -v "$tool" > /dev/null; then
    apt-get update > /dev/null
    apt-get install -y xvfb xterm imagemagick x11-utils fonts-dejavu-core > /dev/null
    break
  fi
done

cargo build --release --quiet --manifest-path "$root/Cargo.toml"
work=$(mktemp -d)
export EMVO_LEDGER="$work/ledger.sqlite"
# Nobody is there to turn pages.
export PAGER=""
"$root/target/release/emvo" demo "$work" > /dev/null
# In the folder of the walk, where what it made is at hand.
mv "$work/walk" "$work/demo"
export PATH="$root/target/release:$PATH"

export DISPLAY=:87
Xvfb "$DISPLAY" -screen 0 1280x800x24 > /dev/null 2>&1 &
server=$!
trap 'kill "$server" 2> /dev/null || true; rm -rf "$work"' EXIT
sleep 1

# shot NAME COMMAND [LINES]: runs the command in a window and keeps a picture of it: of the
# command and the first lines of its answer, as many as a window holds. The command
# has a terminal of its own, so that it answers as it would to a person.
shot() {
  local name=$1 command=$2 lines=${3:-41}
  (
    cd "$work/demo"
    export SHOT="$command"
    exec xterm -geometry 156x47+0+0 -fa "DejaVu Sans Mono" -fs 10 -bg '#10151c' -fg '#d9dee5' +sb -e bash -c "
      printf '\033[1m\$ %s\033[0m\n' \"\$SHOT\"
      script -qec \"stty cols 156 rows 47; \$SHOT\" /dev/null < /dev/null | head -n $lines
      touch '$work/$name.done'; sleep 30"
  ) > /dev/null 2>&1 &
  local window=$!
  for _ in $(seq 50); do
    [ -e "$work/$name.done" ] && break
    sleep 0.2
  done
  sleep 0.7
  # Without what is empty below a short answer.
  import -window root png:- | convert - -fuzz 8% -trim +repage -fuzz 8% -trim +repage \
    -bordercolor '#10151c' -border 10 "$here/$name.png"
  kill "$window" 2> /dev/null || true
  wait "$window" 2> /dev/null || true
  echo "$name.png"
}

shot survey "emvo survey exports -v"
shot check "emvo check exports"
shot understood "emvo check office --zone Europe/Helsinki"
shot repair "emvo repair exports --zone Europe/Helsinki --consent Z03,Z04 -o fixed/" 34
shot retime "emvo retime exports/norrsund/crew.ics --express-in Europe/Helsinki -o helsinki.ics"
shot merge "emvo merge exports --zone Europe/Helsinki --name Norrsund -o all.ics --overwrite"
cat > "$work/demo/late.ics" <<'ICS'
BEGIN:VCALENDAR
VERSION:2.0
PRODID:-//Skarvik//Desk//EN
X-WR-CALNAME:Skarvik late
X-WR-CALDESC:What came in after the move
BEGIN:VEVENT
UID:late-1@skarvik.example.org
DTSTAMP:20260901T080000Z
SUMMARY:Handover at quay 2
DESCRIPTION:The keys are with Elsa
DTSTART:20261012T060000Z
DTEND:20261012T070000Z
END:VEVENT
BEGIN:VTODO
UID:late-2@skarvik.example.org
DTSTAMP:20260901T080000Z
SUMMARY:Order mooring lines
DUE:20261014T080000Z
END:VTODO
END:VCALENDAR
ICS
sed -e '/^DESCRIPTION/d' -e '/^BEGIN:VTODO/,/^END:VTODO/d' -e 's/What came in after the move/The desk of Norrsund/' \
  "$work/demo/late.ics" > "$work/demo/desk.ics"
shot account "emvo merge late.ics --into desk.ics -v -o both.ics; echo; cat both.left-behind.csv"
shot convert "emvo convert exports/skarvik/huolto.csv --zone Europe/Helsinki -v -o huolto.ics"
shot pick "emvo pick all.ics --show when -o busy.ics --overwrite"
shot retract "emvo retract exports/skarvik/laituri.csv --out-of crew-spoiled.ics --before exports/norrsund/crew.ics -o taken-out.ics"
shot dates "emvo dates all.ics --from 2026-10-12 --until 2026-10-18"
shot events "emvo events exports/norrsund/crew.ics exports/skarvik/harbour.ics --fields when,repeat,title,location"
shot reconcile "emvo reconcile norrsund-line.ics --result after-import/norrsund-line.ics"
shot rehearse "emvo rehearse norrsund-line.ics --limits limits/quay-terminal.toml"
(cd "$work/demo" && emvo amend exports/norrsund/crew.ics --title "Safety meeting" --set "location=Mess" -o later.ics \
  && emvo drop later.ics --title "Mikko" -o crew-later.ics) > /dev/null
shot changes "emvo changes exports/norrsund/crew.ics crew-later.ics -o new.ics --for-import --by-hand list.txt -v; echo; cat list.txt"
shot history "emvo history --ledger ledger.sqlite"
shot run "emvo run plan.toml --force"

# Pages, in a browser.
if ! command -v chromium > /dev/null; then
  apt-get update > /dev/null
  apt-get install -y chromium > /dev/null
fi
page() {
  chromium --headless --no-sandbox --hide-scrollbars --window-size=1280,800 \
    --screenshot="$here/$1.png" "file://$work/demo/$2" > /dev/null 2>&1
  echo "$1.png"
}
page page proof.html
(cd "$work/demo" && emvo check exports --zone Europe/Helsinki --report faults.html > /dev/null) || true
page deciding faults.html

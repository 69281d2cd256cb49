#!/usr/bin/env bash
# Takes a review sheet through a real spreadsheet, in German and in Finnish, saved as an
# open document, as a workbook and as CSV, and gives the answers back.
#
# Usage: office-test.sh PROGRAM
set -euo pipefail
program=$(realpath "$1")
if ! command -v soffice > /dev/null; then
    (apt-get update -qq && apt-get install -y -qq --no-install-recommends libreoffice-calc) > /dev/null
fi
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT
cd "$folder"

event() { printf 'BEGIN:VEVENT\nUID:%s\nSUMMARY:%s\nDTSTART:20260909T080000Z\nDTEND:20260909T090000Z\nEND:VEVENT\n' "$1" "$2"; }
calendar() { printf 'BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:-//Office//Test//EN\n'; cat; printf 'END:VCALENDAR\n'; }
# Ids that a spreadsheet would take for numbers, and damage.
event 0042 "Safety drill" | calendar > a.ics
event 123456789012345678 "Copy of safety drill" | calendar > b.ics
"$program" merge a.ics b.ics -o out.ics --review pairs.xlsx --no-ledger > /dev/null || true

# Writes an answer into the first row, as a person would.
answered() {
    python3 - "$1" << 'PYTHON'
import re, sys, zipfile
source, target = zipfile.ZipFile("pairs.xlsx"), zipfile.ZipFile("answered.xlsx", "w", zipfile.ZIP_DEFLATED)
for name in source.namelist():
    data = source.read(name)
    if name == "xl/worksheets/sheet1.xml":
        cell = f'<c r="B2" t="inlineStr"><is><t>{sys.argv[1]}</t></is></c>'
        data = re.sub(rb'(<c r="A2".*?</c>)', lambda found: found.group(1) + cell.encode(), data, count=1)
        assert cell.encode() in data, data[:2000]
    target.writestr(name, data)
target.close()
PYTHON
}

events_with() {
    "$program" merge a.ics b.ics -o out.ics --overwrite --answers "$1" --no-ledger > /dev/null || true
    grep -c BEGIN:VEVENT out.ics
}

check() {
    local found
    found=$(events_with "$1")
    [ "$found" = "$2" ] || { echo "$1 in $3: $found events instead of $2"; exit 1; }
}

for language in de:gleich:verschieden fi:sama:eri; do
    IFS=: read -r code same different <<< "$language"
    for answer in "$same:1" "$different:2"; do
        answered "${answer%:*}"
        for form in ods xlsx 'csv:Text - txt - csv (StarCalc):59,34,76'; do
            rm -rf saved && mkdir saved
            LC_ALL="${code}_${code^^}.UTF-8" soffice "-env:UserInstallation=file://$folder/profile-$code" --headless \
                --convert-to "$form" --outdir saved answered.xlsx > /dev/null 2>&1
            check "saved/answered.${form%%:*}" "${answer#*:}" "$code"
        done
    done
done
echo "answers came back from a spreadsheet in German and Finnish, as .ods, .xlsx and .csv"

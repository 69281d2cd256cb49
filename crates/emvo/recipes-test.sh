#!/usr/bin/env bash
# Types what docs/recipes.md shows for scripts (its `bash` blocks), in the folder that `emvo demo`
# makes, with what they need beside Emvo.
#
#     crates/emvo/recipes-test.sh target/release/emvo
set -euo pipefail
program=$(realpath "$1")
page=$(realpath "$(dirname "$0")/../../docs/recipes.md")
command -v jq > /dev/null || (apt-get update -qq && apt-get install -y -qq jq > /dev/null)

work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
mkdir "$work/bin"
ln -s "$program" "$work/bin/emvo"
export PATH="$work/bin:$PATH" EMVO_LEDGER=""
emvo demo "$work/demo" > /dev/null 2>&1
cd "$work/demo"
# Files that a reader has of their own.
cp exports/norrsund/crew.ics yesterday.ics
sed 's/SUMMARY:Engine crew A: M\/S Ebba/SUMMARY:Engine crew A: M\/S Tuuli/' yesterday.ics > today.ics
cp exports/norrsund/crew.ics old.ics
cp exports/norrsund/crew.ics new.ics

recipes=0
while IFS= read -r -d '' recipe; do
  # A recipe may say with status 1 that something needs a look; 2 and above is a mistake in it.
  status=0
  told=$(bash -o pipefail -c "$recipe" 2>&1) || status=$?
  if [ "$status" -gt 1 ]; then
    printf 'status %s of\n%s\n%s\n' "$status" "$recipe" "$told" >&2
    exit 1
  fi
  if grep -q -e 'jq: error' -e 'parse error' <<< "$told"; then
    printf '%s\n%s\n' "$recipe" "$told" >&2
    exit 1
  fi
  recipes=$((recipes + 1))
  head -n 3 <<< "$told"
done < <(awk '/^```bash$/ { on = 1; text = ""; next } /^```$/ && on { printf "%s%c", text, 0; on = 0 } on { text = text $0 "\n" }' "$page")
[ "$recipes" -ge 6 ]
echo "$recipes recipes do what the page says"

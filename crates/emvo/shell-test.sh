#!/usr/bin/env bash
# Asks bash, zsh and fish themselves what they offer behind `emvo …`, with the scripts that the
# program prints, and has a checker read the manual pages.
#
#     crates/emvo/shell-test.sh target/release/emvo
set -euo pipefail
program=$(realpath "$1")

for tool in zsh fish mandoc; do
  if ! command -v "$tool" > /dev/null; then
    apt-get update -qq && apt-get install -y -qq zsh fish mandoc > /dev/null
    break
  fi
done

work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
mkdir "$work/bin"
ln -s "$program" "$work/bin/emvo"
export PATH="$work/bin:$PATH" EMVO_LEDGER=""
cp "$(dirname "$0")/demo/exports/skarvik/huolto.csv" "$work/table.csv"
cd "$work"

# What is typed, and what has to be among what is offered.
cases=(
  "emvo reconc|reconcile"
  "emvo check . --zone Europe/Hels|Europe/Helsinki"
  "emvo repair . --only Z1|Z10"
  "emvo convert table.csv --column loca|location="
  "emvo convert table.csv --column title=Otsi|Otsikko"
)

cat > ask.bash << 'SHELL'
source <(emvo completions bash)
# The words as readline takes them apart: at blanks, and at each = as a word of its own.
read -ra COMP_WORDS <<< "${1//=/ = }"
COMP_CWORD=$((${#COMP_WORDS[@]} - 1))
_emvo 2> /dev/null
printf '%s\n' "${COMPREPLY[@]}"
SHELL

cat > ask.fish << 'SHELL'
emvo completions fish | source
complete -C $argv[1]
SHELL

# A real line editor in a terminal of its own; what it shows behind a tab is what it offers.
cat > ask.zsh << 'SHELL'
zmodload zsh/zpty
zpty line zsh -f -i
zpty -w line 'PS1=; unsetopt zle_bracketed_paste; autoload -U compinit; compinit -u -D; source <(emvo completions zsh); echo RE""ADY'
zpty -r line shown '*READY*'
zpty -w -n line "$1"$'\t'
for try in {1..50}; do
  sleep 0.1
  while zpty -r -t line part; do shown+=$part; done
done
print -r -- "$shown"
zpty -d line
SHELL

for one in "${cases[@]}"; do
  typed=${one%%|*} wanted=${one##*|}
  for shell in bash fish zsh; do
    offered=$("$shell" "ask.$shell" "$typed")
    if [[ "$offered" != *"$wanted"* ]]; then
      printf '%s: behind `%s` it does not offer `%s`, but:\n%s\n' "$shell" "$typed" "$wanted" "$offered" >&2
      exit 1
    fi
  done
  echo "bash, fish and zsh: $typed → $wanted"
done

emvo man -o pages
remarks=$(mandoc -T lint pages/*.1 || true)
if [ -n "$remarks" ]; then
  echo "$remarks" >&2
  exit 1
fi
echo "$(ls pages | wc -l) manual pages without a remark"

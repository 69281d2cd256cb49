#!/usr/bin/env bash
# Packs every published crate, unpacks it elsewhere, and has the compiler check it there, against
# each other and nothing of the project around them: what a registry would hand out.
set -euo pipefail
cd "$(dirname "$0")/.."
cargo package --workspace --exclude emvo-trials --locked --allow-dirty --no-verify --quiet
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
version=$(sed -n 's/^version = "\(.*\)"/\1/p' Cargo.toml | head -n 1)
printf '[workspace]\nresolver = "3"\nmembers = ["*-%s"]\n[patch.crates-io]\n' "$version" > "$work/Cargo.toml"
for crate in emvo emvo-core emvo-ical emvo-ledger emvo-report; do
  # Packed files are of 2006, and a compiler would take what it made of an earlier version.
  tar -C "$work" -xzmf "target/package/$crate-$version.crate"
  rm -f "$work/$crate-$version/Cargo.lock"
  printf '%s = { path = "%s-%s" }\n' "$crate" "$crate" "$version" >> "$work/Cargo.toml"
done
cp Cargo.lock "$work/"
# What was checked of the dependencies already is used again.
cargo check --manifest-path "$work/Cargo.toml" --target-dir target --quiet
echo "five crates are whole in their packages"

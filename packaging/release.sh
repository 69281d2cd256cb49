#!/usr/bin/env bash
# Makes what a release hands out, in target/dist: the program as an archive and as a Debian
# package, each with its manual, completions, guide and licences. Says how large they are.
#
#     packaging/release.sh
#
# CONTRIBUTING.md says what else a release takes.
set -euo pipefail
cd "$(dirname "$0")/.."

version=$(sed -n 's/^version = "\(.*\)"/\1/p' Cargo.toml | head -n 1)
name="emvo-$version-$(uname -m)-linux"
dist=target/dist
rm -rf "$dist"
mkdir -p "$dist/man" "$dist/completions"

packaging/licences.py --check

# Where it was built is nobody's business, and two machines shall build the same.
cargo_home=${CARGO_HOME:-$HOME/.cargo}
export RUSTFLAGS="--remap-path-prefix=$PWD=emvo --remap-path-prefix=$cargo_home/registry/src=crates"
cargo build --release --locked --quiet -p emvo
program=target/release/emvo
if grep -q -a -F -e "$cargo_home" -e "$PWD" "$program"; then
  echo "the program names folders of this machine" >&2
  exit 1
fi

"$program" man -o "$dist/man"
for shell in bash zsh fish; do "$program" completions "$shell" > "$dist/completions/emvo.$shell"; done

released=$(sed -n "s/^## $version (\(.*\))$/\1/p" CHANGELOG.md)

# The archive: everything in one folder.
mkdir "$dist/$name"
cp "$program" README.md CHANGELOG.md LICENSE-MIT LICENSE-APACHE THIRD-PARTY.txt "$dist/$name/"
cp packaging/emvo.cdx.json "$dist/$name.cdx.json"
cp packaging/emvo.cdx.json "$dist/$name/"
cp -r docs "$dist/$name/guide"
rm "$dist/$name/guide/screenshots/take.sh"
cp -r "$dist/man" "$dist/completions" "$dist/$name/"
tar -C "$dist" --sort=name --owner=0 --group=0 --numeric-owner --mtime="$released" -czf "$dist/$name.tar.gz" "$name"
rm -r "${dist:?}/$name"

packaging/debian.sh "$program" "$dist" "$version" "$released"

(cd "$dist" && sha256sum ./*.tar.gz ./*.deb ./*.cdx.json > SHA256SUMS)
ls -l "$program" "$dist"/*.tar.gz "$dist"/*.deb | awk '{ printf "%8.1f MB  %s\n", $5 / 1e6, $NF }'

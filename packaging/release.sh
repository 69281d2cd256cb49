#!/usr/bin/env bash
# Makes what a release hands out, in target/dist: the program as an archive and as a Debian
# package, each with its manual, completions, guide and licences. Says how large they are.
#
#     packaging/release.sh
#
# The package is checked by `lintian` where that is installed. CONTRIBUTING.md says what else
# a release takes.
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

# Debian wants a changelog in its own form.
released=$(sed -n "s/^## $version (\(.*\))$/\1/p" CHANGELOG.md)
{
  printf 'emvo (%s) unstable; urgency=medium\n\n' "$version"
  printf '  * What changed is told in CHANGELOG.md, for the people who use it.\n\n'
  printf ' -- The Emvo developers <emvo@example.org>  %s\n' "$(LC_ALL=C date -u -R -d "$released")"
} > "$dist/changelog"

mkdir "$dist/$name"
cp "$program" README.md CHANGELOG.md LICENSE-MIT LICENSE-APACHE THIRD-PARTY.txt "$dist/$name/"
cp -r docs "$dist/$name/guide"
rm -rf "$dist/$name/guide/screenshots/take.sh"
cp -r "$dist/man" "$dist/completions" "$dist/$name/"
tar -C "$dist" --sort=name --owner=0 --group=0 --numeric-owner --mtime="$released" -czf "$dist/$name.tar.gz" "$name"
rm -r "${dist:?}/$name"

if ! cargo deb --version > /dev/null 2>&1; then
  cargo install cargo-deb --locked --quiet
fi
cargo deb -p emvo --no-build --output "$dist/" > /dev/null
if command -v lintian > /dev/null; then
  lintian --fail-on error,warning "$dist"/*.deb
fi

(cd "$dist" && sha256sum ./*.tar.gz ./*.deb > SHA256SUMS)
ls -l "$program" "$dist"/*.tar.gz "$dist"/*.deb | awk '{ printf "%8.1f MB  %s\n", $5 / 1e6, $NF }'

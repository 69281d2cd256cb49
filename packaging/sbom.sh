#!/usr/bin/env bash
# Writes packaging/emvo.cdx.json: what Emvo is made of, as a CycloneDX document, for whoever
# keeps a list of what runs in a house. packaging/licences.py --check, and so CI, fails where
# it is not what Cargo.lock says.
set -euo pipefail
cd "$(dirname "$0")/.."
PATH="${CARGO_HOME:-$HOME/.cargo}/bin:$PATH"
command -v cargo-cyclonedx > /dev/null || cargo install cargo-cyclonedx --version 0.5.9 --locked
# The day of the last release: the same contents are the same document.
released=$(sed -n "s/^## [0-9.]* (\(.*\))$/\1/p" CHANGELOG.md | head -n 1)
SOURCE_DATE_EPOCH=$(date -ud "$released" +%s) cargo cyclonedx --quiet --format json --spec-version 1.5 \
  --no-build-deps --target x86_64-unknown-linux-gnu --manifest-path crates/emvo/Cargo.toml
# Where the project lay is nobody's business.
sed "s|path+file://$PWD/|path+file:///|g" crates/emvo/emvo.cdx.json > packaging/emvo.cdx.json
rm crates/*/*.cdx.json

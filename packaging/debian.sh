#!/usr/bin/env bash
# Makes the Debian package, as release.sh asks for it:
#
#     packaging/debian.sh PROGRAM DIST VERSION DATE
#
# DIST has the manual and the completions already. What the program needs of the system is
# asked of the program itself. The package is checked, and a remark is a failure.
set -euo pipefail
program=$1 dist=$2 version=$3 released=$4

for tool in dpkg-shlibdeps lintian; do
  if ! command -v "$tool" > /dev/null; then
    apt-get update -qq && apt-get install -y -qq dpkg-dev lintian > /dev/null
    break
  fi
done

arch=$(dpkg --print-architecture)
root=$(mktemp -d)
trap 'rm -rf "$root"' EXIT
chmod 755 "$root"

put() { install -D -m "$1" "$2" "$root/$3"; }
squeezed() { gzip -9n > "$root/$1"; chmod 644 "$root/$1"; }

put 755 "$program" usr/bin/emvo
for page in "$dist"/man/*.1; do
  mkdir -p "$root/usr/share/man/man1"
  squeezed "usr/share/man/man1/$(basename "$page").gz" < "$page"
done
put 644 "$dist/completions/emvo.bash" usr/share/bash-completion/completions/emvo
put 644 "$dist/completions/emvo.zsh" usr/share/zsh/vendor-completions/_emvo
put 644 "$dist/completions/emvo.fish" usr/share/fish/vendor_completions.d/emvo.fish

doc=usr/share/doc/emvo
put 644 packaging/copyright "$doc/copyright"
put 644 README.md "$doc/README.md"
put 644 THIRD-PARTY.txt "$doc/THIRD-PARTY.txt"
(cd docs && find . -type f -not -name take.sh -print0) | while IFS= read -r -d '' file; do
  put 644 "docs/$file" "$doc/guide/${file#./}"
done
# What changed for people, and what changed for the package, each where it is looked for.
squeezed "$doc/changelog.gz" < CHANGELOG.md
squeezed "$doc/changelog.Debian.gz" << CHANGES
emvo ($version-1) unstable; urgency=medium

  * Version $version; what changed is told in changelog.gz.

 -- The Emvo developers <emvo@example.org>  $(LC_ALL=C date -u -R -d "$released")
CHANGES

# `dpkg-shlibdeps` wants to be run beside a source package.
mkdir "$root/debian"
printf 'Source: emvo\n' > "$root/debian/control"
needs=$(cd "$root" && dpkg-shlibdeps -O usr/bin/emvo 2> /dev/null | sed -n 's/^shlibs:Depends=//p')
rm -r "$root/debian"

mkdir "$root/DEBIAN"
cat > "$root/DEBIAN/control" << CONTROL
Package: emvo
Version: $version-1
Architecture: $arch
Maintainer: The Emvo developers <emvo@example.org>
Installed-Size: $(du -sk "$root/usr" | cut -f1)
Depends: $needs
Section: utils
Priority: optional
Description: move calendars between systems and prove that nothing was lost
 Emvo reads the calendar exports that systems give (ICS and CSV), repairs time
 zones, recurrence, date ranges and duplicates, merges and converts them, and
 proves date by date that nothing was lost on the way. It needs no network.
CONTROL
(cd "$root" && find usr -type f -printf '%P\n' | LC_ALL=C sort | sed 's|^|usr/|' | xargs md5sum > DEBIAN/md5sums)
find "$root" -exec touch -h -d "$released" {} +
dpkg-deb --root-owner-group --build "$root" "$dist/emvo_$version-1_$arch.deb" > /dev/null

# No bug report asked for this package, so there is none that it closes.
lintian --fail-on error,warning --suppress-tags initial-upload-closes-no-bugs "$dist"/*.deb

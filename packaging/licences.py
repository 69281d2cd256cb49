#!/usr/bin/env python3
"""Writes THIRD-PARTY.txt: under which licences the code of others that is built into Emvo may be used.

Which crates those are is asked of Cargo: what the program links on Linux, at the versions of Cargo.lock, without what only
tests or builds need. Texts that several crates have word for word stand once.

    packaging/licences.py            writes the file
    packaging/licences.py --check    fails if the file is not what it would write, or if emvo.cdx.json, which sbom.sh
                                     writes, does not name the same crates
"""

import json
import pathlib
import re
import subprocess
import sys

ROOT = pathlib.Path(__file__).resolve().parent.parent
TARGET = ROOT / "THIRD-PARTY.txt"
SYSTEM = "x86_64-unknown-linux-gnu"
TEXT_NAME = re.compile(r"^(licen[cs]e|copying|notice|copyright|unlicense)", re.IGNORECASE)


def linked_crates():
    """The packages that end up in the program, from `emvo` along dependencies that are linked."""
    command = ["cargo", "metadata", "--format-version", "1", "--locked", "--filter-platform", SYSTEM]
    told = json.loads(subprocess.run(command, cwd=ROOT, check=True, capture_output=True, text=True).stdout)
    packages = {package["id"]: package for package in told["packages"]}
    nodes = {node["id"]: node for node in told["resolve"]["nodes"]}
    open_ids = [id for id, package in packages.items() if package["name"] == "emvo"]
    seen = set(open_ids)
    while open_ids:
        for dependency in nodes[open_ids.pop()]["deps"]:
            is_linked = any(kind["kind"] is None for kind in dependency["dep_kinds"])
            if is_linked and dependency["pkg"] not in seen:
                seen.add(dependency["pkg"])
                open_ids.append(dependency["pkg"])
    linked = (packages[id] for id in seen if packages[id]["source"])
    return sorted(linked, key=lambda package: (package["name"], package["version"]))


def texts_of(package):
    """The texts of licences that came with a crate."""
    folder = pathlib.Path(package["manifest_path"]).parent
    for path in sorted(folder.iterdir()):
        if path.is_file() and TEXT_NAME.match(path.name) and path.suffix != ".rs":
            lines = path.read_text(encoding="utf-8", errors="replace").splitlines()
            text = "\n".join(line.rstrip() for line in lines).strip("\n")
            if text:
                yield path.name, text


def written():
    crates = linked_crates()
    users = {}
    for package in crates:
        for name, text in texts_of(package):
            # Broken into lines in another way it is the same text.
            first, names = users.setdefault(" ".join(text.split()).lower(), (text, []))
            names.append(f'{package["name"]} {package["version"]} ({name})')
    bare = [package for package in crates if not any(True for _ in texts_of(package))]
    lines = [
        "What is built into Emvo and written by others",
        "",
        "Zone names and rules: the IANA tz database, public domain. Names of zones in other systems, of days and months:",
        "Unicode CLDR, under the Unicode licence. The crates below, under the licences beside them; the texts that came",
        "with them follow.",
        "",
    ]
    for package in crates:
        lines.append(f'{package["name"]} {package["version"]}: {package["license"] or package["license_file"]}')
    if bare:
        lines += ["", "Without a text of their own in the package, under the licence named above: " +
                  ", ".join(package["name"] for package in bare)]
    for text, names in sorted(users.values(), key=lambda entry: entry[1]):
        lines += ["", "=" * 78, *names, "-" * 78, "", text]
    return "\n".join(lines) + "\n"


def ensure_bill_is_current():
    """The bill of materials names every crate that is linked, and no version of it that is not locked."""
    bill = json.loads((ROOT / "packaging" / "emvo.cdx.json").read_text(encoding="utf-8"))
    told = {(component["name"], component["version"]) for component in bill["components"]}
    linked = {(package["name"], package["version"]) for package in linked_crates()}
    locked = set(re.findall(r'name = "([^"]+)"\nversion = "([^"]+)"', (ROOT / "Cargo.lock").read_text(encoding="utf-8")))
    if wrong := sorted(linked - told) + sorted(told - locked):
        sys.exit(f"packaging/emvo.cdx.json is old: {wrong}; packaging/sbom.sh writes it anew")


if __name__ == "__main__":
    text = written()
    if "--check" in sys.argv:
        ensure_bill_is_current()
    if "--check" in sys.argv:
        if not TARGET.exists() or TARGET.read_text(encoding="utf-8") != text:
            sys.exit("THIRD-PARTY.txt is not what packaging/licences.py writes: run it and commit what it says")
    else:
        TARGET.write_text(text, encoding="utf-8")

#!/usr/bin/env python3
"""Decides on the pages in a browser, saves the answers, and has the program read them.

usage: decide-test.py PROGRAM [FOLDER FOR PICTURES]
"""

import csv
import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent.parent / "emvo-report"))
from browser import Browser  # noqa: E402

PROGRAM = os.path.abspath(sys.argv[1])
PICTURES = Path(sys.argv[2]) if len(sys.argv) > 2 else None
PAIRS = 24
DECKS = ["Fire drill", "Berth check; ramp, lights", "Crew change", '"Skarvik" bunkering', "Lifeboat turn-out", "=Tide table"]


def calendar(side, events):
    lines = ["BEGIN:VCALENDAR", "VERSION:2.0", f"PRODID:-//{side}//EN", *events, "END:VCALENDAR", ""]
    return "\r\n".join(lines)


def event(side, at, *lines):
    """Alike on both sides but for the end, or for the place."""
    title = DECKS[at % len(DECKS)].replace(";", "\\;").replace(",", "\\,")
    hour, day = 8 + at % 3, 1 + at
    return [
        "BEGIN:VEVENT", f"UID:{side}-{at}", "DTSTAMP:20260901T080000Z", f"SUMMARY:{title} {at}",
        f"DTSTART;TZID=Europe/Helsinki:202610{day:02}T{hour:02}0000", *lines, "END:VEVENT",
    ]


def sides():
    first, second = [], []
    for at in range(PAIRS):
        end = f"DTEND;TZID=Europe/Helsinki:202610{1 + at:02}T"
        if at % 2:
            first += event("norrsund", at, end + "120000", "LOCATION:Quay 2")
            second += event("skarvik", at, end + "120000", "LOCATION:Pier 7")
        else:
            first += event("norrsund", at, end + "120000", "CATEGORIES:Crew")
            second += event("skarvik", at, end + "130000", "CATEGORIES:Crew,Deck")
    return calendar("Norrsund Line", first), calendar("Skarvik Båtar", second)


def emvo(folder, *words, status):
    run = subprocess.run([PROGRAM, *words], cwd=folder, env={**os.environ, "EMVO_LEDGER": ""}, capture_output=True, text=True)
    assert run.returncode == status, f"{words}: status {run.returncode}\n{run.stdout}{run.stderr}"
    return run.stdout


def part(name):
    return f"document.querySelector('#questions [data-part={name}]')"


def progress(browser):
    return browser.value(part("progress") + ".textContent")


def answers_in(path):
    with open(path, encoding="utf-8-sig", newline="") as file:
        return [row["answer"] for row in csv.DictReader(file)]


def look(browser, page, name):
    """Fits on both screens, and the picture of it where pictures are wanted."""
    for width, height in ((390, 844), (1280, 800)):
        browser.size(width, height)
        fits = browser.value("document.scrollingElement.scrollWidth <= document.scrollingElement.clientWidth")
        assert fits, f"{page} does not fit on {width} pixels"
        if PICTURES:
            browser.picture(PICTURES / f"{name}-{width}.png")


def decide_pairs(browser, folder):
    for name, text in zip(("norrsund.ics", "skarvik.ics"), sides()):
        (folder / name).write_text(text, encoding="utf-8")
    emvo(folder, "merge", "norrsund.ics", "skarvik.ics", "-o", "both.ics", "--review", "pairs.html", status=0)
    browser.open(folder / "pairs.html")
    assert progress(browser) == f"0 of {PAIRS} decided", progress(browser)
    assert browser.value(part("save") + ".disabled"), "there is nothing to save yet"
    marked = browser.value("[...document.querySelectorAll('.sides .differs th')].map((head) => head.firstChild.textContent)")
    assert marked == ["end", "category"], marked
    look(browser, "pairs.html", "decide")

    browser.press(*"ssdsd")
    assert progress(browser) == f"5 of {PAIRS} decided", progress(browser)
    # Back twice, to take the answer to the fourth back and give another one.
    browser.press("ArrowLeft", "ArrowLeft", "l")
    assert progress(browser) == f"4 of {PAIRS} decided", progress(browser)
    browser.press("d")
    browser.value("document.querySelector('#questions details').open = true")
    # In the box of the search these are letters and no answers.
    browser.value(part("search") + ".focus()")
    browser.press("s", "d")
    assert progress(browser) == f"5 of {PAIRS} decided", progress(browser)
    browser.value(f"{part('search')}.value = ''; {part('search')}.dispatchEvent(new Event('input')); {part('search')}.blur()")
    # All that are asked for the same reason as the sixth, which has another place.
    browser.value(f"{part('open')}.click()")
    browser.value(f"{part('open')}.blur()")
    kind = browser.value(f"asked.list[shown[place]].kind")
    same_kind = [one for one in browser.value("asked.list.map((one) => one.kind)")[5:] if one == kind]
    assert 2 < len(same_kind) < PAIRS - 5, same_kind
    browser.press("a", "s")
    assert progress(browser) == f"{5 + len(same_kind)} of {PAIRS} decided", progress(browser)

    # What was saved is read again by the page, and by the program.
    saved = browser.save(part("save") + ".click()")
    assert saved.name == "pairs.answers.csv", saved
    answers = answers_in(saved)
    assert answers[:5] == ["same", "same", "different", "different", "different"], answers
    assert answers.count("same") == 2 + len(same_kind) and answers.count("") == PAIRS - 5 - len(same_kind), answers
    browser.open(folder / "pairs.html")
    browser.choose_file("#questions [data-part=file]", saved)
    browser.value("new Promise((done) => setTimeout(done, 200))")
    assert progress(browser) == f"{5 + len(same_kind)} of {PAIRS} decided", progress(browser)
    written = emvo(folder, "merge", "norrsund.ics", "skarvik.ics", "-o", "decided.ics", "--answers", str(saved), "--json", status=0)
    balance = json.loads(written)["balance"]
    assert balance["folded"] == answers.count("same"), balance
    assert balance["written"] == 2 * PAIRS - balance["folded"], balance


def decide_repairs(browser, folder):
    # Starts that their rules do not pick (R04): what was meant, only a person knows.
    events = []
    for at in range(20):
        events += event("watch", at, f"DTEND;TZID=Europe/Helsinki:202610{1 + at:02}T120000", "RRULE:FREQ=WEEKLY;COUNT=4;BYDAY=MO")
    (folder / "watches.ics").write_text(calendar("Norrsund Line", events), encoding="utf-8")
    emvo(folder, "check", "watches.ics", "--only", "R04", "--report", "faults.html", status=1)
    browser.open(folder / "faults.html")
    all_of_them = browser.value("asked.list.length")
    assert all_of_them == 17, all_of_them  # three of twenty days in a row are Mondays
    look(browser, "faults.html", "repairs")
    for at in range(all_of_them):
        browser.press("n" if at % 3 else "y")
    assert progress(browser) == f"{all_of_them} of {all_of_them} decided", progress(browser)
    saved = browser.save(part("save") + ".click()")
    answers = answers_in(saved)
    assert answers == ["no" if at % 3 else "yes" for at in range(all_of_them)], answers
    written = emvo(folder, "repair", "watches.ics", "--only", "R04", "--answers", str(saved), "-o", "repaired.ics", "--json", status=1)
    made = json.loads(written)["changes"]
    assert len(made) == answers.count("yes"), made


def main():
    with tempfile.TemporaryDirectory() as folder, Browser() as browser:
        decide_pairs(browser, Path(folder))
        decide_repairs(browser, Path(folder))
        assert not browser.said(), browser.said()
        print(f"{PAIRS} pairs and 17 repairs decided on pages, saved, and read by the program")


if __name__ == "__main__":
    main()

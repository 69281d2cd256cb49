#!/usr/bin/env python3
"""What was given is somewhere: an oracle that shares nothing with the program.

usage: oracle.py PROGRAM [INPUTS] [SEED]

Inputs are generated and damaged, with a word of its own planted in every line and every cell
that can carry one. A command writes them; then each word has to be in an output, in a file next
to it, or in the answer. The counts of the answer are counted again, by the small readers below
and from the files alone. The standard library is all that is used.
"""

import csv
import io
import json
import os
import random
import re
import subprocess
import sys
import tempfile
from pathlib import Path

PROGRAM = os.path.abspath(sys.argv[1])
INPUTS = int(sys.argv[2]) if len(sys.argv) > 2 else 500
SEED = int(sys.argv[3]) if len(sys.argv) > 3 else 1
ENVIRONMENT = {"PATH": os.environ["PATH"], "EMVO_LEDGER": "", "LC_ALL": "C.UTF-8"}
WORD = re.compile(r"tok\d{6}x")


class Words:
    """Words that stand nowhere else."""

    def __init__(self):
        self.count = 0
        self.planted = {}

    def new(self, place):
        self.count += 1
        word = f"tok{self.count:06}x"
        self.planted[word] = place
        return word


# What a line of an event may be; `{}` is where its word goes. What is no text carries its word
# as a parameter.
LINES = [
    "SUMMARY:Watch {}", "SUMMARY;LANGUAGE=sv:Vakt {}", "LOCATION:Quay {}", "DESCRIPTION:Bring gloves\\, {}\\nand boots",
    "CATEGORIES:Crew,{}", "COMMENT:{}", "CONTACT:{}", "URL:https://example.org/{}", "ATTACH:https://example.org/{}.pdf",
    "ATTENDEE;CN=Aino:mailto:{}@example.org", "ORGANIZER;CN={}:mailto:crew@example.org", "RESOURCES:{}",
    "RELATED-TO:{}@example.org", "X-DECK:{}", "X-DECK;X-P={}:4", "GEO;X-T={}:60.1;24.9", "PRIORITY;X-T={}:5",
    "STATUS;X-T={}:CONFIRMED", "TRANSP;X-T={}:TRANSPARENT", "CLASS;X-T={}:PRIVATE", "CONFERENCE;LABEL={}:https://example.org/a",
    "COLOR;X-T={}:navy", "IMAGE:https://example.org/{}.png", "REQUEST-STATUS:2.0;{}", "UNHEARD-OF:{}",
    "X-ALT-DESC;FMTTYPE=text/html:<b>{}</b>",
]
STARTS = [
    "DTSTART;X-T={}:202609{:02}T080000Z", "DTSTART;TZID=Europe/Helsinki;X-T={}:202609{:02}T080000", "DTSTART;VALUE=DATE;X-T={}:202609{:02}",
    "DTSTART;X-T={}:202609{:02}T080000", "DTSTART;TZID=Nowhere;X-T={}:202609{:02}T080000",
]
BROKEN = ["DTSTART;X-T={}:2026-99-99", "DTSTART;X-T={}:", "X-NO-START:{}"]
RULES = ["RRULE;X-T={}:FREQ=WEEKLY;COUNT=4", "RRULE;X-T={}:FREQ=DAILY;UNTIL=20261001T000000Z", "RRULE;X-T={}:FREQ=SOMETIMES"]


def component(kind, random, words, depth=0):
    where = f"a {kind}"
    lines = [f"BEGIN:{kind}", f"UID:{words.new(where + ': UID')}@example.org"]
    day = random.randint(1, 28)
    if kind in ("VEVENT", "VTODO", "VJOURNAL"):
        lines.append("DTSTAMP:20260101T000000Z")
        if kind == "VEVENT" or random.random() < 0.5:
            start = random.choice(STARTS) if random.random() < 0.9 else random.choice(BROKEN)
            lines.append(start.format(words.new(f"{where}: {start}"), day))
        if kind == "VEVENT" and random.random() < 0.2:
            rule = random.choice(RULES)
            lines.append(rule.format(words.new(f"{where}: {rule}")))
    for line in random.sample(LINES, random.randint(1, 9)):
        if not (kind == "VALARM"):
            lines.append(line.format(words.new(f"{where}: {line}")))
    if kind == "VEVENT" and random.random() < 0.3:
        lines += ["BEGIN:VALARM", "ACTION:DISPLAY", f"DESCRIPTION:{words.new('a reminder: DESCRIPTION')}",
                  f"TRIGGER;X-T={words.new('a reminder: TRIGGER')}:-PT15M", "END:VALARM"]
    if depth == 0 and random.random() < 0.05:
        lines += component("X-INNER", random, words, 1)
    return [*lines, f"END:{kind}"]


def calendar(random, words):
    lines = ["BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//Norrsund Line//Quay//EN"]
    if random.random() < 0.5:
        lines.append(f"X-OWN:{words.new('a line of the calendar')}")
    kinds = ["VEVENT"] * 8 + ["VTODO", "VJOURNAL", "X-OTHER"]
    for _ in range(random.randint(1, 12)):
        lines += component(random.choice(kinds), random, words)
    return [*lines, "END:VCALENDAR"]


def folded(line, random):
    """Some long lines are folded, wherever that falls."""
    if len(line) < 40 or random.random() < 0.5:
        return line
    at = random.randint(20, len(line) - 1)
    return line[:at] + "\r\n " + line[at:]


def damaged(lines, random, words):
    """The same with faults that exports have; what carries a word is never taken away."""
    lines = list(lines)
    for _ in range(random.choice([0, 0, 1, 2, 4])):
        at = random.randrange(1, len(lines))
        kind = random.randrange(6)
        if kind == 0:
            lines.insert(at, f"no colon in this line {words.new('a line that is none')}")
        elif kind == 1:
            lines.insert(at, "")
        elif kind == 2 and lines[-1].startswith("END:"):
            lines.pop()
        elif kind == 3 and lines[at].startswith("END:V"):
            del lines[at]
        elif kind == 4:
            lines.insert(at, f"X-FAR;;X-P={words.new('a parameter without a name')}:1")
        elif kind == 5:
            lines[at] = lines[at].replace("SUMMARY", "summary", 1)
    return lines


def ics(random, words):
    lines = damaged(calendar(random, words), random, words)
    end = random.choice(["\r\n", "\r\n", "\n"])
    return end.join(folded(line, random) for line in lines).replace("\r\n ", end + " ") + random.choice([end, ""])


def table(random, words):
    own = random.sample(["Deck", "Berth", "Crew no", "Note to self"], 2)
    headers = ["Title", "Start", "End", "Location", "Description", "Category", *own]
    out = io.StringIO()
    writer = csv.writer(out, delimiter=random.choice(",;"), lineterminator="\r\n")
    writer.writerow(headers)
    for number in range(random.randint(1, 15)):
        day = random.randint(1, 28)
        start = f"2026-09-{day:02} 08:00" if random.random() < 0.9 else f"{day}th of never {words.new('a start that is none')}"
        row = [f"Watch {words.new('a cell: Title')}", start, f"2026-09-{day:02} 09:30"]
        row += [words.new(f"a cell: {header}") if random.random() < 0.8 else "" for header in headers[3:]]
        if random.random() < 0.1:
            row[4] = f"two\nlines {words.new('a cell of two lines')}"
        if random.random() < 0.1:
            row[3] = f"={words.new('a formula')}"
        writer.writerow(row)
    return out.getvalue()


def unfolded(text):
    return re.sub(r"\r?\n[ \t]", "", text)


def components_in(text, kind):
    return len(re.findall(rf"^BEGIN:{kind}\r?$", unfolded(text), re.MULTILINE | re.IGNORECASE))


def rows_in(text):
    rows = [row for row in csv.reader(io.StringIO(text.lstrip("\ufeff"))) if any(row)]
    return max(len(rows) - 1, 0)


def commands(random, names):
    first = names[0]
    choices = [
        ["repair", first, "-o", "out.ics"],
        ["repair", first, "-o", "out.ics", "--consent", "all"],
        ["merge", *names, "-o", "out.ics"],
        ["amend", first, "-o", "out.ics", "--set", "status=confirmed", "--title", "/a|V/"],
        ["retime", first, "-o", "out.ics", "--shift", "1d"],
        ["pick", first, "-o", "out.ics"],
    ]
    if first.endswith(".csv"):
        choices = [["convert", first, "-o", "out.ics"], ["merge", *names, "-o", "out.ics"]]
    return [*random.choice(choices), "--zone", "Europe/Helsinki", "--json"]


def tried(number):
    seed = random.Random(f"{SEED}-{number}")
    words = Words()
    with tempfile.TemporaryDirectory(prefix="oracle-") as folder:
        folder = Path(folder)
        names = []
        for at in range(seed.choice([1, 1, 2])):
            is_table = seed.random() < 0.35
            names.append(f"in{at}.csv" if is_table else f"in{at}.ics")
            text = table(seed, words) if is_table else ics(seed, words)
            (folder / names[-1]).write_text(text, newline="", encoding="utf-8")
        command = commands(seed, names)
        given = {name: (folder / name).read_text(encoding="utf-8") for name in names if name in command}
        done = subprocess.run([PROGRAM, *command], cwd=folder, env=ENVIRONMENT, capture_output=True, text=True, check=False)
        written = {path.name: path.read_bytes().decode("utf-8", "replace") for path in folder.iterdir() if path.name not in names}
        said = done.stdout + done.stderr
    wrong = []
    # Events without a title are chosen by none.
    chose_none = command[0] == "amend" and not written and done.returncode == 1
    if done.returncode not in (0, 1) or chose_none:
        # What cannot be done is said, and nothing is written.
        if written or not said.strip():
            wrong.append(f"status {done.returncode}: {done.stderr[:300]}; files: {sorted(written)}")
        return command, wrong, None
    found = set(WORD.findall(said))
    for text in written.values():
        found |= set(WORD.findall(unfolded(text)))
    planted = {word for text in given.values() for word in WORD.findall(unfolded(text))}
    wrong += [f"{word} is nowhere: {words.planted[word]}" for word in sorted(planted - found)]
    answer = json.loads(done.stdout)
    balance = answer["balance"]
    events_out = components_in(written.get("out.ics", ""), "VEVENT")
    aside = components_in(written.get("out.set-aside.ics", ""), "VEVENT") + rows_in(written.get("out.set-aside.csv", ""))
    if balance["written"] != events_out:
        wrong.append(f"{balance['written']} written, and {events_out} are in the file")
    if balance["read"] + balance["added"] != sum(balance[part] for part in ("written", "folded", "removed", "set_aside")):
        wrong.append(f"the sum is off: {balance}")
    if balance["set_aside"] > aside:
        wrong.append(f"{balance['set_aside']} set aside, and {aside} are in the files")
    given_events = sum(components_in(text, "VEVENT") if name.endswith(".ics") else rows_in_table(text) for name, text in given.items())
    if balance["read"] != given_events:
        wrong.append(f"{balance['read']} read, and {given_events} were given")
    return command, wrong, len(planted)


def rows_in_table(text):
    delimiter = ";" if text.startswith("Title;") else ","
    rows = [row for row in csv.reader(io.StringIO(text), delimiter=delimiter) if any(row)]
    return max(len(rows) - 1, 0)


def main():
    failed = refused = planted = 0
    for number in range(INPUTS):
        command, wrong, count = tried(number)
        if count is None:
            refused += 1
        planted += count or 0
        if wrong:
            failed += 1
            print(f"FAILED input {number} (seed {SEED}): {' '.join(command)}\n  " + "\n  ".join(wrong))
    print(f"{INPUTS} inputs, {refused} refused; {planted:,} words planted; {failed} with a word that is nowhere or a count that is off")
    sys.exit(1 if failed or refused > INPUTS // 10 else 0)


if __name__ == "__main__":
    main()

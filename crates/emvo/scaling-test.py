#!/usr/bin/env python3
"""What grows in a file costs in proportion: twice as much of it takes at most 2.6 times the
instructions.

usage: scaling-test.py PROGRAM [CASE…]

Instructions are counted (callgrind), not timed: they are the same on every machine and under
any load. The start of the program is taken off first.
"""

import datetime
import os
import re
import subprocess
import sys
import tempfile
import warnings
import zipfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

PROGRAM = os.path.abspath(sys.argv[1])
MOST = 2.6
ENVIRONMENT = {"PATH": os.environ["PATH"], "RAYON_NUM_THREADS": "1", "LC_ALL": "C.UTF-8", "EMVO_LEDGER": ""}
HEAD = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Norrsund Line//Quay//EN\r\n"
TAIL = "END:VCALENDAR\r\n"


def moment(number):
    return (datetime.datetime(2026, 1, 1) + datetime.timedelta(hours=number)).strftime("%Y%m%dT%H%M%SZ")


def event(uid, *lines, start="20260901T100000Z", title="Watch"):
    lines = "".join(line + "\r\n" for line in lines)
    start = start if start.startswith(";") else ":" + start
    return f"BEGIN:VEVENT\r\nUID:{uid}\r\nDTSTAMP:20260101T000000Z\r\nSUMMARY:{title}\r\nDTSTART{start}\r\n{lines}END:VEVENT\r\n"


def of_events(make):
    return lambda count: {"in.ics": HEAD + "".join(make(number) for number in range(count)) + TAIL}


def one_id(count):
    return {"in.ics": HEAD + "".join(event("same", start=moment(number), title=f"T{number}") for number in range(count)) + TAIL}


def further_dates(count):
    return {"in.ics": HEAD + event("a", *(f"RDATE:{moment(number)}" for number in range(count))) + TAIL}


def dates_and_exceptions(count):
    dates = ",".join(moment(number) for number in range(count))
    return {"in.ics": HEAD + event("a", f"RDATE:{dates}", f"EXDATE:{dates}") + TAIL}


def reaching_on(count):
    series = event("a", "RRULE:FREQ=HOURLY", start=moment(0))
    changed = (event("a", f"RECURRENCE-ID;RANGE=THISANDFUTURE:{moment(number)}", start=moment(number)) for number in range(1, count))
    return {"in.ics": HEAD + series + "".join(changed) + TAIL}


def days_of_month(count):
    return {"in.ics": HEAD + event("a", "RRULE:FREQ=MONTHLY;BYMONTHDAY=" + ",".join(["1"] * count)) + TAIL}


def one_name(count):
    return {"in.zip": [("a.ics", HEAD + event(f"u{number}") + TAIL) for number in range(count)]}


def table(count):
    return {"in.csv": "Title,Start\r\n" + "".join(f"T{number},2026-01-{1 + number % 28:02} 10:00\r\n" for number in range(count))}


OUT = ["-o", "out.ics"]
CASES = {
    "events of one id, receipt": (one_id, 300, ["retime", "in.ics", *OUT, "--express-in", "Europe/Helsinki", "--receipt", "r.json"]),
    "further dates, unrolled": (further_dates, 500, ["convert", "in.ics", *OUT, "--unroll", "--receipt", "r.json"]),
    "further dates and exceptions": (dates_and_exceptions, 1000, ["survey", "in.ics"]),
    "overrides that reach on": (reaching_on, 100, ["pick", "in.ics", *OUT, "--from", "2026-02-01"]),
    "empty calendars in a backup": (lambda count: {"in.ics": (HEAD + TAIL) * count}, 200, ["bundle", "in.ics", "-o", "b.zip"]),
    "one name in a zip": (one_name, 150, ["repair", "in.zip", "-o", "out/"]),
    "days in a rule": (days_of_month, 50000, ["events", "in.ics"]),
    "unknown zones": (of_events(lambda number: event(f"u{number}", start=f";TZID=Nowhere/Z{number}:20260901T100000")), 40, ["survey", "in.ics"]),
    "events without ids": (of_events(lambda number: event("x").replace("UID:x\r\n", "")), 400, ["check", "in.ics"]),
    "plain events, merged": (of_events(lambda number: event(f"u{number}", start=moment(number), title=f"T{number}")), 500, ["merge", "in.ics", *OUT, "--receipt", "r.json"]),
    "one title and time, other words, checked": (of_events(lambda number: event(f"u{number}", f"DESCRIPTION:Word {number}")), 300, ["check", "in.ics"]),
    "one title and time, other words, merged": (of_events(lambda number: event(f"u{number}", f"DESCRIPTION:Word {number}")), 300, ["merge", "in.ics", *OUT]),
    "one title and time, words here and there": (of_events(lambda number: event(f"u{number}", f"{'LOCATION' if number % 2 else 'DESCRIPTION'}:Word {number // 2}")), 300, ["merge", "in.ics", *OUT]),
    "one id, title and time, other words": (of_events(lambda number: event("same", f"DESCRIPTION:Word {number}")), 300, ["merge", "in.ics", *OUT]),
    "copies of an event, checked": (of_events(lambda number: event(f"u{number}")), 300, ["check", "in.ics"]),
    "copies of an event, merged": (of_events(lambda number: event(f"u{number}")), 300, ["merge", "in.ics", *OUT]),
    "one title and time, proved": (of_events(lambda number: event(f"u{number}", f"DESCRIPTION:Word {number}")), 300, ["reconcile", "in.ics", "--result", "in.ics", "--zone", "UTC"]),
    "exceptions of a rule": (lambda count: {"in.ics": HEAD + event("a", f"RRULE:FREQ=DAILY;COUNT={count}", "EXRULE:FREQ=SECONDLY;INTERVAL=7") + TAIL}, 500, ["dates", "in.ics", "--from", "2026-01-01", "--until", "2040-01-01"]),
    "rows": (table, 1500, ["convert", "in.csv", *OUT, "--zone", "UTC"]),
}


def instructions(files, command):
    with tempfile.TemporaryDirectory(prefix="scaling-") as folder:
        for name, content in files.items():
            path = Path(folder, name)
            if isinstance(content, str):
                path.write_text(content, newline="")
            else:
                with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as packed:
                    for inner, text in content:
                        packed.writestr(inner, text)
        done = subprocess.run(
            ["valgrind", "--tool=callgrind", "--callgrind-out-file=/dev/null", PROGRAM, *command],
            cwd=folder, env=ENVIRONMENT, capture_output=True, text=True, check=False)
        if done.returncode not in (0, 1):
            sys.exit(f"{command}: status {done.returncode}\n{done.stderr[-2000:]}")
        return int(re.search(r"Collected : (\d+)", done.stderr).group(1))


# What the program takes before it has read anything.
START = instructions({}, ["rules", "T03"])


def measured(name):
    make, count, command = CASES[name]
    once, twice = (instructions(make(size), command) for size in (count, 2 * count))
    return name, count, once - START, twice - START


def main():
    warnings.simplefilter("ignore")  # Two files of one name in a zip are meant.
    names = sys.argv[2:] or list(CASES)
    failed = []
    with ThreadPoolExecutor(os.cpu_count() or 2) as pool:
        for name, count, once, twice in pool.map(measured, names):
            ratio = twice / max(once, 1)
            print(f"{name:34} {count:6} → {2 * count:6}  {once / 1e6:9.1f} M → {twice / 1e6:9.1f} M  {ratio:4.2f} ×", flush=True)
            if ratio > MOST:
                failed.append(name)
    if failed:
        sys.exit(f"more than {MOST} times for twice as much: {', '.join(failed)}")


if __name__ == "__main__":
    main()

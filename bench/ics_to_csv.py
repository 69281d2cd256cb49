"""What somebody writes in an afternoon: one row for each event, without a check.

usage: ics_to_csv.py CALENDAR TABLE
"""

import csv
import os
import sys

calendar, table = sys.argv[1:]
WANTED = ("SUMMARY", "DTSTART", "DTEND", "RRULE", "LOCATION", "DESCRIPTION", "CATEGORIES", "UID")


def text_of(value):
    return value.replace("\\n", "\n").replace("\\,", ",").replace("\\;", ";").replace("\\\\", "\\")


def unfolded(lines):
    before = None
    for line in lines:
        line = line.rstrip("\r\n")
        if line[:1] in (" ", "\t") and before is not None:
            before += line[1:]
            continue
        if before is not None:
            yield before
        before = line
    yield before


with open(calendar, newline="", encoding="utf-8") as given, open(table, "w", newline="", encoding="utf-8") as out:
    rows, event, depth = csv.writer(out), None, 0
    rows.writerow([*WANTED, "zone"])
    for line in unfolded(given):
        if line == "BEGIN:VEVENT":
            event = {}
        elif line == "END:VEVENT":
            rows.writerow([event.get(name, "") for name in (*WANTED, "zone")])
            event = None
        elif event is not None and line.startswith(("BEGIN:", "END:")):
            depth += 1 if line.startswith("BEGIN:") else -1
        elif event is not None and not depth:
            name, _, value = line.partition(":")
            name, _, parameters = name.partition(";")
            if name in WANTED:
                event[name] = text_of(value)
                if name == "DTSTART" and parameters.startswith("TZID="):
                    event["zone"] = parameters[5:]
    out.flush()
    os.fsync(out.fileno())

#!/usr/bin/env python3
"""Writes the destination's export "after the import": what the new system of
Norrsund Line gives back after it took in the combined calendar, with three
accidents on the way.

- Its importer knows no summer time for the shifts ("Vuoro"): it read their
  clocks as UTC+2 all year.
- It keeps ten dates of the weekly safety meeting.
- Somebody pressed the button twice for the dry dock.

It gives every event an id of its own, writes all times in UTC, and sorts by
title, as systems do.

Usage: after_import.py NORRSUND-LINE.ics > after-import/norrsund-line.ics
"""

import hashlib
import re
import sys
from datetime import datetime, timedelta, timezone
from zoneinfo import ZoneInfo


def unfolded(text):
    return re.sub(r"\r\n[ \t]", "", text).split("\r\n")


def events(lines):
    event = None
    depth = 0
    for line in lines:
        if line == "BEGIN:VEVENT":
            event = []
        elif line == "END:VEVENT":
            yield event
            event = None
        elif event is not None:
            if line.startswith("BEGIN:"):
                depth += 1
            if depth == 0:
                event.append(line)
            if line.startswith("END:"):
                depth -= 1


def value(event, name):
    for line in event:
        head, _, rest = line.partition(":")
        if head.split(";")[0] == name:
            return head, rest
    return None, None


def in_utc(line, fixed):
    """A time line in UTC; `fixed` reads its clock as UTC+2 all year."""
    head, _, rest = line.partition(":")
    name = head.split(";")[0]
    zone = re.search(r"TZID=([^;:]+)", head)
    if zone is None:
        return line
    zone = timezone(timedelta(hours=2)) if fixed else ZoneInfo(zone.group(1).strip('"'))
    moments = [datetime.strptime(one, "%Y%m%dT%H%M%S").replace(tzinfo=zone) for one in rest.split(",")]
    moments = [one.astimezone(timezone.utc).strftime("%Y%m%dT%H%M%SZ") for one in moments]
    return f"{name}:{','.join(moments)}"


def written(event, copy):
    title = value(event, "SUMMARY")[1] or ""
    repeats = value(event, "RRULE")[1] is not None or value(event, "RECURRENCE-ID")[1] is not None
    own = value(event, "UID")[1] + copy
    uid = hashlib.sha1(own.encode()).hexdigest()[:20] + "@shore.example.org"
    out = []
    for line in event:
        name = re.split("[;:]", line)[0]
        if name == "UID":
            line = f"UID:{uid}"
        elif name in ("DTSTART", "DTEND") and not repeats:
            line = in_utc(line, fixed=title.startswith("Vuoro"))
        elif name == "RRULE" and title == "Safety meeting":
            line = re.sub(r";?(COUNT|UNTIL)=[^;]+", "", line) + ";COUNT=10"
        out.append(line)
    return title, out


def folded(line):
    data = line.encode()
    parts = []
    while len(data) > 75:
        cut = 75
        while data[cut] & 0xC0 == 0x80:
            cut -= 1
        parts.append(data[:cut])
        data = b" " + data[cut:]
    return b"\r\n".join(parts + [data])


def main():
    lines = unfolded(open(sys.argv[1], newline="", encoding="utf-8").read())
    head, zones, inside = [], [], False
    for line in lines[1:]:
        if line == "BEGIN:VTIMEZONE":
            inside = True
        if inside:
            zones.append(line)
        if line == "END:VTIMEZONE":
            inside = False
    all_events = []
    for event in events(lines):
        all_events.append(written(event, ""))
        if (value(event, "SUMMARY")[1] or "").startswith(("Torrdocka", "Dry dock")):
            all_events.append(written(event, "again"))
    all_events.sort(key=lambda one: one[0])
    out = ["BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//Shore Office//Calendar 7//SV", "X-WR-CALNAME:Norrsund Line"]
    out += zones
    for _, event in all_events:
        out += ["BEGIN:VEVENT", *event, "END:VEVENT"]
    out.append("END:VCALENDAR")
    sys.stdout.buffer.write(b"\r\n".join(folded(line) for line in out) + b"\r\n")


main()

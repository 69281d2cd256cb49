"""What somebody writes in an afternoon: the table of bench/data.py as a calendar file, without a check.

usage: csv_to_ics.py TABLE CALENDAR ZONE
"""

import csv
import hashlib
import os
import sys

from data import folded

table, calendar, zone = sys.argv[1:]


def escaped(text):
    return text.replace("\\", "\\\\").replace(";", "\\;").replace(",", "\\,").replace("\n", "\\n")


def moment(day, time):
    return f"{day.replace('-', '')}T{time.replace(':', '')}00"


with open(table, newline="", encoding="utf-8") as given, open(calendar, "w", newline="", encoding="utf-8") as out:
    rows = csv.reader(given)
    next(rows)
    out.write("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//afternoon//EN\r\n")
    for row in rows:
        title, day, time, last_day, end, place, text, category = row
        uid = hashlib.sha256("\0".join(row).encode()).hexdigest()[:32]
        out.write("".join([
            f"BEGIN:VEVENT\r\nUID:{uid}\r\nDTSTAMP:19700101T000000Z\r\nDTSTART;TZID={zone}:{moment(day, time)}\r\n",
            f"DTEND;TZID={zone}:{moment(last_day, end)}\r\n", folded("SUMMARY:" + escaped(title)), "\r\n", folded("LOCATION:" + escaped(place)), "\r\n",
            folded("DESCRIPTION:" + escaped(text)), "\r\n", folded("CATEGORIES:" + escaped(category)), "\r\n", "END:VEVENT\r\n"]))
    out.write("END:VCALENDAR\r\n")
    out.flush()
    os.fsync(out.fileno())

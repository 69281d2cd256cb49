#!/usr/bin/env python3
"""Small inputs that ask for a large machine: each is done with, or refused in words, in less
than 300 MB.

usage: hostile-test.py PROGRAM [NAME…]

Memory is the largest that the process had. Time is told, and not tested: machines differ. What
has not ended after two minutes counts as hanging.
"""

import datetime
import io
import os
import subprocess
import sys
import tempfile
import threading
import time
import warnings
import zipfile
import zlib
from pathlib import Path

PROGRAM = os.path.abspath(sys.argv[1])
MOST_MEMORY = 300  # MB
HANGS = 120  # seconds
LARGEST = 2_000_000  # bytes of an input
ENVIRONMENT = {"PATH": os.environ["PATH"], "LC_ALL": "C.UTF-8", "EMVO_LEDGER": ""}

HEAD = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Norrsund Line//Quay//EN\r\n"
TAIL = "END:VCALENDAR\r\n"
LONG = ["--from", "2026-01-01", "--until", "9999-12-31"]


def moment(number, form="%Y%m%dT%H%M%SZ"):
    return (datetime.datetime(2026, 1, 1) + datetime.timedelta(hours=number)).strftime(form)


def event(uid, *lines, start=":20260901T100000Z", title="Watch"):
    lines = "".join(line + "\r\n" for line in lines)
    return f"BEGIN:VEVENT\r\nUID:{uid}\r\nDTSTAMP:20260101T000000Z\r\nSUMMARY:{title}\r\nDTSTART{start}\r\n{lines}END:VEVENT\r\n"


def calendar(*parts):
    return (HEAD + "".join(parts) + TAIL).encode()


def ruled(rule, *lines, start=":20260901T100000Z"):
    return calendar(event("a", "RRULE:" + rule, *lines, start=start))


def many(count, rule):
    return calendar(*(event(f"u{number}", "RRULE:" + rule) for number in range(count)))


def numbers(first, last):
    return ",".join(str(number) for number in range(first, last + 1))


ALL_TIMES = f"BYHOUR={numbers(0, 23)};BYMINUTE={numbers(0, 59)};BYSECOND={numbers(0, 59)}"
DAYS = ",".join(f"{ordinal}{day}" for ordinal in range(-53, 54) if ordinal for day in ("MO", "TU", "WE", "TH", "FR", "SA", "SU"))


def zone(*rules, name="Quay"):
    parts = "".join(
        f"BEGIN:STANDARD\r\nDTSTART:19700101T000000\r\nTZOFFSETFROM:+0200\r\nTZOFFSETTO:+0{1 + at % 3}00\r\n{rule}\r\nEND:STANDARD\r\n"
        for at, rule in enumerate(rules)
    )
    return f"BEGIN:VTIMEZONE\r\nTZID:{name}\r\n{parts}END:VTIMEZONE\r\n"


def in_zone(*rules):
    return calendar(zone(*rules), event("a", "RRULE:FREQ=DAILY", start=";TZID=Quay:20260901T100000"))


def reaching_on(count):
    changed = (event("a", f"RECURRENCE-ID;RANGE=THISANDFUTURE:{moment(at)}", start=":" + moment(at), title=f"T{at}") for at in range(1, count))
    return calendar(event("a", "RRULE:FREQ=HOURLY", start=":" + moment(0)), *changed)


def overrides(count):
    changed = (event("a", f"RECURRENCE-ID:{moment(at)}", start=":" + moment(at), title=f"T{at}") for at in range(1, count))
    return calendar(event("a", "RRULE:FREQ=HOURLY", start=":" + moment(0)), *changed)


def zipped(*entries):
    out = io.BytesIO()
    with warnings.catch_warnings(), zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        warnings.simplefilter("ignore")
        for name, content in entries:
            archive.writestr(name, content)
    return out.getvalue()


def zip_of_one_size(count, size):
    return zipped(*((f"{number}.ics", b" " * size) for number in range(count)))


def saying_short(packed):
    """The same zip, whose last file says that it is shorter than it is."""
    packed = bytearray(packed)
    at = packed.rfind(b"PK\x01\x02")
    begins = int.from_bytes(packed[at + 42 : at + 46], "little")
    for place in (at + 24, begins + 22):
        packed[place : place + 4] = (100).to_bytes(4, "little")
    return bytes(packed)


def overlapping(count):
    """Many names for one packed text."""
    packer = zlib.compressobj(9, zlib.DEFLATED, -15)
    text = b" " * 20_000_000
    data = packer.compress(text) + packer.flush()
    crc = zlib.crc32(text)
    sizes = crc.to_bytes(4, "little") + len(data).to_bytes(4, "little") + len(text).to_bytes(4, "little")
    local = b"PK\x03\x04\x14\0\0\0\x08\0\0\0\x21\0" + sizes + (5).to_bytes(2, "little") + b"\0\0" + b"a.ics" + data
    central = b"".join(
        b"PK\x01\x02\x14\0\x14\0\0\0\x08\0\0\0\x21\0" + sizes + (8).to_bytes(2, "little") + bytes(16) + b"%04d.ics" % at for at in range(count)
    )
    end = b"PK\x05\x06\0\0\0\0" + count.to_bytes(2, "little") * 2 + len(central).to_bytes(4, "little") + len(local).to_bytes(4, "little") + b"\0\0"
    return local + central + end


def workbook(sheet, strings=b"", dimension="A1:B2", more=b"", counted=""):
    parts = [
        ("[Content_Types].xml", '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="xml" ContentType="application/xml"/><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/><Override PartName="/xl/sharedStrings.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sharedStrings+xml"/></Types>'),
        ("_rels/.rels", '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="xl/workbook.xml"/></Relationships>'),
        ("xl/workbook.xml", '<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="A" sheetId="1" r:id="rId1"/></sheets></workbook>'),
        ("xl/_rels/workbook.xml.rels", '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/><Relationship Id="rId2" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/sharedStrings" Target="sharedStrings.xml"/></Relationships>'),
        ("xl/sharedStrings.xml", f'<sst xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"{counted}>'.encode() + strings + b"</sst>"),
        ("xl/worksheets/sheet1.xml", f'<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><dimension ref="{dimension}"/><sheetData>'.encode() + sheet + b"</sheetData>" + more + b"</worksheet>"),
    ]
    return zipped(*parts)


def open_sheet(rows):
    """The open form of a spreadsheet."""
    names = 'xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"'
    body = f'<office:document-content {names} office:version="1.2"><office:body><office:spreadsheet><table:table table:name="A">{rows}</table:table></office:spreadsheet></office:body></office:document-content>'
    manifest = '<manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"><manifest:file-entry manifest:full-path="/" manifest:media-type="application/vnd.oasis.opendocument.spreadsheet"/></manifest:manifest>'
    return zipped(("mimetype", "application/vnd.oasis.opendocument.spreadsheet"), ("META-INF/manifest.xml", manifest), ("content.xml", body))


def open_cell(text, often=1):
    return f'<table:table-cell table:number-columns-repeated="{often}" office:value-type="string"><text:p>{text}</text:p></table:table-cell>'


def open_row(cells, often=1):
    return f'<table:table-row table:number-rows-repeated="{often}">{cells}</table:table-row>'


def cell(place, text="x"):
    return f'<c r="{place}" t="inlineStr"><is><t>{text}</t></is></c>'.encode()


def rows_of(count, row):
    return ("Title,Start\n" + row * count).encode()


# What each is, the name of its file, its bytes, and the command.
INPUTS = {
    # Rules.
    "every second for ever": ("a.ics", lambda: ruled("FREQ=SECONDLY"), ["survey", "a.ics", *LONG]),
    "every second, all listed": ("a.ics", lambda: ruled("FREQ=SECONDLY"), ["dates", "a.ics", *LONG, "--ceiling", "3000000", "-o", "o.csv"]),
    "every second, by set": ("a.ics", lambda: ruled("FREQ=SECONDLY;BYSETPOS=2"), ["check", "a.ics"]),
    "every other second, at odd ones": ("a.ics", lambda: ruled("FREQ=SECONDLY;INTERVAL=2;BYSECOND=7"), ["dates", "a.ics", *LONG]),
    "every second of 30 February": ("a.ics", lambda: ruled("FREQ=SECONDLY;BYMONTH=2;BYMONTHDAY=30"), ["dates", "a.ics", *LONG]),
    "every minute of 30 February": ("a.ics", lambda: ruled("FREQ=MINUTELY;INTERVAL=7;BYMONTH=2;BYMONTHDAY=30"), ["dates", "a.ics", *LONG]),
    "every hour of a leap day on a Monday": ("a.ics", lambda: ruled("FREQ=HOURLY;BYMONTH=2;BYMONTHDAY=29;BYDAY=MO"), ["dates", "a.ics", *LONG]),
    "all times of day": ("a.ics", lambda: ruled("FREQ=YEARLY;" + ALL_TIMES), ["dates", "a.ics", *LONG]),
    "all times of all days": ("a.ics", lambda: ruled(f"FREQ=YEARLY;BYYEARDAY={numbers(1, 366)};" + ALL_TIMES), ["dates", "a.ics", *LONG]),
    "all times, by set": ("a.ics", lambda: ruled(f"FREQ=YEARLY;BYYEARDAY={numbers(1, 366)};BYSETPOS=-1,1;" + ALL_TIMES), ["dates", "a.ics", *LONG]),
    "all days by number": ("a.ics", lambda: ruled("FREQ=YEARLY;BYDAY=" + DAYS), ["survey", "a.ics", *LONG]),
    "week 53 of an impossible day": ("a.ics", lambda: many(400, "FREQ=YEARLY;BYWEEKNO=53;BYMONTH=6"), ["survey", "a.ics", *LONG]),
    "a count without end": ("a.ics", lambda: ruled("FREQ=MONTHLY;BYMONTHDAY=31;COUNT=4294967295"), ["pick", "a.ics", "--from", "9000-01-01", "-o", "o.ics"]),
    "steps without end": ("a.ics", lambda: ruled("FREQ=YEARLY;INTERVAL=4294967295"), ["dates", "a.ics", *LONG]),
    "a list of one day": ("a.ics", lambda: ruled("FREQ=MONTHLY;BYMONTHDAY=" + "1," * 200_000 + "1"), ["survey", "a.ics"]),
    "a thousand rules": ("a.ics", lambda: calendar(event("a", *(f"RRULE:FREQ=MINUTELY;INTERVAL={at}" for at in range(1, 1000)))), ["dates", "a.ics"]),
    "a thousand rules that exclude": ("a.ics", lambda: calendar(event("a", "RRULE:FREQ=MINUTELY", *(f"EXRULE:FREQ=MINUTELY;INTERVAL={at}" for at in range(2, 800)))), ["dates", "a.ics"]),
    "series until 9999": ("a.ics", lambda: many(100, "FREQ=HOURLY;UNTIL=99991231T000000Z"), ["survey", "a.ics", *LONG]),
    "a count of seconds, and an end": ("a.ics", lambda: ruled("FREQ=SECONDLY;COUNT=4294967295;UNTIL=99991231T000000Z"), ["check", "a.ics"]),
    "a count of seconds of January": ("a.ics", lambda: ruled("FREQ=SECONDLY;BYMONTH=1;COUNT=4294967295;UNTIL=99991231T000000Z"), ["check", "a.ics"]),
    "a count of seconds, by set": ("a.ics", lambda: ruled("FREQ=SECONDLY;BYMONTH=1;BYSETPOS=1;COUNT=100000000"), ["dates", "a.ics", "--from", "2090-01-01"]),
    "an end at another kind of time": ("a.ics", lambda: ruled("FREQ=SECONDLY;BYMONTH=1,3;UNTIL=99991231"), ["check", "a.ics"]),
    "every second left out of a week": ("a.ics", lambda: ruled("FREQ=WEEKLY", "EXRULE:FREQ=SECONDLY;INTERVAL=7"), ["dates", "a.ics", *LONG]),
    "seconds that are counted, left out": ("a.ics", lambda: ruled("FREQ=WEEKLY", "EXRULE:FREQ=SECONDLY;BYHOUR=10;COUNT=4294967295"), ["survey", "a.ics", *LONG]),
    "dates as events, many": ("a.ics", lambda: ruled("FREQ=SECONDLY"), ["convert", "a.ics", "--unroll", "-o", "o.ics", "--from", "2026-01-01", "--until", "2027-12-31", "--ceiling", "30000000", "--memory", "250MB"]),
    "30 February, often": ("a.ics", lambda: many(1000, "FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30"), ["check", "a.ics"]),
    # Lists of dates, overrides.
    "ten thousand further dates, each a series' event": ("a.ics", lambda: calendar(event("a", *(f"RDATE:{moment(at)}" for at in range(10_000)))), ["convert", "a.ics", "--unroll", "-o", "o.ics", *LONG]),
    "further dates and as many exceptions": ("a.ics", lambda: calendar(event("a", "RDATE:" + ",".join(map(moment, range(30_000))), "EXDATE:" + ",".join(map(moment, range(30_000))))), ["survey", "a.ics"]),
    "periods without length": ("a.ics", lambda: calendar(event("a", "RDATE;VALUE=PERIOD:" + ",".join(moment(at) + "/PT0S" for at in range(20_000)))), ["dates", "a.ics", *LONG]),
    "overrides that reach on": ("a.ics", lambda: reaching_on(3_000), ["pick", "a.ics", "--from", "2026-02-01", "-o", "o.ics"]),
    "overrides that reach on, by title": ("a.ics", lambda: reaching_on(3_000), ["dates", "a.ics", "--sort", "title", "-o", "o.csv"]),
    "overrides": ("a.ics", lambda: overrides(8_000), ["survey", "a.ics"]),
    "overrides without their series": ("a.ics", lambda: calendar(*(event("a", f"RECURRENCE-ID:{moment(at)}", start=":" + moment(at)) for at in range(8_000))), ["repair", "a.ics", "-o", "o.ics"]),
    "copies of one override": ("a.ics", lambda: calendar(event("a", "RRULE:FREQ=HOURLY"), *(event("a", "RECURRENCE-ID:20260901T110000Z", start=":" + moment(at)) for at in range(6_000))), ["check", "a.ics"]),
    # Many events.
    "one id": ("a.ics", lambda: calendar(*(event("a", start=":" + moment(at), title=f"T{at}") for at in range(4_000))), ["retime", "a.ics", "--express-in", "Europe/Helsinki", "-o", "o.ics", "--receipt", "r.json"]),
    "one title and time": ("a.ics", lambda: calendar(*(event(f"u{at}", f"DESCRIPTION:Words {at}") for at in range(11_000))), ["merge", "a.ics", "-o", "o.ics", "--duplicates", "fold"]),
    "one title and time, checked": ("a.ics", lambda: calendar(*(event(f"u{at}", f"DESCRIPTION:Words {at}") for at in range(11_000))), ["check", "a.ics"]),
    "one id, title and time": ("a.ics", lambda: calendar(*(event("a", f"DESCRIPTION:Words {at}") for at in range(11_000))), ["merge", "a.ics", "-o", "o.ics"]),
    "copies": ("a.ics", lambda: calendar(*(event("a") for _ in range(8_000))), ["merge", "a.ics", "-o", "o.ics", "--receipt", "r.json"]),
    "events without anything": ("a.ics", lambda: calendar("BEGIN:VEVENT\r\nEND:VEVENT\r\n" * 60_000), ["check", "a.ics"]),
    "events of a word": ("a.ics", lambda: calendar("BEGIN:VEVENT\nDTSTART:20260101\nEND:VEVENT\n" * 40_000), ["check", "a.ics"]),
    "calendars without anything": ("a.ics", lambda: (HEAD + TAIL).encode() * 16_000, ["bundle", "a.ics", "-o", "o.zip"]),
    "a calendar within a calendar": ("a.ics", lambda: HEAD.encode() * 20_000 + TAIL.encode() * 20_000, ["check", "a.ics"]),
    "components within components": ("a.ics", lambda: calendar("BEGIN:VEVENT\r\n" + "BEGIN:X-A\r\n" * 60_000), ["check", "a.ics"]),
    "alarms": ("a.ics", lambda: calendar(event("a", *("BEGIN:VALARM\r\nTRIGGER:-PT15M\r\nEND:VALARM" for _ in range(20_000)))), ["check", "a.ics"]),
    "guests": ("a.ics", lambda: calendar(event("a", *(f"ATTENDEE:mailto:a{at}@example.org" for at in range(30_000)))), ["check", "a.ics"]),
    # Lines.
    "a line of a megabyte": ("a.ics", lambda: calendar(event("a", "DESCRIPTION:" + "x" * 1_000_000)), ["check", "a.ics"]),
    "a line folded at each letter": ("a.ics", lambda: calendar(event("a", "DESCRIPTION:" + "\r\n ".join("x" * 400_000))), ["check", "a.ics"]),
    "a line of parameters": ("a.ics", lambda: calendar(event("a", "DESCRIPTION" + ";X-A=b" * 150_000 + ":x")), ["check", "a.ics"]),
    "a line of categories": ("a.ics", lambda: calendar(event("a", "CATEGORIES:" + ",".join(f"c{at}" for at in range(150_000)))), ["survey", "a.ics"]),
    "no end of line": ("a.ics", lambda: b"BEGIN:VCALENDAR" * 60_000, ["check", "a.ics"]),
    "zeros": ("a.ics", lambda: bytes(1_500_000), ["check", "a.ics"]),
    # Zones.
    "zones that nobody knows": ("a.ics", lambda: calendar(*(event(f"u{at}", start=f";TZID=Quay {at}:20260901T100000") for at in range(4_000))), ["check", "a.ics"]),
    "a zone that changes every second": ("a.ics", lambda: in_zone("RRULE:FREQ=SECONDLY", "RRULE:FREQ=SECONDLY;INTERVAL=7"), ["check", "a.ics"]),
    "a zone of many rules": ("a.ics", lambda: in_zone(*(f"RRULE:FREQ=DAILY;BYHOUR={at % 24}" for at in range(500))), ["check", "a.ics"]),
    "a zone of many dates": ("a.ics", lambda: in_zone("RDATE:" + ",".join(moment(at, "%Y%m%dT%H%M%S") for at in range(50_000))), ["check", "a.ics"]),
    "many definitions of a zone": ("a.ics", lambda: calendar(zone("RRULE:FREQ=YEARLY") * 5_000, event("a", start=";TZID=Quay:20260901T100000")), ["check", "a.ics"]),
    # Tables.
    "rows of 13 bytes": ("a.csv", lambda: rows_of(60_000, "a,2026-01-01\n"), ["check", "a.csv"]),
    "rows of nothing": ("a.csv", lambda: rows_of(600_000, ",\n"), ["check", "a.csv"]),
    "a row of commas": ("a.csv", lambda: b"Title,Start\n" + b"," * 1_500_000, ["check", "a.csv"]),
    "a header of commas": ("a.csv", lambda: b"Title,Start" + b"," * 300_000 + b"\na,2026-01-01\n", ["check", "a.csv"]),
    "a quote that never ends": ("a.csv", lambda: b'Title,Start\n"' + b"a,2026-01-01\n" * 100_000, ["check", "a.csv"]),
    "quotes": ("a.csv", lambda: b"Title,Start\n" + b'"' * 1_500_000, ["check", "a.csv"]),
    "rows into dates": ("a.csv", lambda: rows_of(60_000, "a,2026-01-01\n"), ["convert", "a.csv", "-o", "o.ics", "--zone", "Europe/Helsinki"]),
    # Zips and spreadsheets.
    "a zip of blanks": ("a.zip", lambda: zip_of_one_size(1, 400_000_000), ["survey", "a.zip"]),
    "a zip of many blanks": ("a.zip", lambda: zip_of_one_size(40, 20_000_000), ["survey", "a.zip"]),
    "a zip that lies over itself": ("a.zip", lambda: overlapping(60), ["survey", "a.zip"]),
    "a zip that says that it is short": ("a.zip", lambda: saying_short(zipped(("a.ics", b" " * 300_000_000))), ["survey", "a.zip"]),
    "a zip of names": ("a.zip", lambda: zipped(*((f"{at}.ics", b"") for at in range(15_000))), ["survey", "a.zip"]),
    "a zip of one name": ("a.zip", lambda: zipped(*(("a.ics", calendar(event(f"u{at}"))) for at in range(3_000))), ["merge", "a.zip", "-o", "o.ics"]),
    "a backup of blanks": ("a.zip", lambda: zip_of_one_size(1, 400_000_000), ["bundle", "--verify", "a.zip"]),
    "a sheet with a far corner": ("a.xlsx", lambda: workbook(b"<row>" + cell("A1") + b"</row><row>" + cell("XFD1048576") + b"</row>", dimension="A1:XFD1048576"), ["check", "a.xlsx"]),
    "a sheet of far corners": ("a.xlsx", lambda: workbook(b"".join(b"<row>" + cell(f"XFD{at}") + b"</row>" for at in range(1, 5_000))), ["check", "a.xlsx"]),
    "a sheet of one letter": ("a.xlsx", lambda: workbook(b"<row>" + cell("A1", "x" * 300_000_000) + b"</row>"), ["check", "a.xlsx"]),
    "strings that are said often": ("a.xlsx", lambda: workbook(b"<row>" + b'<c t="s"><v>0</v></c>' * 16_000 + b"</row>", b"<si><t>" + b"x" * 1_000_000 + b"</t></si>"), ["check", "a.xlsx"]),
    "a cell that is merged down": ("a.xlsx", lambda: workbook(b"<row>" + cell("A1", "x" * 30_000) + b'</row><row r="1000000">' + cell("B1000000") + b"</row>", more=b'<mergeCells><mergeCell ref="A1:A1000000"/></mergeCells>'), ["check", "a.xlsx"]),
    "an open sheet of repeated cells": ("a.ods", lambda: open_sheet(open_row(open_cell("x", 16_000), 1_000_000)), ["check", "a.ods"]),
    "an open sheet of repeated rows": ("a.ods", lambda: open_sheet(open_row(open_cell("Title") + open_cell("Start")) + open_row(open_cell("x" * 500, 3), 1_000_000)), ["check", "a.ods"]),
    "an open sheet with a far corner": ("a.ods", lambda: open_sheet(open_row(open_cell("x")) + open_row("<table:table-cell/>", 1_000_000) + open_row("<table:table-cell table:number-columns-repeated=\"16000\"/>" + open_cell("x"))), ["check", "a.ods"]),
    "an open sheet of blanks": ("a.ods", lambda: open_sheet(open_row(open_cell('x<text:s text:c="900000000"/>'))), ["check", "a.ods"]),
    "an open sheet of references": ("a.ods", lambda: open_sheet(open_row(open_cell("&amp;" * 300), 600_000)), ["check", "a.ods"]),
    "an open sheet of values": ("a.ods", lambda: open_sheet(open_row('<table:table-cell office:value-type="string" office:string-value="' + "x" * 300 + '"/>', 600_000)), ["check", "a.ods"]),
    "an open sheet of empty cells": ("a.ods", lambda: open_sheet(open_row('<table:table-cell table:number-columns-repeated="3000"/>' + open_cell("x"), 200_000)), ["check", "a.ods"]),
    "an open sheet with room between": ("a.ods", lambda: open_sheet(open_row(open_cell("x", 3_000)) + open_row("<table:table-cell/>", 900_000) + open_row(open_cell("x"))), ["check", "a.ods"]),
    "a sheet that says that it is short": ("a.xlsx", lambda: saying_short(workbook(b"<row>" + cell("A1", "x" * 300_000_000) + b"</row>")), ["check", "a.xlsx"]),
    "strings that are counted too high": ("a.xlsx", lambda: workbook(b'<row><c r="A1" t="s"><v>0</v></c></row>', b"<si><t>x</t></si>", counted=' count="4294967295" uniqueCount="4294967295"'), ["check", "a.xlsx"]),
    # What comes with inputs.
    "settings of brackets": ("p.toml", lambda: b"a = " + b"[" * 500_000, ["run", "p.toml"]),
    "a plan of steps": ("p.toml", lambda: b'[input]\nfiles = ["a.ics"]\n' + b"[[step]]\n" * 100_000, ["run", "p.toml"]),
}


def run(name):
    """The largest memory in MB, the seconds, the status, and what was said."""
    file, _, command = INPUTS[name]
    with tempfile.TemporaryDirectory() as folder:
        # Made by another process: a new one counts what its parent had in memory as its own.
        subprocess.run([sys.executable, __file__, PROGRAM, "--make", name, str(Path(folder, file))], check=True)
        with open(Path(folder, "said"), "w+b") as said:
            began = time.monotonic()
            process = subprocess.Popen([PROGRAM, *command], cwd=folder, env=ENVIRONMENT, stdout=subprocess.DEVNULL, stderr=said)
            timer = threading.Timer(HANGS, process.kill)
            timer.start()
            _, state, usage = os.wait4(process.pid, 0)
            timer.cancel()
            took = time.monotonic() - began
            said.seek(0)
            words = said.read().decode(errors="replace")
    return usage.ru_maxrss / 1000, took, os.waitstatus_to_exitcode(state), words


def make(name, path):
    content = INPUTS[name][1]()
    assert len(content) <= LARGEST, f"{name}: {len(content)} bytes are not small"
    Path(path).write_bytes(content)


def main():
    if sys.argv[2:3] == ["--make"]:
        return make(*sys.argv[3:])
    names = sys.argv[2:] or list(INPUTS)
    faults = []
    for name in names:
        memory, took, status, words = run(name)
        print(f"{memory:6.0f} MB {took:6.1f} s  status {status}  {name}", flush=True)
        if status < 0:
            faults.append(f"{name}: ended by signal {-status}")
        elif status not in (0, 1, 2):
            faults.append(f"{name}: status {status}")
        elif status == 2 and "emvo: " not in words:
            faults.append(f"{name}: refused without a word")
        if memory > MOST_MEMORY:
            faults.append(f"{name}: {memory:.0f} MB")
        if "fault in Emvo itself" in words or "panicked" in words:
            faults.append(f"{name}: {words}")
    print(f"{len(names)} inputs, {len(faults)} faults")
    sys.exit("\n".join(faults) if faults else 0)


if __name__ == "__main__":
    main()

#!/usr/bin/env python3
"""Writes the demo exports anew, the same bytes on every run.

Everything in them is made up: two ferry operators, their vessels, harbours
and people. What is wrong with each file is wrong on purpose and listed in
README.md beside this script.
"""
import datetime as dt
import pathlib
import zipfile

OUT = pathlib.Path(__file__).parent / "exports"

STOCKHOLM = """BEGIN:VTIMEZONE
TZID:Europe/Stockholm
X-LIC-LOCATION:Europe/Stockholm
BEGIN:DAYLIGHT
TZOFFSETFROM:+0100
TZOFFSETTO:+0200
TZNAME:CEST
DTSTART:19700329T020000
RRULE:FREQ=YEARLY;BYDAY=-1SU;BYMONTH=3
END:DAYLIGHT
BEGIN:STANDARD
TZOFFSETFROM:+0200
TZOFFSETTO:+0100
TZNAME:CET
DTSTART:19701025T030000
RRULE:FREQ=YEARLY;BYDAY=-1SU;BYMONTH=10
END:STANDARD
END:VTIMEZONE"""

HELSINKI_BODY = """BEGIN:STANDARD
DTSTART:16010101T040000
TZOFFSETFROM:+0300
TZOFFSETTO:+0200
RRULE:FREQ=YEARLY;INTERVAL=1;BYDAY=-1SU;BYMONTH=10
END:STANDARD
BEGIN:DAYLIGHT
DTSTART:16010101T030000
TZOFFSETFROM:+0200
TZOFFSETTO:+0300
RRULE:FREQ=YEARLY;INTERVAL=1;BYDAY=-1SU;BYMONTH=3
END:DAYLIGHT
END:VTIMEZONE"""


def helsinki(name):
    return f"BEGIN:VTIMEZONE\nTZID:{name}\n{HELSINKI_BODY}"


# Finland's summer time ended in September until 1995; this definition was
# never brought up to date.
OUTDATED = helsinki("Europe/Helsinki").replace("BYMONTH=10", "BYMONTH=9")


def text(value):
    return value.replace("\\", "\\\\").replace(";", "\\;").replace(",", "\\,").replace("\n", "\\n")


def fold(line):
    out, room, current = [], 75, b""
    for char in line:
        encoded = char.encode()
        if len(current) + len(encoded) > room:
            out.append(current.decode())
            current, room = b"", 74
        current += encoded
    out.append(current.decode())
    return "\r\n ".join(out)


def stamp(moment):
    return moment.strftime("%Y%m%dT%H%M%S")


class Export:
    """One calendar file in the manner of one system."""

    def __init__(self, product, name, zone=None, head=()):
        self.lines = ["BEGIN:VCALENDAR", "VERSION:2.0", f"PRODID:{product}", "CALSCALE:GREGORIAN"]
        self.lines += ["METHOD:PUBLISH", f"X-WR-CALNAME:{text(name)}"]
        if zone:
            self.lines.append(f"X-WR-TIMEZONE:{zone}")
        for block in head:
            self.lines += block.split("\n")
        self.count = 0

    def event(self, uid, title, start, end=None, zone=None, lines=(), stamped="20260811T063000Z", alarm=None):
        self.count += 1
        out = ["BEGIN:VEVENT", f"DTSTAMP:{stamped}"]
        if uid:
            out.append(f"UID:{uid}")
        out += [time("DTSTART", start, zone)]
        if end is not None:
            out.append(time("DTEND", end, zone))
        out.append(f"SUMMARY:{text(title)}")
        out += list(lines)
        if alarm:
            out += ["BEGIN:VALARM", "ACTION:DISPLAY", f"DESCRIPTION:{text(title)}", f"TRIGGER:{alarm}", "END:VALARM"]
        out.append("END:VEVENT")
        self.lines += out

    def write(self, path, ending="\r\n"):
        body = "\r\n".join(fold(line) for line in self.lines + ["END:VCALENDAR"]) + "\r\n"
        target = OUT / path
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(body.replace("\r\n", ending).encode())


def time(name, value, zone):
    if isinstance(value, dt.datetime):
        if zone == "UTC":
            return f"{name}:{stamp(value)}Z"
        if zone:
            quoted = f'"{zone}"' if ":" in zone else zone
            return f"{name};TZID={quoted}:{stamp(value)}"
        return f"{name}:{stamp(value)}"
    return f"{name};VALUE=DATE:{value.strftime('%Y%m%d')}"


def day(month, date, year=2026):
    return dt.date(year, month, date)


def at(month, date, hour, minute=0, year=2026):
    return dt.datetime(year, month, date, hour, minute)


def days(first, last, step=1):
    current = first
    while current <= last:
        yield current
        current += dt.timedelta(days=step)


NORRSUND = "-//Norrsund Line//Bridge Planner 4.2//SV"
SKARVIK = "-//Skarvik Båtar//Kajkalender//SV"
CREW = ["Åsa Bergström", "Mikko Hämäläinen", "Östen Lindqvist", "Päivi Mäkelä", "Jörgen Åkerlund", "Saana Kärkkäinen"]


def attendee(name):
    plain = name.lower().translate(str.maketrans("åäöÅÄÖ ", "aaoaao."))
    return f"ATTENDEE;CN=\"{name}\";PARTSTAT=ACCEPTED:mailto:{plain}@example.org"


def norrsund_crew():
    zone = "Europe/Stockholm"
    cal = Export(NORRSUND, "Norrsund besättning", zone, [STOCKHOLM])
    weekdays = ["MO", "TU", "WE", "TH", "FR", "SA"]
    for number, name in enumerate(CREW):
        start = at(8, 31 if number == 0 else number, 5, 30) if number == 0 else at(9, number, 5, 30)
        out = [f"RRULE:FREQ=WEEKLY;UNTIL=20270627T215959Z;BYDAY={weekdays[number]}"]
        if number == 1:
            out.append(f"EXDATE;TZID={zone}:20261027T053000,20261222T053000,20261229T053000")
        if number == 3:
            out.append(f"EXDATE;TZID={zone}:20261224T053000")
        out += ["LOCATION:M/S Ebba", "CATEGORIES:Roster,Deck", "SEQUENCE:1", attendee(name)]
        cal.event(f"roster-{number + 1:02}@norrsund.example.org", f"Morning watch: {name}", start,
                  start + dt.timedelta(hours=8), zone, out, alarm="-PT12H")
    # One watch swapped, one called off.
    swapped = at(10, 13, 13, 30)
    cal.event("roster-02@norrsund.example.org", "Morning watch: Mikko Hämäläinen (swapped)", swapped,
              swapped + dt.timedelta(hours=8), zone,
              [f"RECURRENCE-ID;TZID={zone}:20261013T053000", "LOCATION:M/S Ebba", "CATEGORIES:Roster,Deck", "SEQUENCE:2"])
    off = at(11, 5, 5, 30)
    cal.event("roster-04@norrsund.example.org", "Morning watch: Päivi Mäkelä", off, off + dt.timedelta(hours=8), zone,
              [f"RECURRENCE-ID;TZID={zone}:20261105T053000", "STATUS:CANCELLED", "SEQUENCE:3"])
    # A rotating roster: three weeks on M/S Ebba, M/S Tuuli and ashore.
    for number, vessel in enumerate(["M/S Ebba", "M/S Tuuli", "ashore, Norrsund office"]):
        start = at(8, 31, 7) + dt.timedelta(weeks=number)
        cal.event(f"rotation-{number + 1}@norrsund.example.org", f"Engine crew A: {vessel}", start,
                  start + dt.timedelta(hours=10), zone,
                  ["RRULE:FREQ=WEEKLY;INTERVAL=3;UNTIL=20270627T215959Z;BYDAY=MO,TU,WE,TH", "CATEGORIES:Roster,Engine",
                   "DESCRIPTION:Rotation plan no. 7\\, agreed with the crew council.\\nQuestions: roster@example.org"])
    # The weekly safety meeting was stored in UTC: in winter it is an hour off.
    meeting = at(9, 2, 7)
    cal.event("safety-weekly@norrsund.example.org", "Safety meeting", meeting, meeting + dt.timedelta(minutes=45), "UTC",
              ["RRULE:FREQ=WEEKLY;COUNT=40;BYDAY=WE", "EXDATE:20261223T070000Z,20261230T070000Z",
               "LOCATION:Norrsund terminal\\, room 2", "CATEGORIES:Safety"])
    for month, date in [(9, 14), (10, 12), (11, 9), (12, 7)]:
        start = at(month, date, 14)
        cal.event(f"bridge-{month:02}@norrsund.example.org", "Bridge team briefing", start, start + dt.timedelta(hours=1),
                  zone, ["LOCATION:M/S Ebba\\, bridge", "CATEGORIES:Safety", "CLASS:CONFIDENTIAL"])
    cal.lines += ["BEGIN:VTODO", "UID:todo-1@norrsund.example.org", "DTSTAMP:20260811T063000Z",
                  "SUMMARY:Renew the crew's survival suit checks", "DUE;VALUE=DATE:20261115", "STATUS:NEEDS-ACTION", "END:VTODO"]
    cal.write("norrsund/crew.ics")


SAILINGS = [("Norrsund", "Skarvik", 8, 0, 125), ("Skarvik", "Norrsund", 13, 30, 125), ("Norrsund", "Kallioranta", 17, 15, 210)]


def norrsund_sailings():
    zone = "Europe/Stockholm"
    cal = Export(NORRSUND, "Norrsund turlista", zone, [STOCKHOLM])
    number = 0
    for date in days(day(10, 2), day(12, 18), 7):
        for origin, goal, hour, minute, length in SAILINGS:
            number += 1
            start = dt.datetime.combine(date, dt.time(hour, minute))
            out = [f"LOCATION:{origin}", "CATEGORIES:Sailing", "TRANSP:OPAQUE", "X-BP-VESSEL:M/S Ebba",
                   f"DESCRIPTION:Check-in closes 30 minutes before departure. Crossing {length} min."]
            cal.event(f"sail-{number:03}@norrsund.example.org", f"{origin} – {goal}", start,
                      start + dt.timedelta(minutes=length), zone, out)
    # The night boat arrives in the other zone.
    for date in days(day(10, 3), day(12, 19), 7):
        number += 1
        start = dt.datetime.combine(date, dt.time(21, 30))
        cal.count += 1
        cal.lines += ["BEGIN:VEVENT", "DTSTAMP:20260811T063000Z", f"UID:sail-{number:03}@norrsund.example.org",
                      time("DTSTART", start, zone), time("DTEND", start + dt.timedelta(hours=10, minutes=30), "Finland sea time"),
                      "SUMMARY:Night boat Norrsund – Kallioranta", "LOCATION:Norrsund", "CATEGORIES:Sailing,Night", "END:VEVENT"]
    cal.lines[7:7] = helsinki("Finland sea time").split("\n")
    # Cancelled for the autumn storm, and kept to tell so.
    start = at(11, 20, 8)
    cal.event("sail-extra@norrsund.example.org", "Norrsund – Lövhamn (extra)", start, start + dt.timedelta(minutes=95), zone,
              ["STATUS:CANCELLED", "LOCATION:Norrsund", "CATEGORIES:Sailing"])
    cal.write("norrsund/sailings.ics")


def norrsund_docks():
    rows = ["Norrsund Line, varvsplan 2026–2027;;;;;", ";;;;;", "Rubrik;Startdatum;Slutdatum;Heldag;Plats;Fartyg"]
    plan = [("Torrdocka", "5.10.2026", "18.10.2026", "Lövhamn varv", "M/S Ebba"),
            ("Torrdocka", "2.11.2026", "22.11.2026", "Lövhamn varv", "M/S Tuuli"),
            ("Bottenmålning", "19.10.2026", "23.10.2026", "Lövhamn varv", "M/S Ebba"),
            ("Klassbesiktning", "24.11.2026", "", "Lövhamn varv", "M/S Tuuli"),
            ("Garantiöversyn; maskin", "11.1.2027", "15.1.2027", "Norrsund", "M/S Ebba"),
            ("Provtur", "25.11.2026", "", "Norrsund", "M/S Tuuli")]
    for title, first, last, place, vessel in plan:
        title = f'"{title}"' if ";" in title else title
        rows.append(f"{title};{first};{last};x;{place};{vessel}")
    rows += ["Dykinspektion;31.2.2027;;x;Norrsund;M/S Ebba", "Summa: 7 insatser;;;;;"]
    path = OUT / "norrsund" / "varv.csv"
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(("\r\n".join(rows) + "\r\n").encode("cp1252"))


def skarvik_crew():
    zone = "FLE Standard Time"
    cal = Export(SKARVIK, "Skarvik miehistö", "Europe/Helsinki", [helsinki(zone)])
    people = ["Aino Lehtonen", "Börje Sjöholm", "Eerik Väisänen", "Märta Öhman"]
    number = 0
    for offset, name in enumerate(people):
        for date in days(day(9, 1) + dt.timedelta(days=offset), day(11, 26), 6):
            number += 1
            start = dt.datetime.combine(date, dt.time(6, 0))
            cal.event(f"KK-{7000 + number}", f"Vuoro: {name}", start, start + dt.timedelta(hours=9, minutes=30), zone,
                      ["LOCATION:M/S Kajsa", "CATEGORIES:Vuorolista", f"X-KK-SHIFT:{number}", "PRIORITY:5"],
                      stamped="20260903T101500Z", alarm="-PT1H")
    # Fridays at the end of the month, both crews; Norrsund has the same drill.
    start = at(9, 25, 14)
    cal.event("KK-9001", "Abandon-ship drill", start, start + dt.timedelta(hours=2), zone,
              ["RRULE:FREQ=MONTHLY;BYDAY=-1FR;COUNT=10", "CATEGORIES:Drill", "LOCATION:M/S Kajsa"])
    cal.event("KK-9002", "Pelastuslauttojen vuosihuolto", day(2, 29, 2028), day(3, 1, 2028), None,
              ["RRULE:FREQ=YEARLY", "CATEGORIES:Inspection", "TRANSP:TRANSPARENT"])
    cal.write("skarvik/calendar.ics")
    # Downloaded twice, as people do.
    (OUT / "skarvik" / "calendar(1).ics").write_bytes((OUT / "skarvik" / "calendar.ics").read_bytes())


def skarvik_watches():
    """A roster whose times carry no zone at all."""
    cal = Export(SKARVIK, "Skarvik konevahti", "Europe/Helsinki")
    number = 0
    for date in days(day(10, 19), day(11, 8)):
        for hour, name in [(6, "aamu"), (14, "ilta")]:
            number += 1
            start = dt.datetime.combine(date, dt.time(hour))
            cal.event(f"vahti-{number:02}@skarvik.example.org", f"Konevahti {name}", start, start + dt.timedelta(hours=8), None,
                      ["LOCATION:M/S Kajsa\\, konehuone", "CATEGORIES:Vuorolista"])
    cal.write("skarvik/engine-watch.ics", ending="\n")


def skarvik_sailings():
    """Joint sailings: Norrsund's crossings under other ids, and some of its own."""
    cal = Export(SKARVIK, "Skarvik aikataulu", "Europe/Helsinki", [OUTDATED])
    number = 0
    for date in days(day(10, 2), day(12, 18), 7):
        for origin, goal, hour, minute, length in SAILINGS[:2]:
            number += 1
            start = dt.datetime.combine(date, dt.time(hour + 1, minute))
            out = [f"LOCATION:{origin}", "CATEGORIES:Joint sailing", "URL:https://example.org/turer"]
            cal.event(f"tur-{number:03}@skarvik.example.org", f"{origin} – {goal}", start,
                      start + dt.timedelta(minutes=length), "Europe/Helsinki", out, alarm="-PT30M")
    for date in days(day(10, 4), day(12, 20), 7):
        number += 1
        start = dt.datetime.combine(date, dt.time(11, 0))
        cal.event(f"tur-{number:03}@skarvik.example.org", "Skarvik – Lövhamn", start, start + dt.timedelta(minutes=70),
                  "Europe/Helsinki", ["LOCATION:Skarvik", "CATEGORIES:Sailing"])
    cal.write("skarvik/sailings.ics")


def skarvik_harbour():
    """Closures and drills: a zone behind a path that nobody defines, a home-made
    zone, events without ids, one that cannot be, one cut off."""
    path_zone = "/example.org/20250101_1/Europe/Helsinki"
    own = "Skarvik ship time"
    cal = Export(SKARVIK, "Skarvik satama", None, [helsinki(own)])
    closures = [(10, 14, 2, "Satama suljettu: ruoppaus"), (11, 3, 1, "Satama suljettu: ruoppaus"), (12, 6, 1, "Satama suljettu: itsenäisyyspäivä"),
                (12, 24, 3, "Satama suljettu: joulu"), (1, 6, 1, "Satama suljettu: loppiainen")]
    for month, date, length, title in closures:
        first = day(month, date, 2027 if month == 1 else 2026)
        cal.event(None, title, first, first + dt.timedelta(days=length), None, ["LOCATION:Skarvik", "CATEGORIES:Closure"])
    for month, date in [(10, 7), (11, 4), (12, 2)]:
        start = at(month, date, 9)
        cal.event(f"oil-{month:02}@skarvik.example.org", "Öljyntorjuntaharjoitus", start, start + dt.timedelta(hours=3), path_zone,
                  ["LOCATION:Skarvik", "CATEGORIES:Drill"])
    start = at(9, 7, 8, 15)
    cal.event("kaj-weekly@skarvik.example.org", "Kajmöte", start, start + dt.timedelta(minutes=30), own,
              ["RRULE:FREQ=WEEKLY;BYDAY=MO;UNTIL=20261221T061500Z", f"EXDATE;TZID={own}:20261207T081500", "LOCATION:Skarvik\\, kaj 1"])
    for hour in (10, 12):
        start = at(10, 21, hour)
        cal.event(f"pilot-{hour}@skarvik.example.org", "Luotsikoulutus", start, start + dt.timedelta(hours=2), own, ["LOCATION:Skarvik"])
    cal.lines += ["BEGIN:VEVENT", "UID:bad-date@skarvik.example.org", "DTSTAMP:20260903T101500Z", "DTSTART:20260931T090000",
                  "SUMMARY:Siltanosturin huolto", "END:VEVENT"]
    cal.write("skarvik/harbour.ics")
    path = OUT / "skarvik" / "harbour.ics"
    whole = path.read_bytes().decode()
    cut = whole.replace("END:VCALENDAR\r\n", "") + "BEGIN:VEVENT\r\nUID:cut-off@skarvik.example.org\r\nDTSTAMP:20260903T1015"
    path.write_bytes(cut.encode())


def skarvik_drills():
    rows = ["Subject,Start Date,Start Time,End Date,End Time,All day event,Location,Description,Categories,Private,Reminder"]
    plan = [("Fire drill", "02/10/2026", "10:00", "11:30", "M/S Kajsa", "Engine room scenario", "Drill"),
            ("Man-overboard drill", "16/10/2026", "13:00", "14:00", "M/S Kajsa", "Rescue boat, starboard", "Drill"),
            ("Fire drill", "30/10/2026", "10:00", "11:30", "M/S Aallotar", "Car deck scenario", "Drill"),
            ("Blackout drill", "13/11/2026", "22:00", "01:30", "M/S Kajsa", "", "Drill; Night"),
            ("Crew medical", "05/11/2026", "08:00", "12:00", "Skarvik clinic", "Names with the crew office", "Health"),
            ("Fire drill", "27/11/2026", "10:00", "11:30", "M/S Kajsa", "Galley scenario\nwith smoke", "Drill"),
            ("Steering gear test", "11/12/2026", "09:15", "10:00", "M/S Aallotar", "=check log 14", "Drill")]
    for title, date, start, end, place, note, category in plan:
        end_date = date if end > start else "14/11/2026"
        note = f'"{note}"' if "," in note or "\n" in note else note
        private = "yes" if category == "Health" else ""
        rows.append(f"{title},{date},{start},{end_date},{end},no,{place},{note},{category},{private},60")
    rows.append("Stability course,23/11/2026,,25/11/2026,,yes,Norrsund,,Training,,")
    (OUT / "skarvik" / "drills.csv").write_bytes(("\ufeff" + "\r\n".join(rows) + "\r\n").encode())



def serial(month, date, year=2026):
    """The day as a spreadsheet counts it, from 1900."""
    return str((dt.date(year, month, date) - dt.date(1899, 12, 30)).days)


def skarvik_service():
    """A spreadsheet that wrote its dates as numbers and its repetition as a yes."""
    rows = ["Otsikko;Alkupäivä;Alkuaika;Kesto;Toistuu;Paikka;Huomautus"]
    plan = [("Pelastusliivien tarkastus", serial(9, 14), "9.00", "3 h", "kyllä", "M/S Kajsa", ""),
            ("Palopumppujen koeajo", serial(9, 21), "klo 10", "90 min", "kyllä", "M/S Aallotar", "Konehuone"),
            ("Kansinosturin katsastus", serial(10, 5), "8.30", "1,5 h", "kyllä", "M/S Kajsa", ""),
            ("Potkurin vaihto", serial(10, 12), "7.00", "8 h", "ei", "Lövhamn", "Telakka sulkee klo 16"),
            ("", serial(10, 13), "13.00", "1 h", "ei", "Lövhamn", ""),
            ("Ankkuripelin huolto", "########", "9.00", "2 h", "ei", "M/S Aallotar", "")]
    rows += [";".join(row) for row in plan]
    path = OUT / "skarvik" / "huolto.csv"
    path.write_bytes(("\r\n".join(rows) + "\r\n").encode("windows-1252"))


def skarvik_quay():
    """Who lies at the quay: day first, marks for busy, a totals line."""
    rows = ["# laituripaikat syksy 2026;;;;;", "Otsikko;Alkupäivä;Loppupäivä;Varattu;Paikka;Alus"]
    plan = [("Laituri 1 varattu", "05/10/2026", "09/10/2026", "x", "Skarvik, laituri 1", "M/S Ebba"),
            ("Laituri 2 varattu", "19/10/2026", "23/10/2026", "x", "Skarvik, laituri 2", "M/S Tuuli"),
            ("Laituri 1 vapaa vieraille", "01/11/2026", "30/11/2026", "", "Skarvik, laituri 1", ""),
            ("Laituri 2 huollossa", "07/12/2026", "11/12/2026", "x", "Skarvik, laituri 2", "")]
    rows += [";".join(row) for row in plan]
    rows.append("Yhteensä 4 varausta;;;;;")
    path = OUT / "skarvik" / "laituri.csv"
    path.write_bytes(("\r\n".join(rows) + "\r\n").encode("windows-1252"))


# What an office types into a spreadsheet, cell by cell: a text, a date (as a serial number)
# or a time of day (as a part of a day).
def office_cell(place, value, style=""):
    if isinstance(value, str):
        return f'<c r="{place}" t="inlineStr"{style}><is><t>{value}</t></is></c>'
    return f'<c r="{place}"{style}><v>{value}</v></c>'


def office_plan():
    """A plan as people make it: a title with the year, days without one, a date for two rows,
    ranges in a cell, lengths in hours, a hidden row, and notes on a sheet of their own."""
    day, time = ' s="1"', ' s="2"'
    rows = [["Varvsplan Skarvik Båtar 2026/27"], [],
            ["Datum", "Dag", "Vad", "Tid", "Längd (tim)", "Var"],
            ["14.12.", "mån", "Dockning M/S Ebba", "7–15.30", "", "Varvet"],
            ["28.12.", "mån", "Nattvakt", "18.00–24.00", "", "Kaj 2"],
            ["11.1.", "mån", "Brandövning", (9.5 / 24, time), (1.5, ""), "M/S Ebba"],
            ["", "", "Genomgång", (13 / 24, time), (2, ""), "Kaj 2"],
            ["# från och med här preliminärt"],
            [(46437, day), "fre", "Besiktning", "8–12", "", "Varvet"],
            ["22.2.", "tis", "Provtur", "kl. 10", (3, ""), "Skarvik"]]
    lines = []
    for number, row in enumerate(rows, 1):
        cells = [(value, "") if isinstance(value, str) else value for value in row]
        text = "".join(office_cell(f"{'ABCDEF'[at]}{number}", *cell) for at, cell in enumerate(cells) if cell[0] != "")
        hidden = ' hidden="1"' if "Provtur" in row else ""
        lines.append(f'<row r="{number}"{hidden}>{text}</row>')
    main = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
    office = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
    package = "http://schemas.openxmlformats.org/package/2006"
    head = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n'
    sheet = (f'{head}<worksheet xmlns="{main}"><sheetData>{"".join(lines)}</sheetData>'
             '<mergeCells count="2"><mergeCell ref="A1:F1"/><mergeCell ref="A6:A7"/></mergeCells></worksheet>')
    notes = (f'{head}<worksheet xmlns="{main}"><sheetData><row r="1">'
             f'{office_cell("A1", "Fråga Olof om slipen")}</row></sheetData></worksheet>')
    styles = (f'{head}<styleSheet xmlns="{main}"><numFmts count="2"><numFmt numFmtId="164" formatCode="d\\.m\\."/>'
              '<numFmt numFmtId="165" formatCode="hh:mm"/></numFmts><fonts count="1"><font/></fonts>'
              '<fills count="1"><fill/></fills><borders count="1"><border/></borders>'
              '<cellStyleXfs count="1"><xf/></cellStyleXfs><cellXfs count="3"><xf/>'
              '<xf numFmtId="164" applyNumberFormat="1"/><xf numFmtId="165" applyNumberFormat="1"/></cellXfs></styleSheet>')
    kinds = "application/vnd.openxmlformats-officedocument.spreadsheetml"
    parts = {
        "[Content_Types].xml": f'{head}<Types xmlns="{package}/content-types">'
        '<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
        '<Default Extension="xml" ContentType="application/xml"/>'
        f'<Override PartName="/xl/workbook.xml" ContentType="{kinds}.sheet.main+xml"/>'
        f'<Override PartName="/xl/worksheets/sheet1.xml" ContentType="{kinds}.worksheet+xml"/>'
        f'<Override PartName="/xl/worksheets/sheet2.xml" ContentType="{kinds}.worksheet+xml"/>'
        f'<Override PartName="/xl/styles.xml" ContentType="{kinds}.styles+xml"/></Types>',
        "_rels/.rels": f'{head}<Relationships xmlns="{package}/relationships">'
        f'<Relationship Id="r1" Type="{office}/officeDocument" Target="xl/workbook.xml"/></Relationships>',
        "xl/workbook.xml": f'{head}<workbook xmlns="{main}" xmlns:r="{office}"><sheets>'
        '<sheet name="Vinter" sheetId="1" r:id="r1"/><sheet name="Anteckningar" sheetId="2" r:id="r2"/></sheets></workbook>',
        "xl/_rels/workbook.xml.rels": f'{head}<Relationships xmlns="{package}/relationships">'
        f'<Relationship Id="r1" Type="{office}/worksheet" Target="worksheets/sheet1.xml"/>'
        f'<Relationship Id="r2" Type="{office}/worksheet" Target="worksheets/sheet2.xml"/>'
        f'<Relationship Id="r3" Type="{office}/styles" Target="styles.xml"/></Relationships>',
        "xl/styles.xml": styles,
        "xl/worksheets/sheet1.xml": sheet,
        "xl/worksheets/sheet2.xml": notes,
    }
    folder = OUT.parent / "office"
    folder.mkdir(exist_ok=True)
    with zipfile.ZipFile(folder / "varvsplan.xlsx", "w") as book:
        for name, text in parts.items():
            # Stored, and of one date: the same bytes on every run and machine.
            book.writestr(zipfile.ZipInfo(name), text)


if __name__ == "__main__":
    norrsund_crew()
    norrsund_sailings()
    norrsund_docks()
    skarvik_crew()
    skarvik_watches()
    skarvik_sailings()
    skarvik_harbour()
    skarvik_drills()
    skarvik_service()
    skarvik_quay()
    office_plan()

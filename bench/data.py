"""Invented calendars and tables to measure with: the same bytes for the same count.

Two kinds of events. `plain` has three zones and short words without a sign beyond ASCII, 15 %
series, a reminder in every fourth. `rich` has six zones, words in umlauts that are escaped and
folded, fourteen lines an event, series of which every second has a changed date.
"""

import datetime
import random

KINDS = ("plain", "rich")
ZONES = [
    ("Europe/Stockholm", "+0100", "+0200", "02", "03"),
    ("Europe/Helsinki", "+0200", "+0300", "03", "04"),
    ("Europe/London", "+0000", "+0100", "01", "02"),
    ("Europe/Berlin", "+0100", "+0200", "02", "03"),
    ("Europe/Tallinn", "+0200", "+0300", "03", "04"),
    ("Europe/Oslo", "+0100", "+0200", "02", "03"),
]
TITLES = ["Crew roster A", "Night sailing", "Dry dock", "Safety drill", "Harbour closed", "Deck watch", "Bunkering"]
WORDS = ["quay", "deck", "boat", "muster", "line", "bridge", "engine", "ferry", "pilot", "watch", "list", "crew"]
RICH_WORDS = ["kajplats", "däck", "båt", "mönstring", "lina", "brygga", "maskinrum", "färja", "lots", "vakt", "lista", "besättning",
              "nattgång", "räddningsövning", "hamnstängning", "större", "översyn", "Åland", "lastlucka", "ånga"]
REMINDER = ["BEGIN:VALARM", "ACTION:DISPLAY", "DESCRIPTION:x", "TRIGGER:-PT15M", "END:VALARM"]


def head(kind):
    zones = ZONES[:3] if kind == "plain" else ZONES
    lines = ["BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//Norrsund Line//Quay//EN", "X-WR-CALNAME:Norrsund", "X-WR-TIMEZONE:Europe/Stockholm"]
    for zone, winter, summer, spring, autumn in zones:
        lines += ["BEGIN:VTIMEZONE", f"TZID:{zone}", "BEGIN:STANDARD", f"DTSTART:19961027T{autumn}0000", "RRULE:FREQ=YEARLY;BYMONTH=10;BYDAY=-1SU",
                  f"TZOFFSETFROM:{summer}", f"TZOFFSETTO:{winter}", "END:STANDARD", "BEGIN:DAYLIGHT", f"DTSTART:19810329T{spring}0000",
                  "RRULE:FREQ=YEARLY;BYMONTH=3;BYDAY=-1SU", f"TZOFFSETFROM:{winter}", f"TZOFFSETTO:{summer}", "END:DAYLIGHT", "END:VTIMEZONE"]
    return "\r\n".join(lines) + "\r\n"


def folded(line):
    raw, pieces, room = line.encode(), [], 75
    while len(raw) > room:
        cut = room
        while raw[cut] & 0xC0 == 0x80:
            cut -= 1
        pieces.append(raw[:cut].decode())
        raw, room = raw[cut:], 74
    return "\r\n ".join([*pieces, raw.decode()])


def times(zone, day, hour):
    return [f"DTSTART;TZID={zone}:{day:%Y%m%d}T{hour:02}3000", f"DTEND;TZID={zone}:{day:%Y%m%d}T{hour + 1:02}1500"]


def plain_event(at, rng):
    day = datetime.date(2020 + at % 7, 1 + rng.randrange(12), 1 + rng.randrange(28))
    lines = [f"UID:{at:07x}-{rng.randrange(1 << 32):08x}@example.org", "DTSTAMP:20260101T000000Z", f"SUMMARY:{rng.choice(TITLES)} {at}",
             *times(ZONES[at % 3][0], day, rng.randrange(22)), f"LOCATION:Pier {at % 9}", "DESCRIPTION:" + " ".join(rng.choices(WORDS, k=10))]
    if at % 20 < 3:
        lines.append(f"RRULE:FREQ=WEEKLY;COUNT={4 + at % 20}")
    if at % 4 == 0:
        lines += REMINDER
    return component(lines)


def rich_event(at, rng):
    zone = ZONES[at % 6][0]
    day, hour = datetime.date(2020 + at % 7, 1 + rng.randrange(12), 1 + rng.randrange(28)), rng.randrange(20)
    uid, stamp = f"UID:{at:07x}-{rng.randrange(1 << 32):08x}@example.org", "DTSTAMP:20260101T000000Z"
    words = "\\, ".join(rng.choices(RICH_WORDS, k=12)) + "\\nNästa: " + " ".join(rng.choices(RICH_WORDS, k=8)) + "\\; slut"
    lines = [uid, stamp, "CREATED:20250101T000000Z", "LAST-MODIFIED:20250601T000000Z", "SEQUENCE:1",
             f"SUMMARY:{rng.choice(RICH_WORDS).capitalize()} {at}", *times(zone, day, hour), f"LOCATION:Kaj {at % 9}\\, Skarvik",
             folded("DESCRIPTION:" + words), "CATEGORIES:Besättning,Övning", "STATUS:CONFIRMED", "TRANSP:OPAQUE", "CLASS:PUBLIC", f"X-SKARVIK-NR:{at}"]
    if at % 10 == 0:
        lines.append("RRULE:FREQ=WEEKLY;COUNT=12")
    if at % 5 == 0:
        lines += REMINDER
    text = component(lines)
    if at % 20 == 0:
        later = day + datetime.timedelta(7)
        slot = f"RECURRENCE-ID;TZID={zone}:{later:%Y%m%d}T{hour:02}3000"
        text += component([uid, stamp, slot, f"SUMMARY:Flyttad {at}", *times(zone, later, hour + 1)])
    return text


def component(lines):
    return "\r\n".join(["BEGIN:VEVENT", *lines, "END:VEVENT"]) + "\r\n"


def events(kind, count):
    rng = random.Random(7)
    make = plain_event if kind == "plain" else rich_event
    return [make(at, rng) for at in range(count)]


def write_calendar(path, kind, events):
    with open(path, "w", newline="", encoding="utf-8") as out:
        out.write(head(kind))
        out.writelines(events)
        out.write("END:VCALENDAR\r\n")


def write_series(path, count):
    """Series of ten years, 520 dates each."""
    series = (component([f"UID:{at}", f"SUMMARY:Watch {at}", f"DTSTART;TZID=Europe/Helsinki:20260105T{at % 24:02}0000", "DURATION:PT1H",
                         "RRULE:FREQ=WEEKLY;COUNT=520"]) for at in range(count))
    write_calendar(path, "plain", series)


def write_table(path, kind, count):
    rng = random.Random(9)
    words = WORDS if kind == "plain" else RICH_WORDS
    with open(path, "w", encoding="utf-8") as out:
        out.write("Title,Start date,Start time,End date,End time,Location,Description,Category\n")
        for at in range(count):
            day, hour = f"{2020 + at % 7}-{1 + rng.randrange(12):02}-{1 + rng.randrange(28):02}", rng.randrange(22)
            text = " ".join(rng.choices(words, k=4))
            out.write(f'{rng.choice(TITLES)} {at},{day},{hour:02}:30,{day},{hour + 1:02}:15,Pier {at % 9},"{text}, number {rng.randrange(99999)}",'
                      f'{rng.choice(["Crew", "Sailing"])}\n')

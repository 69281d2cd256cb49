//! Text → quiet events, in pieces that are read side by side.

use rayon::prelude::*;

use super::events::Events;
use super::keys::{shape_number, title_number, uid_number};
use super::lines::{MOST_ZONES, Told, ZoneTable};
use super::{Across, Ask, Quiet, QuietEvent};
use crate::table::weekdays_named;
use emvo_ical::calendar::ZoneName;
use emvo_ical::content::{SourceLine, Stretch, logical_lines, pieces_of_events, unescape_text};
use emvo_ical::day::SECONDS_A_DAY;

/// What a piece of a text holds.
#[derive(Default)]
struct Piece<'a> {
    events: Vec<QuietEvent>,
    zones: ZoneTable<'a>,
}

/// All quiet events of a text.
pub(super) fn read<'a>(text: &'a str, ask: &Ask<'_>) -> Option<Quiet<'a>> {
    let mut start = 0;
    let placed = pieces_of_events(text).into_iter().map(|piece| {
        start += piece.len();
        (start - piece.len(), piece)
    });
    let placed: Vec<(usize, &str)> = placed.collect();
    let pieces: Vec<Piece<'_>> =
        placed.into_par_iter().map(|(origin, piece)| read_piece(origin, piece, ask)).collect();
    joined(text, pieces)
}

fn read_piece<'a>(origin: usize, text: &'a str, ask: &Ask<'_>) -> Piece<'a> {
    let mut piece = Piece::default();
    let mut lines = logical_lines(text);
    while let Some(line) = lines.next() {
        if line.raw() != "BEGIN:VEVENT" {
            continue;
        }
        if let Some((told, end)) = read_event(&mut lines, &mut piece.zones, ask) {
            let Ok(length) = u32::try_from(end.end() - line.start()) else { continue };
            let lines = end.number() + 1 - line.number();
            let stretch = Stretch { start: origin + line.start(), length, lines };
            piece.events.extend(event_of(&told, stretch, &piece.zones, ask));
        }
    }
    piece.events.shrink_to_fit();
    piece
}

/// Takes the lines of an event up to its end, or up to the first that is not quiet.
fn read_event<'a>(
    lines: &mut impl Iterator<Item = SourceLine<'a>>,
    zones: &mut ZoneTable<'a>,
    ask: &Ask<'_>,
) -> Option<(Told<'a>, SourceLine<'a>)> {
    let mut told = Told::default();
    loop {
        let line = lines.next()?;
        if line.raw() == "END:VEVENT" {
            return told.is_whole().then_some((told, line));
        }
        told.take(line.raw(), line.is_folded(), zones, ask)?;
    }
}

fn event_of(told: &Told<'_>, stretch: Stretch, zones: &ZoneTable<'_>, ask: &Ask<'_>) -> Option<QuietEvent> {
    let (start, end) = (told.start?, told.end?);
    let lasts = end.clock - start.clock;
    let zone = zones.names[usize::from(start.zone)];
    let is_plain = start.zone == end.zone && (1..SECONDS_A_DAY - 4 * 3600).contains(&lasts);
    // A series in UTC is a question of its own.
    if !is_plain || (told.repeats.is_some() && zone.is_none()) {
        return None;
    }
    let title = unescape_text(told.title);
    if !weekdays_named(&title).is_empty() {
        return None;
    }
    let (title, shape) = match ask.across {
        Across::Alone => (0, 0),
        Across::Compared => {
            (title_number(&title), shape_number(zone.unwrap_or_default(), start.clock, lasts, told.title))
        }
    };
    Some(QuietEvent {
        stretch,
        uid: uid_number(told.uid),
        title,
        shape,
        start: start.clock,
        // Less than a day.
        lasts: u32::try_from(lasts).ok()?,
        zone: start.zone,
        repeats: told.repeats,
    })
}

/// The pieces behind each other, with one list of zones. `None` if a name of a zone is none, or if
/// there are more than anybody has.
fn joined<'a>(text: &'a str, pieces: Vec<Piece<'a>>) -> Option<Quiet<'a>> {
    let mut names: Vec<Option<&str>> = Vec::new();
    let mut of_pieces = Vec::with_capacity(pieces.len());
    for Piece { mut events, zones } in pieces {
        let places = zones.names.into_iter().map(|name| {
            let place = names.iter().position(|other| *other == name).unwrap_or_else(|| {
                names.push(name);
                names.len() - 1
            });
            u16::try_from(place).ok()
        });
        let places: Vec<u16> = places.collect::<Option<_>>()?;
        if names.len() > 4 * MOST_ZONES {
            return None;
        }
        for event in &mut events {
            event.zone = places[usize::from(event.zone)];
        }
        of_pieces.push(events);
    }
    let zones = names.into_iter().map(|name| match name {
        Some(name) => ZoneName::new(name).map(Some),
        None => Some(None),
    });
    Some(Quiet { text, events: Events::of_pieces(of_pieces), zones: zones.collect::<Option<_>>()? })
}

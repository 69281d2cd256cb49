//! Zone names → what they mean: aliases, labels, offsets (rules Z01, Z02).
//!
//! A name is read only where it can mean one thing. Abbreviations that several
//! regions use and misspellings mean nothing here; [`closest`] has proposals
//! for a person to choose from.
//!
//! Data: the names of the IANA tz database, CLDR's table of Windows zone ids,
//! and the places that display labels name (folder `data/`).

use hashbrown::HashMap;
use std::collections::BTreeMap;
use std::sync::LazyLock;

use super::transitions::Transitions;

/// What a zone name means.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum NameMeaning {
    /// An IANA zone, by its current name.
    Iana(&'static str),
    /// A fixed offset that no IANA zone has, in minutes east of UTC.
    Offset(i16),
}

static IANA: LazyLock<HashMap<String, &'static str>> = LazyLock::new(|| {
    rows(include_str!("data/iana-names.tsv"))
        .map(|row| {
            let (name, current) = row.split_once('\t').unwrap_or((row, row));
            (name.to_ascii_lowercase(), current)
        })
        .collect()
});

/// Windows id in lower case → CLDR's zone for territory 001, current name.
static WINDOWS: LazyLock<HashMap<String, &'static str>> = LazyLock::new(|| {
    windows_rows()
        .filter(|(_, territory, _)| *territory == "001")
        .filter_map(|(id, _, zones)| Some((id.to_lowercase(), current(zones.split(' ').next()?)?)))
        .collect()
});

/// IANA zone → the zone that CLDR takes for all of its Windows id.
static MAIN_OF_WINDOWS: LazyLock<HashMap<&'static str, &'static str>> = LazyLock::new(|| {
    windows_rows()
        .filter_map(|(id, _, zones)| Some((zones, *WINDOWS.get(&id.to_lowercase())?)))
        .flat_map(|(zones, main)| zones.split(' ').filter_map(current).map(move |zone| (zone, main)))
        .collect()
});

static PLACES: LazyLock<HashMap<String, &'static str>> = LazyLock::new(|| {
    rows(include_str!("data/label-places.tsv"))
        .filter_map(|row| {
            let (place, id) = row.split_once('\t')?;
            Some((place.to_lowercase(), *WINDOWS.get(&id.to_lowercase())?))
        })
        .collect()
});

/// Last part of a name, in lower case → the zones that end in it.
static BY_CITY: LazyLock<HashMap<String, Vec<&'static str>>> = LazyLock::new(|| {
    let mut cities: HashMap<String, Vec<&'static str>> = HashMap::new();
    for row in rows(include_str!("data/iana-names.tsv")) {
        let (name, current) = row.split_once('\t').unwrap_or((row, row));
        if let Some((_, city)) = name.rsplit_once('/') {
            let zones = cities.entry(city.to_ascii_lowercase()).or_default();
            if !zones.contains(&current) {
                zones.push(current);
            }
        }
    }
    cities
});

fn rows(table: &'static str) -> impl Iterator<Item = &'static str> {
    table.lines().filter(|line| !line.starts_with('#') && !line.is_empty())
}

fn windows_rows() -> impl Iterator<Item = (&'static str, &'static str, &'static str)> {
    rows(include_str!("data/windows-zones.tsv")).filter_map(|row| {
        let mut cells = row.split('\t');
        Some((cells.next()?, cells.next()?, cells.next()?))
    })
}

/// One zone for each clock of the world: those that CLDR takes for the Windows ids,
/// those that stand for most others first.
pub fn main_zones() -> Vec<&'static str> {
    let mut counts: BTreeMap<&'static str, usize> = BTreeMap::new();
    for main in MAIN_OF_WINDOWS.values() {
        *counts.entry(main).or_insert(0) += 1;
    }
    let mut zones: Vec<(&'static str, usize)> = counts.into_iter().collect();
    zones.sort_by_key(|(_, count)| std::cmp::Reverse(*count));
    zones.into_iter().map(|(zone, _)| zone).collect()
}

/// The current name of an IANA zone that is written as it should be, or in
/// another case.
fn current(name: &str) -> Option<&'static str> {
    IANA.get(&name.to_ascii_lowercase()).copied()
}

/// What a zone name means; `None` if it can mean nothing or several things.
///
/// Reads IANA names (obsolete ones, behind a path, in quotes, in any case,
/// with blanks for underscores), Windows zone ids, display labels such as
/// `(UTC+02:00) Helsinki, Kyiv, Riga`, and fixed offsets. `GMT+2` is two hours
/// east of UTC, while `Etc/GMT-2` is the tz database's name for the same.
pub fn meaning_of(name: &str) -> Option<NameMeaning> {
    let cleaned = clean(name);
    let name = cleaned.as_str();
    if let Some(zone) = iana(name).or_else(|| WINDOWS.get(&name.to_lowercase()).copied()) {
        return Some(NameMeaning::Iana(zone));
    }
    if let Some(minutes) = offset(name) {
        return of_offset(minutes);
    }
    label(name).or_else(|| behind_a_path(name).map(NameMeaning::Iana))
}

/// Whether a Windows zone id, or a label with cities, stands for this IANA zone in some
/// territory.
pub(super) fn may_stand_for(name: &str, zone: &str) -> bool {
    let name = clean(name);
    let main = if name.starts_with('(') {
        match meaning_of(&name) {
            Some(NameMeaning::Iana(meant)) => MAIN_OF_WINDOWS.get(meant),
            _ => None,
        }
    } else {
        WINDOWS.get(&name.to_lowercase())
    };
    main.is_some() && main == MAIN_OF_WINDOWS.get(zone)
}

/// The current names of all places in the tz database, in order.
pub(super) fn places() -> impl Iterator<Item = &'static str> {
    rows(include_str!("data/iana-names.tsv"))
        .filter(|row| !row.contains('\t') && row.contains('/') && !row.starts_with("Etc/"))
}

/// The places that people mean who write an abbreviation such as `CET` for their zone;
/// empty if it is none that is known.
pub fn places_of_abbreviation(name: &str) -> Vec<&'static str> {
    let wanted = clean(name);
    let found = rows(include_str!("data/abbreviations.tsv"))
        .filter_map(|row| row.split_once('\t'))
        .find(|(abbreviation, _)| abbreviation.eq_ignore_ascii_case(&wanted));
    found.map(|(_, places)| places.split('|').collect()).unwrap_or_default()
}

/// Names that people may have meant: the IANA names and Windows ids that are
/// closest to a name by spelling, best first.
pub fn closest(name: &str, count: usize) -> Vec<&'static str> {
    let wanted = clean(name).to_lowercase();
    let city = wanted.rsplit('/').next().unwrap_or(&wanted).replace(' ', "_");
    let most = 1 + wanted.len() / 4;
    // A name that is so much longer or shorter is no misspelling, and needs no look.
    let near = |known: &str, name: &str| {
        let is_far = known.len().abs_diff(name.chars().count()) > most;
        if is_far { usize::MAX } else { distance(known, name) }
    };
    let mut ranked: Vec<(usize, &'static str)> = rows(include_str!("data/iana-names.tsv"))
        .map(|row| row.split_once('\t').unwrap_or((row, row)))
        .filter(|(_, current)| current.contains('/'))
        .filter_map(|(known, current)| {
            let known = known.to_ascii_lowercase();
            let leaf = known.rsplit('/').next().unwrap_or(&known);
            let of_leaf = near(leaf, &city).saturating_add(1);
            let distance = if of_leaf <= 1 { of_leaf } else { near(&known, &wanted).min(of_leaf) };
            (distance <= most).then_some((distance, current))
        })
        .collect();
    ranked.sort_unstable();
    let mut names: Vec<_> = Vec::new();
    for (_, name) in ranked {
        if !names.contains(&name) && names.len() < count {
            names.push(name);
        }
    }
    names
}

/// Takes off what exports put around a name.
fn clean(name: &str) -> String {
    let is_wrapping = |char: char| char.is_whitespace() || char.is_control() || matches!(char, '"' | '\'');
    name.trim_matches(is_wrapping)
        .replace("\\/", "/")
        .replace("\\,", ",")
        .replace('\\', "/")
        .replace('\u{2212}', "-")
}

fn iana(name: &str) -> Option<&'static str> {
    match name {
        "Z" | "z" => Some("Etc/UTC"),
        _ => current(&name.replace(' ', "_")),
    }
}

/// `/example.org/20260101_1/Europe/Oslo` and the like: the longest end of the
/// path that is a name of at least two parts, or plain UTC.
fn behind_a_path(name: &str) -> Option<&'static str> {
    let cuts = name.match_indices('/').map(|(at, _)| &name[at + 1..]);
    cuts.filter(|end| end.contains('/') || matches!(end.to_ascii_lowercase().as_str(), "utc" | "gmt"))
        .find_map(iana)
}

fn of_offset(minutes: i16) -> Option<NameMeaning> {
    let (hours, rest) = (minutes / 60, minutes % 60);
    if rest != 0 {
        return Some(NameMeaning::Offset(minutes));
    }
    match hours {
        0 => Some(NameMeaning::Iana("Etc/UTC")),
        // The signs of Etc zones are turned: they count hours west.
        east @ 1.. => current(&format!("Etc/GMT-{east}")).map(NameMeaning::Iana),
        west => current(&format!("Etc/GMT+{}", -west)).map(NameMeaning::Iana),
    }
}

/// Minutes east of UTC in `UTC+02:00`, `GMT-5`, `+0530`, `(UTC+07:00)`. Only
/// offsets that some clock on earth has had: 12 hours west to 14 east.
fn offset(text: &str) -> Option<i16> {
    let text = text.strip_prefix('(').and_then(|text| text.strip_suffix(')')).unwrap_or(text);
    let upper = text.to_ascii_uppercase();
    let has_prefix = upper.starts_with("UTC") || upper.starts_with("GMT");
    let digits = if has_prefix { upper[3..].trim_start() } else { upper.as_str() };
    let sign = match digits.as_bytes().first()? {
        b'+' => 1,
        b'-' => -1,
        _ => return None,
    };
    let digits = &digits[1..];
    let (hours, minutes) = match (digits.split_once(':'), digits.len()) {
        (Some((hours, minutes)), _) if minutes.len() == 2 && (1..=2).contains(&hours.len()) => {
            (hours, minutes)
        }
        (None, 4) => digits.split_at_checked(2)?,
        (None, 1..=2) if has_prefix => (digits, "0"),
        _ => return None,
    };
    let number =
        |text: &str| text.bytes().all(|byte| byte.is_ascii_digit()).then(|| text.parse::<i16>().ok())?;
    let (hours, minutes) = (number(hours)?, number(minutes)?);
    let total = sign * (hours * 60 + minutes);
    (minutes < 60 && (-720..=840).contains(&total)).then_some(total)
}

/// `(UTC+01:00) Amsterdam, Berlin, Rome`: the places decide. Where several are
/// named, CLDR's main zone is taken if it is one of them, else the first.
fn label(name: &str) -> Option<NameMeaning> {
    let (head, places) = name.strip_prefix('(')?.split_once(')')?;
    let places = places.trim();
    let minutes = match head.trim().to_ascii_uppercase().as_str() {
        "UTC" | "GMT" => 0,
        head => offset(head)?,
    };
    // `(UTC+12:00) Coordinated Universal Time+12` names no place.
    if places.to_lowercase().starts_with("coordinated universal time") {
        return of_offset(minutes);
    }
    let zone = iana(places)
        .or_else(|| PLACES.get(&places.to_lowercase()).copied())
        .or_else(|| WINDOWS.get(&format!("{} standard time", places.to_lowercase())).copied())
        .or_else(|| zone_of_cities(places, minutes))?;
    Some(NameMeaning::Iana(zone))
}

fn zone_of_cities(places: &str, minutes: i16) -> Option<&'static str> {
    let named: Vec<&'static str> =
        places.split(',').filter_map(|place| zone_of_place(place.trim(), minutes)).collect();
    let first = *named.first()?;
    let main = named.iter().filter_map(|zone| MAIN_OF_WINDOWS.get(zone)).find(|main| named.contains(main));
    Some(main.copied().unwrap_or(first))
}

/// A place may stand there with another name of it: `Yangon (Rangoon)`.
fn zone_of_place(place: &str, minutes: i16) -> Option<&'static str> {
    zone_of_city(place, minutes).or_else(|| {
        let (one, other) = place.strip_suffix(')')?.split_once('(')?;
        zone_of_city(one.trim(), minutes).or_else(|| zone_of_city(other.trim(), minutes))
    })
}

/// A city counts if one zone of its name has the label's offset as standard
/// time; or, since labels outlive offsets, if there is only one of its name.
fn zone_of_city(place: &str, minutes: i16) -> Option<&'static str> {
    let zones = BY_CITY.get(&place.to_lowercase().replace(' ', "_"));
    let fitting = zones.and_then(|zones| {
        let mut fitting = zones.iter().filter(|zone| {
            Transitions::of_iana(zone).is_some_and(|zone| zone.has_recent_offset(i32::from(minutes) * 60))
        });
        fitting.next().filter(|_| fitting.next().is_none()).copied()
    });
    let only = || zones.filter(|zones| zones.len() == 1).map(|zones| zones[0]);
    fitting.or_else(only).or_else(|| PLACES.get(&place.to_lowercase()).copied())
}

/// Levenshtein's distance: letters to add, drop or change.
fn distance(one: &str, two: &str) -> usize {
    let two: Vec<char> = two.chars().collect();
    let mut row: Vec<usize> = (0..=two.len()).collect();
    for (at, char) in one.chars().enumerate() {
        let mut diagonal = row[0];
        row[0] = at + 1;
        for (index, other) in two.iter().enumerate() {
            let change = diagonal + usize::from(char != *other);
            diagonal = row[index + 1];
            row[index + 1] = change.min(diagonal + 1).min(row[index] + 1);
        }
    }
    row[two.len()]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[derive(serde::Deserialize)]
    struct Vector {
        id: String,
        name: String,
        expect: Option<String>,
        #[serde(default)]
        accept: Vec<String>,
        offset_minutes: Option<i16>,
    }

    #[test]
    fn names_mean_what_the_vectors_say() {
        let mut count = 0;
        for line in include_str!("../../tests/vectors/zones.jsonl").lines() {
            let vector: Vector = serde_json::from_str(line).unwrap();
            let found = meaning_of(&vector.name);
            let is_right = match (found, &vector.expect) {
                (Some(NameMeaning::Iana(zone)), Some(expect)) => {
                    zone == expect || vector.accept.iter().any(|other| other == zone)
                }
                (Some(NameMeaning::Offset(minutes)), None) => vector.offset_minutes == Some(minutes),
                (None, None) => vector.offset_minutes.is_none(),
                _ => false,
            };
            assert!(
                is_right,
                "{} {:?}: {found:?}, expected {:?} or {:?}",
                vector.id, vector.name, vector.expect, vector.accept
            );
            count += 1;
        }
        assert_eq!(count, 503);
    }

    #[test]
    fn labels_outlive_their_offsets() {
        for (label, zone) in [
            ("(UTC+02:00) Istanbul", "Europe/Istanbul"),
            ("(UTC+02:00) Helsinki, Kyiv, Riga, Sofia, Tallinn, Vilnius", "Europe/Kyiv"),
            ("(UTC+01:00) Amsterdam, Berlin, Bern, Rome, Stockholm, Vienna", "Europe/Berlin"),
            ("(UTC+12:00) Coordinated Universal Time+12", "Etc/GMT-12"),
            ("(UTC) Coordinated Universal Time", "Etc/UTC"),
            ("(UTC+06:30) Yangon (Rangoon)", "Asia/Yangon"),
            ("(UTC+05:30) Calcutta (Kolkata)", "Asia/Kolkata"),
            ("(UTC+02:00) Kyiv (Kiev), Riga", "Europe/Kyiv"),
        ] {
            assert_eq!(meaning_of(label), Some(NameMeaning::Iana(zone)), "{label}");
        }
    }

    #[test]
    fn misspellings_get_proposals() {
        assert_eq!(closest("Europe/Stokholm", 1), ["Europe/Stockholm"]);
        assert!(closest("Helsinky", 3).contains(&"Europe/Helsinki"));
        assert!(closest("zzzzzzzzzzzzz", 3).is_empty());
    }
}

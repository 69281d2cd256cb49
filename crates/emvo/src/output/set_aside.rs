//! What could not be read, as files: calendar parts in one, table rows in
//! another.

use emvo_core::edit::{define_missing, names_in_use};
use emvo_core::product::PRODUCT_ID;
use emvo_core::table::guarded;
use emvo_ical::calendar::{Calendar, Placed, ZoneName};
use emvo_ical::content::{Component, Property, push_component, push_property};

use crate::input::{Format, Loaded, Source};

/// What is set aside from all sources: calendar parts in one file, table rows in
/// another. `whole` are events of which a text was cut, as they were.
pub(super) fn set_aside_files(
    sources: &[Source<'_>],
    whole: &[Component<'_>],
) -> anyhow::Result<Vec<(Format, Vec<u8>)>> {
    let parts = calendar_parts(sources, whole).map(|bytes| (Format::Ics, bytes));
    let rows = table_rows(sources)?.map(|bytes| (Format::Csv, bytes));
    Ok(parts.into_iter().chain(rows).collect())
}

fn calendar_parts(sources: &[Source<'_>], whole: &[Component<'_>]) -> Option<Vec<u8>> {
    let mut parts = Vec::new();
    for source in sources {
        for fault in source.set_aside.faults.iter().filter(|fault| !fault.text.is_empty()) {
            push_reason(&mut parts, &format!("{} line {}: {}", source.path, fault.line, fault.kind));
            parts.extend_from_slice(fault.text.trim_end_matches(['\r', '\n']).as_bytes());
            parts.extend_from_slice(b"\r\n");
        }
    }
    let mut out = Vec::new();
    let unsound = sources.iter().flat_map(|source| source.unsound().map(move |event| (&source.path, event)));
    for (path, event) in unsound {
        push_reason(&mut out, &format!("{path} line {}: {}", event.component.line(), event.error));
        push_component(&mut out, &event.component);
    }
    for event in whole {
        push_reason(&mut out, "F10: a text of it was cut to fit; this is the whole event");
        push_component(&mut out, event);
    }
    if parts.is_empty() && out.is_empty() {
        return None;
    }
    let head = format!("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:{PRODUCT_ID}\r\n");
    let zones = definitions(sources, whole);
    Some([head.as_bytes(), &zones, &parts, &out, b"END:VCALENDAR\r\n"].concat())
}

/// Why the next part is set aside, in front of it.
fn push_reason(out: &mut Vec<u8>, reason: &str) {
    push_property(out, &Property::new("X-EMVO-SET-ASIDE", &[], reason));
}

/// The definitions of the zones that whole events refer to: the inputs' own where they
/// have one.
fn definitions(sources: &[Source<'_>], whole: &[Component<'_>]) -> Vec<u8> {
    let unsound = sources.iter().flat_map(Source::unsound).map(|event| &event.component);
    let others = unsound.chain(whole).map(|it| Placed { rank: 0, it: it.clone() });
    let mut part = Calendar { others: others.collect(), ..Calendar::default() };
    let mut names = names_in_use(&part);
    let loaded = || sources.iter().flat_map(|source| &source.loaded);
    for zone in loaded().flat_map(|loaded| &loaded.calendar.zones) {
        let name = zone.it.text("TZID").and_then(|name| ZoneName::new(name.trim()));
        if name.is_some_and(|name| names.remove(&name)) {
            part.zones.push(zone.clone());
        }
    }
    for Loaded { zones, .. } in loaded() {
        define_missing(&mut part, zones);
    }
    let mut out = Vec::new();
    part.zones.iter().for_each(|zone| push_component(&mut out, &zone.it));
    out
}

fn table_rows(sources: &[Source<'_>]) -> anyhow::Result<Option<Vec<u8>>> {
    let with_rows: Vec<_> = sources.iter().filter(|source| !source.set_aside.rows.is_empty()).collect();
    if with_rows.is_empty() {
        return Ok(None);
    }
    // A spreadsheet takes UTF-8 for what it is only behind a mark.
    let mut writer = csv::WriterBuilder::new()
        .terminator(csv::Terminator::CRLF)
        .flexible(true)
        .from_writer("\u{feff}".as_bytes().to_vec());
    for source in with_rows {
        let head = ["file", "row", "reason"].into_iter().map(str::to_owned);
        let headers = source.table.sniffed.iter().flat_map(|sniffed| sniffed.headers().map(str::to_owned));
        writer.write_record(head.chain(headers).map(|cell| guarded(&cell).into_owned()))?;
        for row in &source.set_aside.rows {
            let head = [source.path.clone(), row.row.to_string(), row.reason.clone()];
            let cells = head.iter().chain(&row.cells).map(|cell| guarded(cell).into_owned());
            writer.write_record(cells)?;
        }
    }
    Ok(Some(writer.into_inner().map_err(|error| anyhow::anyhow!("{error}"))?))
}

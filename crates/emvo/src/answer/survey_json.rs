//! The JSON answer of `survey`.

use std::collections::BTreeMap;

use emvo_core::survey::{Survey, ZoneMeaning};
use emvo_core::table::{ColumnField, DateOrder, Sniffed};
use schemars::JsonSchema;
use serde::Serialize;

use super::survey_detail::per_name;
use super::surveyed::{Alike, Gone, Surveyed};
use crate::input::Source;

#[derive(Serialize, JsonSchema)]
struct SurveyJson<'s> {
    calendars: Vec<CalendarJson>,
    tables: Vec<TableJson>,
    totals: CountsJson,
    findings: BTreeMap<&'static str, usize>,
    same: Vec<SameJson>,
    loaded_through: Vec<ThroughJson<'s>>,
    no_longer: &'s [Gone],
}

/// Through which date the events of one calendar, title or category are loaded.
#[derive(Serialize, JsonSchema)]
struct ThroughJson<'s> {
    #[schemars(extend("enum" = ["calendar", "title", "category"]))]
    per: &'static str,
    name: &'s str,
    events: usize,
    occurrences: usize,
    through: Option<String>,
    endless: usize,
}

#[derive(Serialize, JsonSchema)]
struct CalendarJson {
    path: String,
    name: String,
    format: &'static str,
    zone: Option<String>,
    color: Option<String>,
    #[serde(flatten)]
    counts: CountsJson,
    zones: Vec<ZoneJson>,
}

#[derive(Serialize, JsonSchema)]
struct CountsJson {
    events: usize,
    series: usize,
    overrides: usize,
    all_day: usize,
    occurrences: usize,
    cancelled: usize,
    first: Option<String>,
    last: Option<String>,
    endless: usize,
    other: BTreeMap<String, usize>,
    set_aside: usize,
}

#[derive(Serialize, JsonSchema)]
struct ZoneJson {
    name: String,
    events: usize,
    resolved: Option<String>,
}

/// How a table was read.
#[derive(Serialize, JsonSchema)]
struct TableJson {
    path: String,
    charset: &'static str,
    delimiter: &'static str,
    header_row: u64,
    rows: usize,
    date_order: Option<&'static str>,
    columns: Vec<ColumnJson>,
    #[serde(flatten)]
    rows_told: RowsToldJson,
}

/// What is told of single rows of a table.
#[derive(Serialize, JsonSchema)]
pub(super) struct RowsToldJson {
    /// What is no row: lines above the header, and remarks.
    remarks: Vec<RowJson>,
    /// The first rows, and odd ones, as they were understood.
    understood: Vec<RowJson>,
}

#[derive(Serialize, JsonSchema)]
struct RowJson {
    row: u64,
    words: String,
}

impl RowsToldJson {
    pub(super) fn of(sniffed: &Sniffed) -> Self {
        let told = |rows: &[(u64, String)]| {
            rows.iter().map(|(row, words)| RowJson { row: *row, words: words.clone() }).collect()
        };
        Self { remarks: told(&sniffed.remarks), understood: told(&sniffed.understood) }
    }
}

#[derive(Serialize, JsonSchema)]
struct ColumnJson {
    header: String,
    field: Option<&'static str>,
}

impl TableJson {
    fn of(source: &Source<'_>) -> Option<Self> {
        let sniffed = source.table.sniffed.as_ref()?;
        let columns = sniffed.columns.iter().map(|(header, field)| ColumnJson {
            header: header.clone(),
            field: field.map(ColumnField::name),
        });
        Some(Self {
            path: source.path.clone(),
            charset: source.charset.name(),
            delimiter: sniffed.delimiter,
            header_row: sniffed.header_row,
            rows: sniffed.rows,
            date_order: sniffed.date_order.map(|order| match order {
                DateOrder::Month => "month",
                DateOrder::Year => "year",
                DateOrder::Auto | DateOrder::Day => "day",
            }),
            columns: columns.collect(),
            rows_told: RowsToldJson::of(sniffed),
        })
    }
}

#[derive(Serialize, JsonSchema)]
struct SameJson {
    paths: [String; 2],
    alike: &'static str,
}

impl CountsJson {
    fn of(counts: &Survey, set_aside: usize) -> Self {
        Self {
            events: counts.events,
            series: counts.series,
            overrides: counts.overrides,
            all_day: counts.all_day,
            occurrences: counts.occurrences,
            cancelled: counts.cancelled,
            first: counts.first.map(|date| date.to_string()),
            last: counts.last.map(|date| date.to_string()),
            endless: counts.endless,
            other: counts.other.clone(),
            set_aside,
        }
    }
}

pub(super) fn survey_json<'s>(surveyed: &'s Surveyed<'_, '_>) -> impl Serialize + JsonSchema + use<'s> {
    let Surveyed { sources, calendars: rows, totals, set_aside, twins, findings, loading } = surveyed;
    let calendars = rows.iter().map(|row| CalendarJson {
        path: row.source.path.clone(),
        name: row.loaded.calendar.name(),
        format: row.source.format.name(),
        zone: row.loaded.calendar.stated_zone(),
        color: row.loaded.calendar.color(),
        counts: CountsJson::of(&row.counts, row.set_aside),
        zones: row
            .counts
            .zones
            .iter()
            .map(|zone| ZoneJson {
                name: zone.name.clone(),
                events: zone.events,
                resolved: if let ZoneMeaning::Iana(name) = &zone.meaning { Some(name.clone()) } else { None },
            })
            .collect(),
    });
    let same = twins.iter().map(|twins| SameJson {
        paths: [twins.first.clone(), twins.second.clone()],
        alike: match twins.alike {
            Alike::Bytes => "bytes",
            Alike::Events => "events",
        },
    });
    let per = per_name(loading.per);
    let loaded_through = loading.by_name.iter().map(|(name, through)| ThroughJson {
        per,
        name,
        events: through.events,
        occurrences: through.occurrences,
        through: through.last.map(|date| date.to_string()),
        endless: through.endless,
    });
    SurveyJson {
        loaded_through: loaded_through.collect(),
        no_longer: &loading.no_longer,
        calendars: calendars.collect(),
        tables: sources.iter().filter_map(TableJson::of).collect(),
        totals: CountsJson::of(totals, *set_aside),
        findings: findings.iter().map(|(rule, count)| (rule.as_str(), count.events)).collect(),
        same: same.collect(),
    }
}

//! Rules: each finds one kind of fault and knows its repair.
//!
//! A rule is one file: what it finds, why it matters, an example and the repair
//! stand in the doc comment of its type, which `emvo rules ID` prints. The
//! registry [`RULES`] lists them; checking, repairing, the documentation and the
//! tests all walk it. Repairs are data ([`Edit`]); [`repair()`] alone applies
//! them.

mod c01_row_unreadable;
mod c02_date_order;
mod c03_date_serial;
mod c04_date_lost;
mod c05_column_unclaimed;
mod c06_repeat_flag_only;
mod c07_title_missing;
mod c08_formula_cell;
mod c09_column_unsettled;
mod c10_cell_unused;
mod c11_weekday_contradicts;
mod c12_id_damaged;
mod context;
mod d01_end_before_start;
mod d02_all_day_end;
mod d03_midnight_to_midnight;
mod d04_all_day_drifted;
mod d05_end_missing;
mod d06_end_and_duration;
mod d07_year_implausible;
mod d08_very_long;
mod d09_type_mixed;
mod d10_date_impossible;
mod d11_outside_window;
mod d12_duration_negative;
mod d13_time_malformed;
mod d14_property_twice;
mod d15_start_missing;
mod d16_stamp_in_future;
mod d17_days_apart;
mod describe;
mod edit;
mod event_edit;
mod f01_events_per_file;
mod f02_bytes_per_file;
mod f03_zone_not_accepted;
mod f04_series_not_accepted;
mod f05_overrides_not_accepted;
mod f06_endless_not_accepted;
mod f07_reminders;
mod f08_attendees;
mod f09_attachments;
mod f10_text_length;
mod f11_length_needed;
mod f12_field_not_kept;
mod keys;
mod preview;
mod quiet;
mod r01_until_type;
mod r02_until_and_count;
mod r03_rule_invalid;
mod r04_start_off_rule;
mod r05_exception_misses;
mod r06_exception_empty;
mod r07_override_orphan;
mod r08_override_range;
mod r09_rules_several;
mod r10_exrule;
mod r11_endless;
mod r12_series_empty;
mod r13_series_flattened;
mod r14_date_skips;
mod r15_rule_unsupported;
mod r16_override_twice;
mod r17_override_cancelled;
mod r18_until_short;
mod r19_date_unreadable;
mod r20_series_of_one;
mod refused;
mod repair;
mod series_edit;
mod source;
mod t01_charset;
mod t02_mojibake;
mod t03_folding;
mod t04_escaping;
mod t05_property_missing;
mod t06_truncated;
mod t07_invitations;
mod t08_private_in_shared;
mod t09_reminders_many;
mod t10_attachment_inline;
mod t11_markup;
mod t12_shadow_property;
mod t13_reminder_broken;
mod t14_person_broken;
mod t15_control_characters;
mod t16_calendars_several;
mod t17_nothing_inside;
mod t18_value_unknown;
mod t19_reminder_late;
mod t20_parameter_broken;
mod t21_old_form;
mod traits;
mod twins;
mod u01_uid_missing;
mod u02_uid_twice;
mod u03_duplicate;
mod u04_look_alike;
mod u05_in_series;
mod u06_import_doubled;
mod u07_cancelled;
mod u08_ids_used_again;
mod u09_uid_unfit;
mod z01_alias;
mod z02_undefined;
mod z03_private;
mod z04_outdated;
mod z05_floating;
mod z06_series_in_utc;
mod z07_clock_in_gap;
mod z08_conflict;
mod z09_mixed_series;
mod z10_forced;
mod zone_uses;

use std::collections::BTreeSet;

use rayon::prelude::*;

use crate::advice::{Advice, Advised};
use crate::select::Selection;
use emvo_ical::calendar::Series;
use traits::Look;

pub use context::{CheckOptions, Context, Evidence, Home, OtherDefinition, StartAs, Subject, ZoneFacts};
pub use d13_time_malformed::{Placed, place_unsound};
pub use describe::{Described, Level, RuleGroup, RuleId, Safety};
pub use edit::Edit;
pub use event_edit::EventEdit;
pub use preview::repair_preview;
pub use quiet::{Across, Ask, Inside, Quiet, ReadQuietly, read_quietly};
pub use refused::{Refused, refused_for};
pub use repair::{Answers, Consent, RepairPlan, Repaired, repair};
pub use series_edit::SeriesEdit;
pub use source::{SourceFacts, check_source};
pub use t21_old_form::old_form_in_words;
pub use traits::{Traits, day_of_stamps};

/// A rule: looks at one series at a time, with the calendar around it, or at
/// the file around that.
pub trait Rule: Described + Sync {
    /// Reports what it finds in a series.
    fn check(&self, _subject: &Subject<'_, '_>, _context: &Context<'_, '_>, _found: &mut Findings) {}

    /// Reports what it finds in the file around the series.
    fn check_source(&self, _facts: &SourceFacts<'_, '_>, _found: &mut Findings) {}

    /// What a series has to have in it, one of these at least, before the rule can have
    /// something to say about it.
    fn needs(&self) -> Traits {
        Traits::ANY
    }

    /// How much of a calendar it takes to tell.
    fn scope(&self) -> Scope {
        Scope::Series
    }
}

/// How much of a calendar a rule has to see.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Scope {
    /// One series, and what the calendar says about itself.
    Series,
    /// All series at once.
    Calendar,
}

/// All rules, in order of their ids, which is the order in which their repairs
/// are applied.
pub const RULES: &[&dyn Rule] = &[
    &c01_row_unreadable::RowUnreadable,
    &c02_date_order::DateOrder,
    &c03_date_serial::DateSerial,
    &c04_date_lost::DateLost,
    &c05_column_unclaimed::ColumnUnclaimed,
    &c06_repeat_flag_only::RepeatFlagOnly,
    &c07_title_missing::TitleMissing,
    &c08_formula_cell::FormulaCell,
    &c09_column_unsettled::ColumnUnsettled,
    &c10_cell_unused::CellUnused,
    &c11_weekday_contradicts::WeekdayContradicts,
    &c12_id_damaged::IdDamaged,
    &d01_end_before_start::EndBeforeStart,
    &d02_all_day_end::AllDayEnd,
    &d03_midnight_to_midnight::MidnightToMidnight,
    &d04_all_day_drifted::AllDayDrifted,
    &d05_end_missing::EndMissing,
    &d06_end_and_duration::EndAndDuration,
    &d07_year_implausible::YearImplausible,
    &d08_very_long::VeryLong,
    &d09_type_mixed::TypeMixed,
    &d10_date_impossible::DateImpossible,
    &d11_outside_window::OutsideWindow,
    &d12_duration_negative::DurationNegative,
    &d13_time_malformed::TimeMalformed,
    &d14_property_twice::PropertyTwice,
    &d15_start_missing::StartMissing,
    &d16_stamp_in_future::StampInFuture,
    &d17_days_apart::DaysApart,
    &f01_events_per_file::EventsPerFile,
    &f02_bytes_per_file::BytesPerFile,
    &f03_zone_not_accepted::ZoneNotAccepted,
    &f04_series_not_accepted::SeriesNotAccepted,
    &f05_overrides_not_accepted::OverridesNotAccepted,
    &f06_endless_not_accepted::EndlessNotAccepted,
    &f07_reminders::RemindersNotAccepted,
    &f08_attendees::AttendeesNotAccepted,
    &f09_attachments::AttachmentsNotAccepted,
    &f10_text_length::TextLength,
    &f11_length_needed::LengthNeeded,
    &f12_field_not_kept::FieldNotKept,
    &r01_until_type::UntilType,
    &r02_until_and_count::UntilAndCount,
    &r03_rule_invalid::RuleInvalid,
    &r04_start_off_rule::StartOffRule,
    &r05_exception_misses::ExceptionMisses,
    &r06_exception_empty::ExceptionEmpty,
    &r07_override_orphan::OverrideOrphan,
    &r08_override_range::OverrideRange,
    &r09_rules_several::RulesSeveral,
    &r10_exrule::Exrule,
    &r11_endless::Endless,
    &r12_series_empty::SeriesEmpty,
    &r13_series_flattened::SeriesFlattened,
    &r14_date_skips::DateSkips,
    &r15_rule_unsupported::RuleUnsupported,
    &r16_override_twice::OverrideTwice,
    &r17_override_cancelled::OverrideCancelled,
    &r18_until_short::UntilShort,
    &r19_date_unreadable::DateUnreadable,
    &r20_series_of_one::SeriesOfOne,
    &t01_charset::CharsetOther,
    &t02_mojibake::Mojibake,
    &t03_folding::Folding,
    &t04_escaping::Escaping,
    &t05_property_missing::PropertyMissing,
    &t06_truncated::Truncated,
    &t07_invitations::Invitations,
    &t08_private_in_shared::PrivateInShared,
    &t09_reminders_many::RemindersMany,
    &t10_attachment_inline::AttachmentInline,
    &t11_markup::Markup,
    &t12_shadow_property::ShadowProperty,
    &t13_reminder_broken::ReminderBroken,
    &t14_person_broken::PersonBroken,
    &t15_control_characters::ControlCharacters,
    &t16_calendars_several::CalendarsSeveral,
    &t17_nothing_inside::NothingInside,
    &t18_value_unknown::ValueUnknown,
    &t19_reminder_late::ReminderLate,
    &t20_parameter_broken::ParameterBroken,
    &t21_old_form::OldForm,
    &u01_uid_missing::UidMissing,
    &u02_uid_twice::UidTwice,
    &u03_duplicate::Duplicate,
    &u04_look_alike::LookAlike,
    &u05_in_series::InSeries,
    &u06_import_doubled::ImportDoubled,
    &u07_cancelled::Cancelled,
    &u08_ids_used_again::UidsReused,
    &u09_uid_unfit::UidUnfit,
    &z01_alias::ZoneAlias,
    &z02_undefined::ZoneUndefined,
    &z03_private::ZonePrivate,
    &z04_outdated::ZoneOutdated,
    &z05_floating::TimeFloating,
    &z06_series_in_utc::SeriesInUtc,
    &z07_clock_in_gap::ClockInGap,
    &z08_conflict::ZoneConflict,
    &z09_mixed_series::ZoneMixedSeries,
    &z10_forced::ZoneForced,
];

/// The rule of this id, in any case, or of this name.
pub fn rule(name: &str) -> Option<&'static dyn Rule> {
    RULES.iter().copied().find(|rule| rule.id().as_str().eq_ignore_ascii_case(name) || rule.slug() == name)
}

/// A fault in one series, or in a file.
#[derive(Clone, Debug)]
pub struct Finding {
    /// The rule that found it.
    pub rule: RuleId,
    /// How bad it is.
    pub level: Level,
    /// Which series of the calendar; `None` for a fault of the file.
    pub series: Option<usize>,
    /// The id of the series, empty if it has none.
    pub uid: String,
    /// Its title.
    pub title: String,
    /// When it starts, for people.
    pub start: String,
    /// How it repeats, in words; empty if it does not.
    pub repeats: String,
    /// The line of its `BEGIN`; 0 if it came from a table.
    pub line: u32,
    /// The row of a table, where it is about one.
    pub row: Option<u64>,
    /// What is wrong, and what speaks for it.
    pub message: String,
    /// What would help a person to decide.
    pub advice: Option<Advice>,
    /// How safe the repair is.
    pub safety: Safety,
    /// The repair; `None` where a person has to decide.
    pub edit: Option<Edit>,
}

/// Whether the same is found in two readings of a calendar, in which series have other numbers.
pub fn say_the_same(one: &[Finding], two: &[Finding]) -> bool {
    let said = |finding: &Finding| format!("{:?}", Finding { series: None, ..finding.clone() });
    one.len() == two.len() && one.iter().zip(two).all(|(one, two)| said(one) == said(two))
}

/// What rules report to.
#[derive(Debug, Default)]
pub struct Findings {
    list: Vec<Finding>,
}

impl Findings {
    /// Reports a fault that no repair is known for.
    fn show(
        &mut self,
        rule: &dyn Rule,
        level: Level,
        subject: &Subject<'_, '_>,
        message: impl Into<Advised>,
    ) {
        self.push(rule, level, subject, message, Safety::ShowOnly, None);
    }

    /// Reports a fault with its repair.
    fn offer(
        &mut self,
        rule: &dyn Rule,
        subject: &Subject<'_, '_>,
        message: impl Into<Advised>,
        safety: Safety,
        edit: Edit,
    ) {
        self.push(rule, Level::Warning, subject, message, safety, Some(edit));
    }

    fn push(
        &mut self,
        rule: &dyn Rule,
        level: Level,
        subject: &Subject<'_, '_>,
        message: impl Into<Advised>,
        safety: Safety,
        edit: Option<Edit>,
    ) {
        let Advised { message, advice } = message.into();
        let series: &Series<'_> = subject.series;
        self.list.push(Finding {
            rule: rule.id(),
            level,
            series: Some(subject.index),
            uid: series.uid_text().into_owned(),
            title: series.lead().title().unwrap_or_default().into_owned(),
            start: series.lead().start().to_string(),
            repeats: subject.in_words(),
            line: series.lead().line(),
            row: None,
            message,
            advice,
            safety,
            edit,
        });
    }
}

/// Which rules are looked at.
#[derive(Clone, Debug, Default)]
pub struct RuleChoice {
    /// These alone; empty for all.
    pub only: BTreeSet<RuleId>,
    /// All but these.
    pub skip: BTreeSet<RuleId>,
}

impl RuleChoice {
    /// The rules that one series alone can tell about.
    pub fn of_single_series() -> Self {
        let wide = RULES.iter().filter(|rule| rule.scope() == Scope::Calendar);
        Self { only: BTreeSet::new(), skip: wide.map(|rule| rule.id()).collect() }
    }

    pub(super) fn takes(&self, rule: RuleId) -> bool {
        (self.only.is_empty() || self.only.contains(&rule)) && !self.skip.contains(&rule)
    }
}

/// Looks at the chosen series with the chosen rules. Findings come in order of
/// rules, then of series.
pub fn check(context: &Context<'_, '_>, choice: &RuleChoice, selection: &Selection) -> Vec<Finding> {
    let series = &context.calendar.series;
    let rules: Vec<&dyn Rule> = RULES.iter().copied().filter(|rule| choice.takes(rule.id())).collect();
    // Before the rules run side by side: a thread that waits for what another
    // finds out takes up other work meanwhile, and that must not wait for it.
    if rules.iter().any(|rule| rule.scope() == Scope::Calendar) {
        context.look_across();
    }
    let look = Look::with(context.options);
    let of_series: Vec<Vec<Finding>> = series
        .par_iter()
        .with_min_len(256)
        .enumerate()
        .map(|(index, series)| {
            if !selection.chooses(series, context.zones) {
                return Vec::new();
            }
            let subject = context.subject(index, series);
            let traits = look.at(&subject);
            let mut found = Findings::default();
            for rule in &rules {
                if traits.meets(rule.needs()) {
                    rule.check(&subject, context, &mut found);
                } else {
                    debug_assert!(says_nothing(*rule, &subject, context), "{} needs more", rule.id());
                }
            }
            found.list
        })
        .collect();
    let mut findings: Vec<Finding> = of_series.into_iter().flatten().collect();
    findings.sort_by_key(|finding| (finding.rule, finding.series));
    findings
}

/// Whether a rule finds nothing in a series.
fn says_nothing(rule: &dyn Rule, subject: &Subject<'_, '_>, context: &Context<'_, '_>) -> bool {
    let mut found = Findings::default();
    rule.check(subject, context, &mut found);
    found.list.is_empty()
}

#[cfg(test)]
mod tests;

//! `T12 shadow-property`: a system's own word against the standard's.

use super::describe::declare_rule;
use super::{Context, Findings, Group, Level, Rule, Subject};

declare_rule! {
    /// ## What it finds
    /// A property of some system that repeats a standard one and says something
    /// else: whether the event takes up time, or lasts whole days. Such properties
    /// are known by the ends of their names.
    ///
    /// ## Why it matters
    /// The system that wrote it goes by its own word, every other by the
    /// standard's.
    ///
    /// ## Example
    /// `X-SHIPCAL-BUSYSTATUS:FREE` on an event that is busy.
    ///
    /// ## Repair
    /// None: a person has to say which is right. `amend --set busy=free` sets the
    /// standard one.
    ShadowProperty, "T12", "shadow-property", Group::Text, "a system's own word against the standard's"
}

impl Rule for ShadowProperty {
    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        for event in subject.series.events() {
            for line in event
                .component()
                .properties()
                .filter(|line| line.name().len() > 2 && line.name()[..2].eq_ignore_ascii_case("X-"))
            {
                let name = line.name().to_ascii_uppercase();
                let value = line.value().trim().to_ascii_uppercase();
                let standard = if name.ends_with("-BUSYSTATUS") || name.ends_with("-FREEBUSY") {
                    (event.is_busy() == (value == "FREE")).then_some("whether it takes up time")
                } else if name.ends_with("-ALLDAYEVENT") {
                    (event.is_all_day() == (value == "FALSE")).then_some("whether it lasts whole days")
                } else {
                    None
                };
                if let Some(what) = standard {
                    found.show(
                        self,
                        Level::Note,
                        subject,
                        format!("{name} and the standard contradict each other on {what}"),
                    );
                    return;
                }
            }
        }
    }
}

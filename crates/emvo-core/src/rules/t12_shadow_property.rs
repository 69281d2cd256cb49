//! `T12 shadow-property`: a system's own word against the standard's.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};
use emvo_ical::calendar::{VendorMirror, vendor_mirror_of};

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
    /// standard one, and the system's own word goes along.
    ShadowProperty, "T12", "shadow-property", RuleGroup::Text, "a system's own word against the standard's"
}

impl Rule for ShadowProperty {
    fn needs(&self) -> Traits {
        Traits::OWN
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        for event in subject.series.events() {
            for line in event.component().properties() {
                let Some(shadow) = vendor_mirror_of(line) else { continue };
                let value = line.value().trim().to_ascii_uppercase();
                let what = match shadow {
                    VendorMirror::Busy if event.is_busy() == (value == "FREE") => "whether it takes up time",
                    VendorMirror::AllDay if event.is_all_day() == (value == "FALSE") => {
                        "whether it lasts whole days"
                    }
                    VendorMirror::Busy | VendorMirror::AllDay | VendorMirror::Description => continue,
                };
                let name = line.name().to_ascii_uppercase();
                let message = format!("{name} and the standard contradict each other on {what}");
                found.show(self, Level::Note, subject, message);
                return;
            }
        }
    }
}

//! Properties of systems that repeat a standard one in their own words (rule
//! T12). They are known by the ends of their names.

use super::event::Event;
use crate::content::Property;

/// What a property of a system repeats.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum VendorMirror {
    /// `TRANSP`.
    Busy,
    /// Whether it lasts whole days.
    AllDay,
    /// `DESCRIPTION`, with markup.
    Description,
}

const ENDINGS: [(&str, VendorMirror); 5] = [
    ("-BUSYSTATUS", VendorMirror::Busy),
    ("-FREEBUSY", VendorMirror::Busy),
    ("-ALLDAYEVENT", VendorMirror::AllDay),
    ("-ALT-DESC", VendorMirror::Description),
    ("-HTMLDESCRIPTION", VendorMirror::Description),
];

/// What a property repeats, if it does.
pub fn vendor_mirror_of(property: &Property<'_>) -> Option<VendorMirror> {
    mirrored_by(property.name())
}

/// Whether a property of this name repeats a standard one.
pub fn is_mirror_name(name: &str) -> bool {
    mirrored_by(name).is_some()
}

fn mirrored_by(name: &str) -> Option<VendorMirror> {
    if !name.get(..2).is_some_and(|start| start.eq_ignore_ascii_case("X-")) {
        return None;
    }
    let ends = |ending: &str| {
        name.len() > ending.len()
            && name.get(name.len() - ending.len()..).is_some_and(|end| end.eq_ignore_ascii_case(ending))
    };
    ENDINGS.iter().find(|(ending, _)| ends(ending)).map(|(_, shadow)| *shadow)
}

impl Event<'_> {
    /// Lets the properties that repeat a standard one go along with it after it
    /// was changed: a word for busy or whole days is set, a text with markup goes.
    /// Returns their names.
    pub fn update_vendor_mirrors(&mut self, changed: VendorMirror) -> Vec<String> {
        let is_one = |property: &Property<'_>| vendor_mirror_of(property) == Some(changed);
        if !self.component().properties().any(is_one) {
            return Vec::new();
        }
        let value = match changed {
            VendorMirror::Busy if self.is_busy() => Some("BUSY"),
            VendorMirror::Busy => Some("FREE"),
            VendorMirror::AllDay if self.is_all_day() => Some("TRUE"),
            VendorMirror::AllDay => Some("FALSE"),
            VendorMirror::Description => None,
        };
        let mut names = Vec::new();
        self.edit(|component| {
            component.items_mut().retain_mut(|item| {
                let crate::content::Item::Property(property) = item else { return true };
                if !is_one(property) || value.is_some_and(|value| property.value() == value) {
                    return true;
                }
                names.push(property.name().to_owned());
                if let Some(value) = value {
                    *property = property.with_value(value);
                }
                value.is_some()
            });
        });
        names
    }
}

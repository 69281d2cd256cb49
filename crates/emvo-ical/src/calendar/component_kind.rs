//! What a calendar holds besides events.

use std::ops::AddAssign;

/// What a component of a calendar is (RFC 5545 section 3.6). The definitions
/// of zones are none of these: they say what times mean and nothing of their own.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum ComponentKind {
    /// `VEVENT`.
    Event,
    /// `VTODO`.
    Task,
    /// `VJOURNAL`.
    Journal,
    /// Every other: `VFREEBUSY`, `VAVAILABILITY`, a system's own.
    Other,
}

impl ComponentKind {
    /// The kind of the component of this name, in whatever case.
    pub fn of(name: &str) -> Self {
        let is = |kind: &str| name.eq_ignore_ascii_case(kind);
        match () {
            () if is("VEVENT") => Self::Event,
            () if is("VTODO") => Self::Task,
            () if is("VJOURNAL") => Self::Journal,
            () => Self::Other,
        }
    }
}

/// How many components of each kind there are; of events, each series or single
/// event once.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct ComponentCounts {
    /// Events; an override belongs to its series.
    pub events: usize,
    /// Tasks.
    pub tasks: usize,
    /// Journals.
    pub journals: usize,
    /// All others.
    pub others: usize,
}

impl ComponentCounts {
    /// Counts one more.
    pub fn add(&mut self, kind: ComponentKind) {
        *match kind {
            ComponentKind::Event => &mut self.events,
            ComponentKind::Task => &mut self.tasks,
            ComponentKind::Journal => &mut self.journals,
            ComponentKind::Other => &mut self.others,
        } += 1;
    }

    /// All of them together.
    pub fn total(self) -> usize {
        self.events + self.tasks + self.journals + self.others
    }

    /// The count of some events, and of nothing else.
    pub fn of_events(events: usize) -> Self {
        Self { events, ..Self::default() }
    }
}

impl AddAssign for ComponentCounts {
    fn add_assign(&mut self, other: Self) {
        self.events += other.events;
        self.tasks += other.tasks;
        self.journals += other.journals;
        self.others += other.others;
    }
}

impl FromIterator<ComponentKind> for ComponentCounts {
    fn from_iter<T: IntoIterator<Item = ComponentKind>>(kinds: T) -> Self {
        let mut counts = Self::default();
        kinds.into_iter().for_each(|kind| counts.add(kind));
        counts
    }
}

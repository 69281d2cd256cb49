//! One event an id: copies, versions, clashes with the destination (U01, U02).

use std::collections::HashMap;

use super::{Clash, Entry, FoldKind, Merge};
use crate::calendar::{Calendar, Series, Uid};
use crate::identity::{Newer, Origin, are_versions, derived_uid, newer_of};

/// What is to become of an incoming event whose id is taken.
enum Verdict {
    /// It is folded into the one that is there.
    Fold(FoldKind),
    /// It takes the place of the one that is there, which is folded.
    Replace(FoldKind),
    /// Its overrides belong to the series that is there.
    Join,
    /// It is another event, and gets an id of its own.
    Another,
}

impl<'a> Merge<'a> {
    /// Takes the series out of the calendars, in order, one an id.
    pub(super) fn take_series(&mut self, calendars: &mut [Calendar<'a>]) {
        let mut by_uid: HashMap<Uid, usize> = HashMap::new();
        for (source, calendar) in calendars.iter_mut().enumerate() {
            let mut unnamed: HashMap<Uid, u32> = HashMap::new();
            for mut series in std::mem::take(&mut calendar.series) {
                if series.uid().is_none() {
                    self.give_uid(&mut series, &mut unnamed);
                }
                self.take(Entry { series, source }, &mut by_uid);
            }
        }
    }

    fn give_uid(&mut self, series: &mut Series<'a>, unnamed: &mut HashMap<Uid, u32>) {
        // Events that agree in all that identifies them are told apart by
        // number, in order of the file.
        let salt = unnamed.entry(derived_uid(series.lead(), 0)).or_insert(0);
        let uid = derived_uid(series.lead(), *salt);
        *salt += 1;
        series.set_uid(&uid);
        self.change(Some("U01"), series.lead(), "no UID".to_owned(), format!("UID {uid}"));
    }

    fn take(&mut self, entry: Entry<'a>, by_uid: &mut HashMap<Uid, usize>) {
        let Some(uid) = entry.series.uid().cloned() else { return };
        let Some(&at) = by_uid.get(&uid) else {
            by_uid.insert(uid, self.kept.len());
            self.kept.push(Some(entry));
            return;
        };
        match self.verdict(&entry, at) {
            Verdict::Fold(kind) => self.fold(kind, &entry, at),
            Verdict::Replace(kind) => self.replace(kind, entry, at),
            Verdict::Join => self.join(entry, at),
            Verdict::Another => self.take_under_derived_uid(entry, by_uid),
        }
    }

    fn verdict(&self, entry: &Entry<'a>, at: usize) -> Verdict {
        let Some(there) = &self.kept[at] else { return Verdict::Another };
        if is_same(&entry.series, &there.series) {
            return Verdict::Fold(FoldKind::Copy);
        }
        let newer = newer_of(there.series.lead(), entry.series.lead());
        if Some(there.source) == self.destination && entry.source != there.source {
            return match self.options.clash {
                Clash::Existing => Verdict::Fold(FoldKind::Clash),
                Clash::Incoming => Verdict::Replace(FoldKind::Clash),
                Clash::Newest if newer == Newer::Second => Verdict::Replace(FoldKind::OlderVersion),
                Clash::Newest => Verdict::Fold(FoldKind::OlderVersion),
                Clash::Both => Verdict::Another,
            };
        }
        if entry.series.master().is_none() || there.series.master().is_none() {
            return Verdict::Join;
        }
        let origin = if entry.source == there.source { Origin::SameInput } else { Origin::Apart };
        if !are_versions(&there.series, &entry.series, origin) {
            return Verdict::Another;
        }
        match newer {
            Newer::Second => Verdict::Replace(FoldKind::OlderVersion),
            Newer::First | Newer::Tie => Verdict::Fold(FoldKind::OlderVersion),
        }
    }

    /// The newer version takes the older one's place in the order.
    fn replace(&mut self, kind: FoldKind, entry: Entry<'a>, at: usize) {
        if let Some(older) = self.kept[at].replace(entry) {
            self.fold(kind, &older, at);
        }
    }

    /// Overrides that came without their series, and the series.
    fn join(&mut self, entry: Entry<'a>, at: usize) {
        let Some(there) = self.kept[at].take() else { return };
        let (mut whole, part) = if there.series.master().is_some() { (there, entry) } else { (entry, there) };
        let known: Vec<_> =
            whole.series.overrides().iter().filter_map(|event| event.replaces().cloned()).collect();
        let folded = Entry { series: part.series.clone(), source: part.source };
        for event in part.series.into_events() {
            if event.replaces().is_some_and(|replaces| !known.contains(replaces)) {
                whole.series.add_override(event);
            }
        }
        self.kept[at] = Some(whole);
        self.fold(FoldKind::OlderVersion, &folded, at);
    }

    /// Another event under an id that is taken. Merged a second time it meets
    /// itself under the derived id and is folded.
    fn take_under_derived_uid(&mut self, mut entry: Entry<'a>, by_uid: &mut HashMap<Uid, usize>) {
        let before = entry.series.uid().map(ToString::to_string).unwrap_or_default();
        for salt in 0.. {
            let uid = derived_uid(entry.series.lead(), salt);
            let taken = by_uid.get(&uid).copied();
            if taken.is_some_and(|at| {
                self.kept[at].as_ref().is_some_and(|there| !says_same_but_uid(there, &entry))
            }) {
                continue;
            }
            entry.series.set_uid(&uid);
            if let Some(at) = taken {
                self.fold(FoldKind::Copy, &entry, at);
                return;
            }
            let after = format!("UID {uid}");
            self.change(
                Some("U02"),
                entry.series.lead(),
                format!("UID {before}, which another event has"),
                after,
            );
            by_uid.insert(uid, self.kept.len());
            self.kept.push(Some(entry));
            return;
        }
    }
}

fn is_same(one: &Series<'_>, two: &Series<'_>) -> bool {
    let mut pairs = one.events().zip(two.events());
    one.events().count() == two.events().count()
        && pairs.all(|(one, two)| one.component().says_the_same_as(two.component()))
}

fn says_same_but_uid(there: &Entry<'_>, entry: &Entry<'_>) -> bool {
    let Some(uid) = there.series.uid() else { return false };
    let mut renamed = entry.series.clone();
    renamed.set_uid(uid);
    is_same(&there.series, &renamed)
}

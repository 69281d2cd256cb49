//! The answer of a merge: what was folded, what looks alike, what was changed.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use emvo_core::edit::{Fold, FoldKind, Names};
use emvo_core::merge::LookAlike;
use emvo_report::Page;
use schemars::JsonSchema;
use serde::Serialize;

use super::by_hand::{ByHand, ChoreJson};
use super::done::{Done, Remarks, done_page, done_sheet};
use super::review::Review;
use super::written::{
    Examples, WrittenJson, change_lines, left_behind_lines, output_lines, stream_beside, summary,
    warnings_about,
};
use super::{Answer, Detail, Reported, Stream};
use crate::input::Given;
use crate::output::Written;
use crate::terminal::{DIM, WARNING, counted, sanitized, styled};

/// What came of combining calendars.
pub(crate) struct Combined {
    pub(crate) written: Written,
    pub(crate) look_alikes: Vec<LookAlike>,
    pub(crate) warnings: Vec<String>,
    pub(crate) review: Review,
    pub(crate) by_hand: ByHandTold,
}

/// What a destination without updates leaves to a person, and where that is listed.
#[derive(Default)]
pub(crate) struct ByHandTold {
    pub(crate) list: ByHand,
    pub(crate) path: Option<String>,
}

const BY_HAND_OPTION: &str = "--by-hand list.csv";

impl ByHandTold {
    /// What is to be done, and where that is listed; `way_out` is what is said to have it listed.
    pub(crate) fn line(&self, way_out: &str) -> Option<String> {
        if self.list.is_empty() {
            return None;
        }
        let counts = self.list.counts();
        Some(match &self.path {
            Some(path) => format!("by hand in the destination: {counts} ({path})"),
            None => format!("by hand in the destination: {counts}; {way_out} says which and how"),
        })
    }
}

impl Combined {
    pub(crate) fn needs_a_look(&self) -> bool {
        self.written.is_incomplete()
            || !self.warnings.is_empty()
            || !self.written.too_big.is_empty()
            || !self.by_hand.list.is_empty()
    }

    /// What a person has to know about this result.
    fn own_warnings(&self) -> impl Iterator<Item = String> + '_ {
        self.warnings.iter().chain(&self.written.too_big).cloned()
    }

    fn done(&self) -> Done<'_> {
        let mut by_hand: Vec<String> = self.own_warnings().collect();
        by_hand.extend(self.by_hand.line(BY_HAND_OPTION));
        if !self.look_alikes.is_empty() {
            let (one, many) = ("pair of events looks alike", "pairs of events look alike");
            let pairs = counted(self.look_alikes.len(), one, many);
            by_hand.push(format!("{pairs}: --review pairs.html asks a person"));
        }
        let remarks = Remarks { title: "Combined".to_owned(), by_hand, tables: Vec::new() };
        Done::of(&self.written, remarks)
    }
}

impl Answer for Combined {
    const COMMAND: &'static str = "merge";

    fn text(&self, detail: Detail) -> String {
        let written = &self.written;
        let mut text = summary(written);
        text.push_str(&fold_lines(&written.folds, detail));
        text.push_str(&left_behind_lines(written, detail));
        text.push_str(&change_lines(&written.changes, detail, Examples::One));
        text.push_str(&look_alike_lines(&self.look_alikes, self.review));
        if let Some(line) = self.by_hand.line(BY_HAND_OPTION) {
            text.extend([&styled(WARNING, "!"), " ", &sanitized(&line), "\n"].map(AsRef::<str>::as_ref));
        }
        text.push_str(&output_lines(written));
        text
    }

    fn inputs(&self) -> Vec<Given> {
        self.written.inputs.clone()
    }

    fn json(&self) -> impl Serialize + JsonSchema {
        let folds = self.written.folds.iter().map(|fold| FoldJson {
            rule: fold.kind.rule(),
            uid: &fold.uid,
            title: &fold.title,
            start: fold.start.to_string(),
            from: &fold.from,
            into: &fold.into,
            into_uid: fold.into_uid(),
        });
        let pairs = self.look_alikes.iter().map(|pair| PairJson {
            reason: pair.reason.clone(),
            uids: [pair.a.uid.clone(), pair.b.uid.clone()],
            title: pair.a.title.clone(),
            starts: [pair.a.start.clone(), pair.b.start.clone()],
        });
        MergeJson {
            written: WrittenJson::of(&self.written),
            folds: folds.collect(),
            warnings: self.own_warnings().collect(),
            look_alikes: pairs.collect(),
            by_hand: self.by_hand.list.chores(),
        }
    }

    fn warnings(&self) -> Vec<String> {
        warnings_about(&self.written).into_iter().chain(self.own_warnings()).collect()
    }

    fn stream(&self) -> Stream {
        stream_beside(&self.written)
    }
}

impl Reported for Combined {
    fn page(&self) -> Page {
        done_page(&self.done())
    }

    fn sheet(&self) -> anyhow::Result<Vec<u8>> {
        done_sheet(&self.done())
    }
}

fn fold_lines(folds: &[Fold], detail: Detail) -> String {
    let mut out = String::new();
    let mut by_kind: BTreeMap<FoldKind, Vec<&Fold>> = BTreeMap::new();
    for fold in folds {
        by_kind.entry(fold.kind).or_default().push(fold);
    }
    for (kind, folds) in by_kind {
        let what = match kind {
            FoldKind::Copy => "the same event under the same id",
            FoldKind::OlderVersion => "an older version under the same id",
            FoldKind::Joined => "a changed date that came by itself, joined to its series",
            FoldKind::Clash => "under an id that the destination has, whose event stays as it is",
            FoldKind::GaveWay => "under an id of both sides: it gave way to the other, as --clash asks",
            FoldKind::Duplicate => "the same event under another id",
            FoldKind::InSeries => "a single event at a date of a series, with nothing of its own",
            FoldKind::Answered => "the same, as the sheet says",
        };
        // Writing into a string cannot fail, here and below.
        let _ = writeln!(out, "  {:>6}  {what}", crate::terminal::grouped(folds.len()));
        let shown = if detail == Detail::All { usize::MAX } else { 0 };
        for fold in folds.iter().take(shown) {
            let line = format!("{}  {}  {} → {}", fold.start, fold.title, fold.from, fold.into);
            let _ = writeln!(out, "          {}", styled(DIM, sanitized(&line)));
        }
    }
    let between: Vec<_> = folds.iter().filter(|fold| fold.names == Names::Different).collect();
    if !between.is_empty() && detail == Detail::Usual {
        let events = counted(between.len(), "event was", "events were");
        let _ = writeln!(out, "{events} folded between calendars of different names; -v lists every fold");
    }
    out
}

/// Events that are probably the same, for a person to look at.
fn look_alike_lines(pairs: &[LookAlike], review: Review) -> String {
    if pairs.is_empty() {
        return String::new();
    }
    let count = counted(pairs.len(), "pair of events looks alike", "pairs of events look alike");
    let how = match review {
        Review::OnSheet => "answer `same` or `different` on the sheet, and read it back with --answers",
        Review::OnPage => "decide on the page, save the answers there, and read them back with --answers",
        Review::Nowhere => "--review pairs.html asks a person",
    };
    let mut out = format!("{} {count}; {how}\n", styled(WARNING, "!"));
    for LookAlike { reason, a, .. } in pairs.iter().take(3) {
        let line = format!("{}  {}: {reason}", a.start, a.title);
        out.extend(["          ", &styled(DIM, sanitized(&line)), "\n"]);
    }
    out
}

#[derive(Serialize, JsonSchema)]
struct MergeJson<'m> {
    #[serde(flatten)]
    written: WrittenJson<'m>,
    folds: Vec<FoldJson<'m>>,
    warnings: Vec<String>,
    look_alikes: Vec<PairJson>,
    by_hand: Vec<ChoreJson<'m>>,
}

#[derive(Serialize, JsonSchema)]
struct PairJson {
    reason: String,
    uids: [String; 2],
    title: String,
    starts: [String; 2],
}

#[derive(Serialize, JsonSchema)]
struct FoldJson<'m> {
    rule: &'static str,
    uid: &'m str,
    title: &'m str,
    start: String,
    from: &'m str,
    into: &'m str,
    into_uid: &'m str,
}

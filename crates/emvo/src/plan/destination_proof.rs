//! The proof of a destination: what a plan has made of its sources, by its own bytes.

use emvo_core::receipt::Receipt;
use emvo_core::reconcile::{Explanations, ProofOptions, Reconciliation, Stayed, reconcile};

use super::destination_run::{DestinationRun, house_reading};
use super::hidden::{Hidden, hide};
use super::resolved::Writes;
use crate::answer::proof::unread;
use crate::input::{NamedBy, SourceFile, decode, read, views};
use crate::output::Target;

impl DestinationRun<'_, '_> {
    /// The sources, read again, against the bytes that will be written, and what the
    /// destination keeps beside them.
    pub(super) fn proof(
        &self,
        files: &[(Target, Vec<u8>)],
        receipt: Option<&Receipt>,
        outside: usize,
    ) -> anyhow::Result<Option<Reconciliation>> {
        let results = files.iter().filter(|(target, _)| target.is_result());
        let results: Vec<SourceFile> = results
            .map(|(target, bytes)| SourceFile {
                path: target.shown().to_owned(),
                bytes: bytes.clone(),
                named_by: NamedBy::Person,
                cannot: None,
                book: None,
            })
            .collect();
        let house = house_reading(self.plan);
        let texts = decode(&results, &house)?;
        let mut results = read(&texts, &house)?;
        if self.destination().writes != Writes::All {
            results.extend(read(self.there, &house)?);
        }
        let (mut sources, mut hidden) = (Vec::new(), Hidden::default());
        for (of_plan, mut source) in self.sources(&mut Vec::new())? {
            // What the plan hides is in no report of it, and stays where it was.
            for loaded in &mut source.loaded {
                hidden.add(&hide(&mut loaded.calendar, &loaded.zones, &of_plan.showing));
            }
            sources.push(source);
        }
        let [private, masked, reduced] = hidden.stayed();
        let outside = Stayed { field: "outside-window", count: outside, what: "outside the plan's window" };
        let stayed = [outside, private, masked, reduced];
        let unread = unread(&sources, &[]);
        let options =
            ProofOptions { accepted: &self.plan.accept, unread, stayed: &stayed, ..ProofOptions::default() };
        let explanations = Explanations::of(receipt.map_or(&[], std::slice::from_ref));
        Ok(reconcile(&views(&sources), &views(&results), &options, &explanations))
    }
}

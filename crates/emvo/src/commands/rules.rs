//! `rules`: the catalogue, and each rule explained.

use emvo_core::rules::RULES;

use super::{Command, Program};
use crate::answer::give;
use crate::answer::rules::Rules;
use crate::job::args::AnswerArgs;
use crate::job::resolve::rule_named;
use crate::outcome::Outcome;

/// The catalogue of rules; with an id, the rule explained
#[derive(Debug, clap::Args)]
pub(crate) struct RulesArgs {
    /// A rule's id or name, such as Z01 or zone-alias
    #[arg(value_name = "ID")]
    id: Option<String>,
    #[command(flatten)]
    answer: AnswerArgs,
}

impl Command for RulesArgs {
    const EXAMPLES: &'static [&'static str] = &["emvo rules", "emvo rules R04"];

    fn run(self, _: Program) -> anyhow::Result<Outcome> {
        let form = self.answer.resolve();
        let named = self.id.as_deref().map(|id| rule_named(id, "rules")).transpose()?;
        let one = named.and_then(|id| RULES.iter().copied().find(|rule| rule.id() == id));
        give(&one.map_or_else(|| Rules::All(RULES.to_vec()), Rules::One), form)?;
        Ok(Outcome::Clean)
    }
}

//! `rules`: the catalogue, and each rule explained.

use emvo_core::rules::RULES;

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

pub(crate) fn run(args: &RulesArgs) -> anyhow::Result<Outcome> {
    let form = args.answer.resolve();
    let named = args.id.as_deref().map(|id| rule_named(id, "rules")).transpose()?;
    let one = named.and_then(|id| RULES.iter().copied().find(|rule| rule.id() == id));
    give(&one.map_or_else(|| Rules::All(RULES.to_vec()), Rules::One), form)?;
    Ok(Outcome::Clean)
}

//! Rule: settings say which side counts for files of such a path.

use crate::decide::resolution::Resolution;
use crate::model::versions::Version;
use crate::rules::conflict::Conflict;
use crate::rules::rule::{Example, Proposal, Rule, RuleContext};

pub(crate) struct ByPath;

impl Rule for ByPath {
    fn id(&self) -> &'static str {
        "path"
    }

    fn title(&self) -> &'static str {
        "from the settings"
    }

    /// A person wrote it into the settings.
    fn repeats_a_person(&self) -> bool {
        true
    }

    fn propose(&self, _: &Conflict<'_>, context: &RuleContext) -> Option<Proposal> {
        let (side, pattern) = context.by_path.as_ref()?;
        let reason = format!("the settings take {} for '{pattern}'", context.label(*side));
        Some(Proposal::certain(
            Resolution::Take(Version::from(*side)),
            reason,
        ))
    }

    fn examples(&self) -> &'static [Example] {
        &[Example {
            path: "a.lock",
            base: "a\n",
            ours: "b\n",
            theirs: "c\n",
            gives: None,
        }]
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::decide::ruling::Certainty;
    use crate::diff::options::Options;
    use crate::model::side::Side;
    use crate::plan::build::plan;
    use crate::rules::engine::propose;

    #[test]
    fn the_side_that_settings_name_is_taken_before_all_other_rules() {
        let texts = ["a\n", "b\n", "c\n"].map(Into::into);
        let plan = plan(&texts[0], &texts[1], &texts[2], &Options::default());
        let context = RuleContext {
            path: "a.lock".to_owned(),
            by_path: Some((Side::Theirs, "*.lock".to_owned())),
            ..RuleContext::default()
        };
        let ruling = propose(&plan, plan.conflicts()[0], &context).unwrap();
        assert_eq!(
            (ruling.rule.as_str(), ruling.certainty),
            ("path", Certainty::Certain)
        );
        assert_eq!(ruling.resolution, Some(Resolution::Take(Version::Theirs)));
        assert_eq!(ruling.reason, "the settings take theirs for '*.lock'");
    }
}

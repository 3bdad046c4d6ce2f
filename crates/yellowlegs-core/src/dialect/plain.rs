//! What most lines of a configuration do: they set something of what their block is about, and do nothing else. Told once for a rule, and
//! in one place for all rules: a fleet has hundreds of such lines on each switch.

use super::rule::{Change, Effect, Operand, Rule};
use crate::model::{Kind, Scope, SettingId};

/// What a statement sets.
#[derive(Debug, Clone)]
pub(crate) struct Plain {
    /// The setting, one of ports.
    pub(crate) setting: SettingId,
    /// What it may be set to.
    pub(crate) kind: Kind,
    /// What it is set to.
    pub(crate) to: Operand,
}

/// By rule, what its statements set, and what its negated ones do, where that is all they do.
#[derive(Debug, Clone, Default)]
pub(super) struct PlainRules {
    all: Vec<Plain>,
    /// Where those of a rule end, and those of its negated form.
    ends: Vec<u32>,
}

impl PlainRules {
    pub(super) fn of(rules: &[Rule]) -> Self {
        let mut plain = Self::default();
        for (rule, negated) in rules.iter().flat_map(|rule| [(rule, false), (rule, true)]) {
            plain.all.extend(plain_effects(rule, negated).unwrap_or_default());
            plain.ends.push(plain.all.len() as u32);
        }
        plain
    }

    /// What a statement of a rule sets; nothing where it does anything else.
    #[inline]
    pub(super) fn get(&self, rule: u32, negated: bool) -> &[Plain] {
        let at = 2 * rule as usize + usize::from(negated);
        let begins = at.checked_sub(1).and_then(|before| self.ends.get(before)).copied().unwrap_or_default();
        let ends = self.ends.get(at).copied().unwrap_or_default();
        self.all.get(begins as usize..ends as usize).unwrap_or_default()
    }
}

fn plain_effects(rule: &Rule, negated: bool) -> Option<Vec<Plain>> {
    let does_more = rule.subject.is_some() || rule.uses.is_some() || rule.used_by.is_some();
    if does_more { None } else { rule.effects_of(negated).iter().map(plain).collect() }
}

fn plain(effect: &Effect) -> Option<Plain> {
    let setting = effect.setting.info();
    match effect {
        Effect { change: Change::Set(operands), implied: false, about: None, part: None, .. } => match &operands[..] {
            [to] if setting.scope == Scope::Port => {
                Some(Plain { setting: effect.setting, kind: setting.kind, to: to.clone() })
            }
            _ => None,
        },
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use std::sync::Arc;

    use rstest::rstest;

    use crate::dialect::Dialect;
    use crate::source::Source;

    /// A dialect whose rule of a block says this, and what is plain of it and of its negated form.
    fn plain_of(rule: &str) -> [Vec<String>; 2] {
        let text = format!(
            "[dialect]\nname = \"own\"\n[text]\nstructure = \"indent\"\nnegation = \"no\"\n[ports]\nnames = [\"<n>\"]\n\
             [[rule]]\npattern = \"port <p:ports>\"\nopens = \"port\"\nports = \"<p>\"\n\
             [[rule]]\nin = \"port\"\n{rule}\n"
        );
        let dialect = Dialect::load(&Arc::new(Source::of("own.toml", text))).expect("it is a dialect");
        [false, true]
            .map(|negated| dialect.plain(1, negated).iter().map(|plain| plain.setting.name().to_owned()).collect())
    }

    #[rstest]
    #[case::constant("pattern = \"a\"\nsets = { \"port.mode\" = \"access\" }", &["port.mode"])]
    #[case::hole("pattern = \"a <v:vlan>\"\nsets = { \"port.access-vlan\" = \"<v>\" }", &["port.access-vlan"])]
    #[case::two(
        "pattern = \"a <v:vlan>\"\nsets = { \"port.mode\" = \"access\", \"port.access-vlan\" = \"<v>\" }",
        &["port.mode", "port.access-vlan"]
    )]
    #[case::adds("pattern = \"a <v:vlans>\"\nadds = { \"port.tagged-vlans\" = \"<v>\" }", &[])]
    #[case::also_of_the_switch(
        "pattern = \"a\"\nsets = { \"port.mode\" = \"access\", \"dhcp-snooping.enabled\" = true }", &[]
    )]
    #[case::about_others("pattern = \"a <q:ports>\"\nports = \"<q>\"\nsets = { \"port.mode\" = \"access\" }", &[])]
    #[case::implied("pattern = \"a\"\nimplies = { \"port.mode\" = \"access\" }", &[])]
    #[case::nothing("pattern = \"a\"\nabout = \"nothing\"", &[])]
    fn what_is_plain(#[case] rule: &str, #[case] settings: &[&str]) {
        let [plain, negated] = plain_of(rule);
        assert_eq!(plain, settings);
        assert!(negated.is_empty(), "what is taken back is not plain: {negated:?}");
    }

    #[test]
    fn a_negated_form_that_sets_something_is_plain() {
        let rule = "pattern = \"a\"\nsets = { \"port-security.enabled\" = true }\nnegation = \"off\"";
        let enabled = || vec!["port-security.enabled".to_owned()];
        assert_eq!(plain_of(rule), [enabled(), enabled()]);
    }
}

//! What can be wrong with a dialect, beyond its TOML.

use super::forms::FormProblem;
use super::objects::ObjectProblem;
use super::pattern::PatternProblem;
use super::session::SessionProblem;
use crate::model::{FactKind, SettingId, TraitId, ValueError};
use crate::source::{Explain, nearest};

/// What is wrong, where the place is known besides.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum DialectProblem {
    /// A pattern that cannot be read.
    #[error(transparent)]
    Pattern(#[from] PatternProblem),
    /// A form of port names that cannot be read.
    #[error(transparent)]
    Form(#[from] FormProblem),
    /// A way to talk to switches that cannot be.
    #[error(transparent)]
    Session(#[from] SessionProblem),
    /// Objects of a walk that cannot be read so.
    #[error(transparent)]
    Objects(#[from] ObjectProblem),
    /// A setting that is none.
    #[error("`{found}` is no setting")]
    UnknownSetting {
        /// What stands there.
        found: String,
    },
    /// A trait that is none.
    #[error("`{found}` is no trait")]
    UnknownTrait {
        /// What stands there.
        found: String,
    },
    /// A word a trait does not have.
    #[error("the trait `{name}` cannot be `{found}`")]
    TraitWord {
        /// The trait.
        name: &'static str,
        /// What stands there.
        found: String,
        /// What it may be.
        words: &'static [&'static str],
    },
    /// A word where only a few are possible.
    #[error("`{key}` cannot be `{found}`")]
    Word {
        /// The key.
        key: &'static str,
        /// What stands there.
        found: String,
        /// What it may be.
        words: Vec<String>,
    },
    /// A value of the wrong kind.
    #[error("`{setting}`: {problem}")]
    Value {
        /// The setting.
        setting: &'static str,
        /// What is wrong.
        problem: ValueError,
    },
    /// A name in angle brackets that no hole has.
    #[error("no hole is named `{name}`, here or in what opens the context")]
    UnknownHole {
        /// The name.
        name: String,
    },
    /// A hole whose values the setting cannot have.
    #[error("`{setting}` is {wanted}; the hole `{hole}` is {found}")]
    HoleMismatch {
        /// The setting, or the key of the rule.
        setting: &'static str,
        /// What it can be.
        wanted: String,
        /// The hole.
        hole: String,
        /// Its type.
        found: String,
    },
    /// A setting of ports in a rule that reaches none.
    #[error("`{setting}` belongs to a {scope}, and nothing here says which")]
    NoSubject {
        /// The setting.
        setting: &'static str,
        /// Port or VLAN.
        scope: &'static str,
    },
    /// One context, opened for ports here and for something else there.
    #[error("the context `{context}` is opened for {one} in one rule and for {other} in another")]
    MixedContext {
        /// The context.
        context: String,
        /// One subject.
        one: &'static str,
        /// The other.
        other: &'static str,
    },
    /// A rule that names its subject twice.
    #[error("a rule is about ports, a VLAN or a reach, not about two of them")]
    TwoSubjects,
    /// Adding to what is no list.
    #[error("`{setting}` is no list: nothing can be added to it or removed")]
    NoList {
        /// The setting.
        setting: &'static str,
    },
    /// A value of two parts for a setting whose values have one.
    #[error("values of `{setting}` have no second part")]
    NoPair {
        /// The setting.
        setting: &'static str,
    },
    /// A setting that has no off.
    #[error("`{setting}` has no value that means off")]
    NoOff {
        /// The setting.
        setting: &'static str,
    },
    /// Negation in a dialect that has no word for it.
    #[error("the rule can be negated, but [text] names no `negation` word")]
    NoNegation,
    /// Two rules for one line.
    #[error("this rule and the one in line {other} could take one line on equal terms")]
    Clash {
        /// Line of the other rule.
        other: u32,
    },
    /// Too many rules.
    #[error("the dialect's patterns together are too large")]
    TooLarge,
    /// A default where the trait decides.
    #[error("what a trunk without a list carries is the trait `trunk-without-list`, not a default")]
    TaggedDefault,
    /// A part of a setting that has none.
    #[error("`{setting}` is no switch that several lines throw together: a part is a word, its setting true or false")]
    PartOf {
        /// The setting.
        setting: &'static str,
    },
    /// A default for a kind of ports that no port has.
    #[error("`{setting}` is of a {scope}: kinds of ports have defaults for single settings of ports")]
    KindDefault {
        /// The setting.
        setting: &'static str,
        /// What it belongs to.
        scope: &'static str,
    },
    /// A feature's default that is neither off nor a table.
    #[error("`{feature}` is a feature: its default is \"off\", or a table of its settings")]
    FeatureDefault {
        /// The feature.
        feature: String,
    },
    /// A setting with two defaults.
    #[error("`{setting}` has a default already")]
    TwoDefaults {
        /// The setting.
        setting: &'static str,
    },
    /// A key that needs two signs.
    #[error("`{key}` needs two signs: one that opens and one that closes")]
    TwoSigns {
        /// The key.
        key: &'static str,
    },
    /// A shortest abbreviation that makes no sense.
    #[error("`abbreviate` must be 1 to 32 letters, not {found}")]
    Abbreviate {
        /// What stands there.
        found: i64,
    },
    /// A zone that is no offset.
    #[error("`{found}` is no offset from UTC")]
    Zone {
        /// What stands there.
        found: String,
    },
    /// A key that needs a context opened for something else.
    #[error("`{key}` {wanted}")]
    Misplaced {
        /// The key.
        key: &'static str,
        /// What it needs.
        wanted: &'static str,
    },
    /// A type of the dialect's own that cannot be named so.
    #[error("a type of holes cannot be named `{found}`")]
    TypeName {
        /// What stands there.
        found: String,
    },
    /// A type of the dialect's own that is no text.
    #[error("a type of holes is a text: what stands behind the colon of a hole")]
    TypeText,
    /// A unit of the dialect's own that is none.
    #[error(
        "`{found}` is no unit: it needs a word that begins with no digit, and a whole number above 0 of what it is"
    )]
    Unit {
        /// What stands there.
        found: String,
    },
    /// Two tables for one heading.
    #[error("the table of line {other} takes the same heading: rows would never come here")]
    SameTable {
        /// The line of the other.
        other: u32,
    },
    /// A kind of fact that is none.
    #[error("`{found}` is no kind of fact")]
    UnknownFact {
        /// What stands there.
        found: String,
    },
    /// A name that is no field of the fact.
    #[error("`{found}` is no field of `{fact}`")]
    UnknownField {
        /// What stands there.
        found: String,
        /// The fact.
        fact: &'static str,
    },
    /// A line of state that belongs to no fact.
    #[error("this line tells no fact: it has none of its own and stands in none")]
    NoFact,
    /// A setting without a value, where nothing says which hole it takes.
    #[error("`{setting}` takes no value: the pattern has {found} that could be it")]
    WhichValue {
        /// The setting.
        setting: &'static str,
        /// What the pattern has.
        found: &'static str,
    },
    /// A column as a text that is none.
    #[error("a column is a text `Title = pattern`, or a table with `title` and `is`")]
    ColumnText,
    /// A table without columns.
    #[error("a table needs `columns`, each with `title` and `is`")]
    NoColumns,
    /// `fields` where there is no fact.
    #[error("these are fields of no fact: the table has no `fact`")]
    FieldsOfNothing,
    /// No rule at all.
    #[error("the dialect has no rules")]
    NoRules,
}

impl Explain for DialectProblem {
    fn hint(&self) -> Option<String> {
        match self {
            Self::Pattern(problem) => problem.hint(),
            Self::Session(problem) => problem.hint(),
            Self::Objects(problem) => problem.hint(),
            Self::UnknownSetting { found } => nearest(found, SettingId::all().map(SettingId::name))
                .map(|n| format!("did you mean `{n}`?"))
                .or_else(|| Some("docs/dialects.md lists every setting".into())),
            Self::UnknownTrait { found } => {
                nearest(found, TraitId::all().map(|t| t.info().name)).map(|n| format!("did you mean `{n}`?"))
            }
            Self::TraitWord { words, .. } => Some(format!("it may be {}", words.join(", "))),
            Self::Word { words, found, .. } => Some(nearest(found, words.iter().map(String::as_str)).map_or_else(
                || format!("it may be {}", words.join(", ")),
                |near| format!("did you mean `{near}`?"),
            )),
            Self::UnknownHole { name } => Some(format!("put a hole `<{name}:…>` into the pattern")),
            Self::NoSubject { scope: "port", .. } => {
                Some("add `ports = \"<hole>\"`, or `reach = \"all-ports\"`, to this rule or to the one that opens its context".into())
            }
            Self::NoSubject { scope: "mirror session", .. } => {
                Some("add `mirror = \"<hole>\"` to this rule or to the one that opens its context".into())
            }
            Self::NoSubject { .. } => Some("add `vlan = \"<hole>\"` to this rule or to the one that opens its context".into()),
            Self::NoList { .. } => Some("use `sets`".into()),
            Self::NoOff { .. } => Some("use `negation = \"default\"`".into()),
            Self::NoNegation => Some("add for example `negation = \"without\"` to [text]".into()),
            Self::Clash { .. } => {
                Some("put a literal word into one of them, give both holes the same type, or merge the rules".into())
            }
            Self::TooLarge => Some("write fewer optional parts into one pattern".into()),
            Self::TaggedDefault => Some("write it under [traits]".into()),
            Self::UnknownFact { found } => {
                let names = || FactKind::all().map(|k| k.info().name);
                Some(nearest(found, names()).map_or_else(
                    || format!("it may be {}", names().collect::<Vec<_>>().join(", ")),
                    |near| format!("did you mean `{near}`?"),
                ))
            }
            Self::UnknownField { found, fact } => {
                let fields = FactKind::by_name(fact).map_or(&[][..], |k| k.info().fields);
                let names: Vec<&str> = fields.iter().map(|f| f.name).collect();
                Some(nearest(found, names.iter().copied()).map_or_else(
                    || format!("its fields are {}; a hole that fills none begins with `_`", names.join(", ")),
                    |near| format!("did you mean `{near}`?"),
                ))
            }
            Self::FieldsOfNothing => Some("add `fact = \"…\"` to the table, or let a column's holes be what `sets` takes".into()),
            Self::NoFact => Some("add `fact = \"…\"`, or let it stand in the context of a line that has one".into()),
            Self::TypeName { .. } => Some("take a word that no type has yet; `yellowlegs dialect settings` lists them".into()),
            Self::FeatureDefault { feature } => Some(format!("for example `{feature} = {{ enabled = true }}`")),
            Self::WhichValue { setting, .. } => Some(format!("write `{setting} = <hole>`, or `{setting} = value`")),
            Self::ColumnText => Some("for example \"Port = <port:port>\"".into()),
            Self::TypeText => Some("for example `yes-no = \"(aye=true|nay=false)\"`, `wait = \"duration(for good=0)\"`".into()),
            Self::Unit { .. } => Some("for example `seconds = { watch = 14400 }`".into()),
            Self::TwoSigns { .. } => Some("for example [\"/*\", \"*/\"]".into()),
            Self::Zone { .. } => Some("write for example \"+01:00\" or \"Z\"".into()),
            Self::NoRules => Some("add `[[rule]]` tables; docs/dialects.md shows how".into()),
            _ => None,
        }
    }
}

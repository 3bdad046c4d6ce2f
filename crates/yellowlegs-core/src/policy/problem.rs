//! What can be wrong with a policy, beyond its TOML.

use crate::source::{Explain, nearest};

/// What is wrong, where the place is known besides.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum PolicyProblem {
    /// A word where only a few are possible.
    #[error("`{key}` cannot be `{found}`")]
    Word {
        /// The key.
        key: String,
        /// What stands there.
        found: String,
        /// What it may be.
        words: Vec<String>,
    },
    /// A VLAN that is none.
    #[error("{0}")]
    Vlan(crate::model::VlanError),
    /// A VLAN key that is no number.
    #[error("`{found}` is no VLAN: [vlans] has VLAN numbers as keys")]
    VlanKey {
        /// The key.
        found: String,
    },
    /// One VLAN twice.
    #[error("VLAN {id} is there twice")]
    VlanTwice {
        /// The VLAN.
        id: u16,
    },
    /// Several entries for a VLAN that do not say which switches each is for.
    #[error("VLAN {id} has several entries, and this one does not say for which switches")]
    VlanSwitches {
        /// The VLAN.
        id: u16,
    },
    /// Two roles of one name.
    #[error("two roles are named `{name}`")]
    RoleTwice {
        /// The name.
        name: String,
    },
    /// A number out of range.
    #[error("`{key}` must be {wanted}, not {found}")]
    Number {
        /// The key.
        key: &'static str,
        /// The range.
        wanted: &'static str,
        /// What stands there.
        found: i64,
    },
    /// A pattern on descriptions that is no regular expression.
    #[error("this is no regular expression: {message}")]
    Regex {
        /// What the library says.
        message: String,
    },
    /// A glob that is none.
    #[error("this is no glob: {message}")]
    Glob {
        /// What the library says.
        message: String,
    },
    /// An entry of `ports` without switch or ports.
    #[error("`{found}` does not name a switch and its ports")]
    PortsEntry {
        /// What stands there.
        found: String,
    },
    /// A time that is none.
    #[error(transparent)]
    AsOf(#[from] super::AsOfProblem),
    /// A date that is none.
    #[error("`{found}` is no date")]
    Date {
        /// What stands there.
        found: String,
    },
    /// A check that is none.
    #[error("`{found}` is no check or family")]
    UnknownCheck {
        /// What stands there.
        found: String,
        /// The nearest one.
        nearest: Option<String>,
    },
    /// A role that is none.
    #[error("`{found}` is no role")]
    UnknownRole {
        /// What stands there.
        found: String,
        /// The roles there are.
        roles: Vec<String>,
    },
    /// A feature or setting that cannot be expected.
    #[error("nothing can be expected of `{found}`")]
    UnknownExpectation {
        /// What stands there.
        found: String,
    },
    /// A value that an expectation cannot have.
    #[error("`{key}` cannot be `{found}`: it is {wanted}")]
    Expectation {
        /// The feature or setting.
        key: String,
        /// What stands there.
        found: String,
        /// What it can be.
        wanted: String,
    },
    /// A key that `[site]` does not have.
    #[error("unknown key `{found}` in [site]")]
    SiteKey {
        /// The key.
        found: String,
    },
    /// A value that a key of `[site]` cannot have.
    #[error("`{key}` is {wanted}")]
    SiteValue {
        /// The key.
        key: String,
        /// What it can be.
        wanted: String,
    },
    /// A subnet that is none.
    #[error("`{found}` is no subnet")]
    Prefix {
        /// What stands there.
        found: String,
    },
    /// An expression that cannot be read.
    #[error("this is no expression: {message}")]
    Expression {
        /// Why.
        message: String,
    },
    /// A source of a mirror that is none.
    #[error("`{found}` is no port, no VLAN and no direction")]
    MirrorSource {
        /// What stands there.
        found: String,
    },
    /// An expression beyond its bounds.
    #[error("this expression is too large: {message}")]
    ExpressionBound {
        /// Which bound, and by how much.
        message: String,
    },
    /// A part of an expression of another type.
    #[error("this is {found}, and {wanted} is needed here")]
    ExpressionType {
        /// What is needed.
        wanted: String,
        /// What it is.
        found: String,
    },
    /// A name in an expression that nothing has.
    #[error("nothing is named `{found}`")]
    ExpressionName {
        /// The name.
        found: String,
        /// The nearest one.
        nearest: Option<String>,
    },
    /// A rule's id that is none, or is taken.
    #[error("`{found}` cannot be the id of a rule: {why}")]
    RuleId {
        /// The id.
        found: String,
        /// Why.
        why: &'static str,
    },
    /// A link's end without a port.
    #[error("the end of a link is a port")]
    LinkPort,
    /// More stations needed than allowed.
    #[error("the role needs {needed} stations and allows {allowed}")]
    Stations {
        /// Needed.
        needed: u32,
        /// Allowed.
        allowed: u32,
    },
}

impl Explain for PolicyProblem {
    fn hint(&self) -> Option<String> {
        match self {
            Self::Word { found, words, .. } => Some(near(found, words)),
            Self::VlanTwice { .. } => Some(
                "where separate switches reuse a VLAN, write a list: 120 = [{ switches = […] }, { switches = […] }]"
                    .into(),
            ),
            Self::VlanSwitches { .. } => Some("add `switches = [\"…\"]` to each entry but one".into()),
            Self::PortsEntry { .. } => {
                Some("write for example \"nq-desks-1 1.1..1.24\", or \"nq-desks-* *\" for all ports".into())
            }
            Self::AsOf(_) => Some("write for example 2031-03-04T06:30:00Z".into()),
            Self::Date { .. } => Some("write for example \"2031-03-31\"".into()),
            Self::UnknownCheck { nearest: Some(name), .. } => Some(format!("did you mean `{name}`?")),
            Self::UnknownCheck { .. } => Some("`yellowlegs checks` lists them; a family is written `port/*`".into()),
            Self::UnknownRole { found, roles } => Some(near(found, roles)),
            Self::UnknownExpectation { found } => {
                let names: Vec<String> = super::wishes::names().map(str::to_owned).collect();
                Some(near(found, &names))
            }
            Self::SiteKey { found } => {
                let keys: Vec<String> = ["name", "management"]
                    .into_iter()
                    .chain(super::Site::VALUES.iter().map(|v| v.key))
                    .map(str::to_owned)
                    .collect();
                Some(near(found, &keys))
            }
            Self::ExpressionName { nearest: Some(name), .. } => Some(format!("did you mean `{name}`?")),
            Self::ExpressionName { .. } => {
                Some("settings are written with _ for -: port_security.limit; see `yellowlegs dialect settings`".into())
            }
            Self::RuleId { .. } => Some("write for example \"house/cameras-isolated\"".into()),
            Self::MirrorSource { .. } => {
                Some("write for example \"1.7 both\", \"1.1..1.4 received\" or \"vlan 110\"".into())
            }
            Self::ExpressionBound { .. } => Some("split the rule in several".into()),
            Self::Expression { .. } | Self::ExpressionType { .. } => None,
            Self::Prefix { .. } => Some("write for example \"192.0.2.0/25\"".into()),
            Self::LinkPort => Some("add `port = \"…\"`".into()),
            Self::SiteValue { .. }
            | Self::Regex { .. }
            | Self::Glob { .. }
            | Self::Vlan(_)
            | Self::VlanKey { .. }
            | Self::RoleTwice { .. } => None,
            Self::Number { .. } | Self::Expectation { .. } => None,
            Self::Stations { .. } => Some("raise `stations` or lower `stations-needed`".into()),
        }
    }
}

fn near(found: &str, words: &[String]) -> String {
    match nearest(found, words.iter().map(String::as_str)) {
        Some(word) => format!("did you mean `{word}`?"),
        None => format!("it may be {}", words.join(", ")),
    }
}

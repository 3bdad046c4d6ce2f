//! What a platform tells beyond the standards when it is walked: its own objects, by table, column and index, as facts and settings.

use super::DialectProblem;
use super::effects::written;
use crate::model::{Choice, FactKind, Kind, Oid, RateUnit, Scope, SettingId, Value};
use crate::source::{Explain, Item, Spot, TableReader, TomlDoc};

/// What `[walk]` says.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct ObjectRules {
    /// What the identifier of such a system (sysObjectID, RFC 3418) begins with.
    pub systems: Vec<Oid>,
    /// Its tables.
    pub tables: Vec<ObjectTable>,
}

/// A table of objects: `entry.column.index`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ObjectTable {
    /// What its identifiers begin with.
    pub entry: Oid,
    /// What the index consists of; nothing: its objects are there once, with the index 0.
    pub index: Vec<IndexPart>,
    /// What a row tells.
    pub fact: Option<FactKind>,
    /// Its columns.
    pub columns: Vec<ObjectColumn>,
}

/// A part of an index.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum IndexPart {
    /// A port by its number among the interfaces (RFC 2863, ifIndex).
    Port,
    /// A port by its number in the bridge (RFC 4188, dot1dBasePort).
    BridgePort,
    /// A VLAN.
    Vlan,
    /// A station's address, six numbers.
    Station,
    /// A number that nothing hangs on.
    Any,
}

/// The words for them.
const PARTS: [(&str, IndexPart); 5] = [
    ("port", IndexPart::Port),
    ("bridge-port", IndexPart::BridgePort),
    ("vlan", IndexPart::Vlan),
    ("station", IndexPart::Station),
    ("any", IndexPart::Any),
];

/// What a column gives.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Given {
    /// A setting of what the index names.
    Setting(SettingId),
    /// A list of VLANs of the switch: those whose rows say so.
    VlansOf(SettingId),
    /// A field of the row's fact.
    Field(usize),
}

/// A column.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ObjectColumn {
    /// Its number.
    pub column: u32,
    /// What it gives.
    pub gives: Given,
    /// How its value becomes one.
    pub form: ObjectForm,
}

/// How the value of an object becomes that of a setting.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ObjectForm {
    /// What it is to be.
    pub kind: Kind,
    /// What numbers or words stand for; nothing else is understood where there are some.
    pub words: Vec<(Box<str>, Value)>,
    /// A number counts so often …
    pub times: u32,
    /// … and is divided by this.
    pub per: u32,
    /// The unit of a rate.
    pub unit: Option<RateUnit>,
}

impl ObjectForm {
    /// A value as it is; truth as RFC 2579 has it.
    pub fn plain(kind: Kind) -> Self {
        Self { kind, words: Vec::new(), times: 1, per: 1, unit: None }
    }
}

/// What can be wrong with a `[walk]`.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ObjectProblem {
    /// No identifier.
    #[error("`{found}` is no object identifier")]
    Identifier {
        /// What stands there.
        found: String,
    },
    /// Nothing, or two things.
    #[error("a column gives one thing: `sets`, `adds` or `field`")]
    Gives,
    /// A setting that does not belong to what the index names.
    #[error("`{setting}` is of a {scope}, and the index names none")]
    Scope {
        /// The setting.
        setting: &'static str,
        /// What it belongs to.
        scope: &'static str,
    },
    /// A value that no object can give.
    #[error("no object gives {wanted}")]
    Kind {
        /// What it would be.
        wanted: String,
    },
    /// A choice whose words nobody gives.
    #[error("`{name}` is one of a few words, and nothing says which number stands for which")]
    Words {
        /// The setting or field.
        name: &'static str,
    },
    /// Two columns for one number.
    #[error("column {column} is there twice")]
    Twice {
        /// It.
        column: u32,
    },
    /// A number out of range.
    #[error("`{key}` is 1 to 4294967295")]
    Number {
        /// The key.
        key: &'static str,
    },
}

impl Explain for ObjectProblem {
    fn hint(&self) -> Option<String> {
        let hint = match self {
            Self::Identifier { .. } => "numbers with dots between them: \"1.3.6.1.4.1.32473.7\"",
            Self::Gives => "sets = \"port-security.enabled\", or, in a table with a `fact`, field = \"violations\"",
            Self::Scope { .. } => {
                "index = [\"port\"] or [\"bridge-port\"] for ports, [\"vlan\"] for VLANs, none for the switch"
            }
            Self::Kind { .. } => {
                "numbers, words, addresses, and lists of VLANs by `adds` in a table whose index has a \"vlan\""
            }
            Self::Words { .. } => "words = { 1 = \"…\", 2 = \"…\" }",
            Self::Twice { .. } => "one setting or field for each; a second table may have the same `entry`",
            Self::Number { .. } => "times = 1000 where the object counts thousands",
        };
        Some(hint.into())
    }
}

fn problem(doc: &TomlDoc<'_>, spot: &Spot, problem: ObjectProblem) {
    doc.report(spot, DialectProblem::Objects(problem));
}

/// Reads `[walk]`.
pub(super) fn read(doc: &TomlDoc<'_>, table: &TableReader<'_>) -> ObjectRules {
    let systems = table.texts("system").unwrap_or_default().iter().filter_map(|item| identifier(doc, item)).collect();
    let tables = table.tables("objects").iter().filter_map(|table| object_table(doc, table)).collect();
    table.finish();
    ObjectRules { systems, tables }
}

fn identifier(doc: &TomlDoc<'_>, item: &Item<&str>) -> Option<Oid> {
    let oid = Oid::parse(item.value);
    if oid.is_none() {
        problem(doc, &item.spot, ObjectProblem::Identifier { found: item.value.to_owned() });
    }
    oid
}

fn object_table(doc: &TomlDoc<'_>, table: &TableReader<'_>) -> Option<ObjectTable> {
    let entry = table.required_text("entry");
    let index = table.texts("index").unwrap_or_default();
    let index: Vec<IndexPart> = index.iter().filter_map(|item| part(doc, item)).collect();
    let fact = table.text("fact").and_then(|item| super::state::fact(doc, &item));
    let mut columns: Vec<ObjectColumn> = Vec::new();
    for of in table.tables("gives") {
        let Some(column) = column(doc, &of, &index, fact) else { continue };
        if columns.iter().any(|known| known.column == column.column) {
            problem(doc, &of.spot, ObjectProblem::Twice { column: column.column });
            continue;
        }
        columns.push(column);
    }
    table.finish();
    Some(ObjectTable { entry: identifier(doc, &entry?)?, index, fact, columns })
}

fn part(doc: &TomlDoc<'_>, item: &Item<&str>) -> Option<IndexPart> {
    let known = PARTS.iter().find(|(word, _)| *word == item.value);
    if known.is_none() {
        let words = PARTS.iter().map(|(word, _)| (*word).to_owned()).collect();
        doc.report(&item.spot, DialectProblem::Word { key: "index", found: item.value.to_owned(), words });
    }
    known.map(|(_, part)| *part)
}

fn column(
    doc: &TomlDoc<'_>,
    table: &TableReader<'_>,
    index: &[IndexPart],
    fact: Option<FactKind>,
) -> Option<ObjectColumn> {
    let number = table.integer("column");
    if number.is_none() && table.key_spot("column").is_none() {
        problem(doc, &table.spot, ObjectProblem::Number { key: "column" });
    }
    let gives = gives(doc, table, index, fact);
    let (times, per) = (positive(doc, table, "times"), positive(doc, table, "per"));
    let units = RateUnit::SET.words;
    let unit = super::load::one_of(table, "unit", units).and_then(|unit| RateUnit::from_index(unit as u8));
    let words = table.table("words");
    let Some((gives, kind, name)) = gives else {
        words.iter().for_each(|words| drop(words.entries()));
        table.finish();
        return None;
    };
    let mut known = Vec::new();
    for entry in words.iter().flat_map(TableReader::entries) {
        let Some(scalar) = entry.scalar() else { continue };
        match written(kind, &scalar) {
            Ok(value) => known.push((entry.key.value.into(), value)),
            Err(wrong) => doc.report(&entry.spot(), DialectProblem::Value { setting: name, problem: wrong }),
        }
    }
    match kind {
        Kind::Choice(_) if known.is_empty() => problem(doc, &table.spot, ObjectProblem::Words { name }),
        Kind::Rate if known.is_empty() && unit.is_none() => {
            problem(doc, &table.spot, ObjectProblem::Kind { wanted: "a rate without a `unit`".into() });
        }
        Kind::Stations | Kind::Ranges | Kind::Taps | Kind::Pairs | Kind::Choices(_) | Kind::Time => {
            problem(doc, &table.spot, ObjectProblem::Kind { wanted: kind.describe() });
        }
        _ => {}
    }
    table.finish();
    let column = number.and_then(|item| u32::try_from(item.value).ok());
    if column.is_none() && table.key_spot("column").is_some() {
        problem(doc, &table.spot, ObjectProblem::Number { key: "column" });
    }
    let form = ObjectForm { kind, words: known, times, per, unit };
    Some(ObjectColumn { column: column?, gives, form })
}

fn positive(doc: &TomlDoc<'_>, table: &TableReader<'_>, key: &'static str) -> u32 {
    let Some(item) = table.integer(key) else { return 1 };
    let number = u32::try_from(item.value).ok().filter(|number| *number > 0);
    if number.is_none() {
        problem(doc, &item.spot, ObjectProblem::Number { key });
    }
    number.unwrap_or(1)
}

/// What a column gives, the kind its values have to be of, and its name.
fn gives(
    doc: &TomlDoc<'_>,
    table: &TableReader<'_>,
    index: &[IndexPart],
    fact: Option<FactKind>,
) -> Option<(Given, Kind, &'static str)> {
    let (sets, adds, field) = (table.text("sets"), table.text("adds"), table.text("field"));
    match (sets, adds, field) {
        (Some(item), None, None) => {
            let id = super::load::known_setting(doc, &item)?;
            is_there(doc, &item.spot, id, index).then_some((Given::Setting(id), id.info().kind, id.name()))
        }
        (None, Some(item), None) => {
            let id = super::load::known_setting(doc, &item)?;
            let fits = id.info().kind == Kind::Vlans && id.info().scope == Scope::Switch;
            if !fits || !index.contains(&IndexPart::Vlan) {
                problem(doc, &item.spot, ObjectProblem::Kind { wanted: format!("{} row by row", id.name()) });
                return None;
            }
            Some((Given::VlansOf(id), Kind::Flag, id.name()))
        }
        (None, None, Some(item)) => {
            let Some(fact) = fact else {
                doc.report(&item.spot, DialectProblem::FieldsOfNothing);
                return None;
            };
            let Some(position) = fact.field(item.value) else {
                let found = item.value.to_owned();
                doc.report(&item.spot, DialectProblem::UnknownField { fact: fact.info().name, found });
                return None;
            };
            let info = fact.info().fields.get(position)?;
            Some((Given::Field(position), info.kind, info.name))
        }
        _ => {
            problem(doc, &table.spot, ObjectProblem::Gives);
            None
        }
    }
}

/// Whether the index names what a setting belongs to.
fn is_there(doc: &TomlDoc<'_>, spot: &Spot, id: SettingId, index: &[IndexPart]) -> bool {
    let scope = id.info().scope;
    let fits = match scope {
        Scope::Port => index.iter().any(|part| matches!(part, IndexPart::Port | IndexPart::BridgePort)),
        Scope::Vlan => index.contains(&IndexPart::Vlan),
        Scope::Switch => index.iter().all(|part| *part == IndexPart::Any),
        Scope::Mirror => false,
    };
    if !fits {
        problem(doc, spot, ObjectProblem::Scope { setting: id.name(), scope: scope.word() });
    }
    fits
}

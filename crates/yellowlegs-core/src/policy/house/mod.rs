//! `[[rule]]`: rules of the house, in the Common Expression Language, over a port's settings.
//!
//! Names of settings are written with `_` for `-`: `port_security.limit`. Types are checked when the policy is read.

mod checked;

use std::collections::BTreeSet;
use std::fmt;
use std::hash::{Hash as _, Hasher as _};
use std::sync::{Arc, LazyLock, Mutex, OnceLock};

use cel::common::value::{CowVal, Val};
use cel::context::VariableResolver;
use cel::{Context, Env, Program, Value as Cel};
use rustc_hash::{FxHashMap, FxHasher};

use super::{Cite, Level, PolicyProblem};
use crate::model::{SettingId, Value, VlanId, settings};
pub(super) use checked::Wrong;
use checked::{bounded, checked};

/// A rule of the house.
#[derive(Debug, Clone)]
pub struct HouseRule {
    /// `family/name`. Findings carry it as they carry the ids of the catalogue, for the life of the program.
    pub id: &'static str,
    /// How grave it is.
    pub level: Level,
    /// When it is violated.
    pub when: Condition,
    /// What is wrong; settings in braces are filled in.
    pub message: String,
    /// What to do.
    pub remedy: String,
    /// Where it is written.
    pub cite: Cite,
}

/// An expression over settings, checked.
#[derive(Clone)]
pub struct Condition {
    program: Arc<Program>,
    text: Arc<str>,
    names: BTreeSet<Name>,
    /// How each of them is written.
    written: Arc<[String]>,
    known: Arc<Known>,
}

/// What an expression came to, by the values of what it speaks of: the ports of a site have the same few.
#[derive(Default)]
struct Known(Mutex<FxHashMap<u64, Case>>);

/// The values, and what it came to.
type Case = (Vec<Option<Value>>, Result<bool, Vec<Name>>);

/// So many cases are kept before all are forgotten.
const KEPT_CASES: usize = 2_000;

impl Known {
    fn get(&self, hash: u64, values: &[Option<Value>]) -> Option<Result<bool, Vec<Name>>> {
        let known = self.0.lock().ok()?;
        known.get(&hash).filter(|(of, _)| of == values).map(|(_, told)| told.clone())
    }

    fn keep(&self, hash: u64, values: Vec<Option<Value>>, told: &Result<bool, Vec<Name>>) {
        let Ok(mut known) = self.0.lock() else { return };
        if known.len() >= KEPT_CASES {
            known.clear();
        }
        known.insert(hash, (values, told.clone()));
    }
}

fn hash(values: &[Option<Value>]) -> u64 {
    let mut hasher = FxHasher::default();
    values.hash(&mut hasher);
    hasher.finish()
}

impl fmt::Debug for Condition {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_tuple("Condition").field(&self.text).finish()
    }
}

/// What an expression can speak of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Name {
    /// A setting of the port or its switch.
    Setting(SettingId),
    /// The port's name.
    Port,
    /// The role's name.
    Role,
    /// What the role faces.
    Faces,
}

impl Name {
    /// Whether each port has its own.
    fn is_of_one_port(self) -> bool {
        matches!(self, Self::Port) || self == Self::Setting(settings::DESCRIPTION.id)
    }
}

impl Condition {
    /// Reads and checks an expression.
    pub(super) fn parse(text: &str) -> Result<Self, Wrong> {
        bounded(text)?;
        let program = Program::compile(text).map_err(|errors| {
            let first = errors.errors.first();
            let column = first.and_then(|e| usize::try_from(e.pos.1).ok()).unwrap_or(1).saturating_sub(1);
            let message = first.map_or_else(|| "it cannot be read".to_owned(), |e| e.msg.clone());
            Wrong { at: column, problem: PolicyProblem::Expression { message } }
        })?;
        let names = checked(&program, text)?;
        let written = names.iter().copied().map(written).collect();
        Ok(Self { program: Arc::new(program), text: text.into(), names, written, known: Arc::default() })
    }

    /// As it is written.
    pub fn as_str(&self) -> &str {
        &self.text
    }

    /// What it speaks of.
    pub fn names(&self) -> impl Iterator<Item = Name> + '_ {
        self.names.iter().copied()
    }

    /// Whether it holds; `Err`: something it needs is unknown. A name whose value is `None` is unknown.
    pub fn holds(&self, value: impl Fn(Name) -> Option<Value>) -> Result<bool, Vec<Name>> {
        // Names and descriptions are like no other port's: where all is decided without them, it is for all ports of which the rest is the same,
        // and they are not asked.
        let shared = |name: Name| if name.is_of_one_port() { None } else { value(name) };
        let mut values: Vec<Option<Value>> = self.names().map(shared).collect();
        let without = self.kept_or_worked_out(&values);
        if without.is_ok() {
            return without;
        }
        let mut has_own = false;
        for (at, name) in self.names().enumerate().filter(|(_, name)| name.is_of_one_port()) {
            values[at] = value(name);
            has_own |= values[at].is_some();
        }
        if has_own { self.kept_or_worked_out(&values) } else { without }
    }

    fn kept_or_worked_out(&self, values: &[Option<Value>]) -> Result<bool, Vec<Name>> {
        let hash = hash(values);
        if let Some(known) = self.known.get(hash, values) {
            return known;
        }
        let told = self.worked_out(values);
        self.known.keep(hash, values.to_vec(), &told);
        told
    }

    fn worked_out(&self, values: &[Option<Value>]) -> Result<bool, Vec<Name>> {
        let known = Values { written: &self.written, values, told: values.iter().map(|_| OnceLock::new()).collect() };
        let mut context = Context::with_env(Arc::clone(&LIBRARY));
        context.set_variable_resolver(&known);
        match self.program.execute(&context) {
            Ok(Cel::Bool(holds)) => Ok(holds),
            told => {
                let unknown = self.names().zip(values).filter(|(_, value)| value.is_none()).map(|(name, _)| name);
                let unknown: Vec<Name> = unknown.collect();
                Err(if told.is_err() && unknown.is_empty() { self.names().collect() } else { unknown })
            }
        }
    }
}

/// What an expression speaks of, by its names as they are written: what is unknown is not there. Each is put into the language's terms once,
/// when it is first asked, however often a loop asks.
struct Values<'v> {
    written: &'v [String],
    values: &'v [Option<Value>],
    told: Vec<OnceLock<Option<Box<dyn Val>>>>,
}

impl VariableResolver for Values<'_> {
    fn resolve<'b>(&'b self, variable: &str) -> Option<CowVal<'b, 'b>> {
        let at = self.written.iter().position(|name| name == variable)?;
        let value = self.values.get(at)?.as_ref()?;
        let told = self.told.get(at)?.get_or_init(|| Box::<dyn Val>::try_from(cel(value)).ok());
        told.as_deref().map(CowVal::Borrowed)
    }
}

/// How a name is written.
fn written(name: Name) -> String {
    match name {
        Name::Setting(id) => id.name().replace('-', "_"),
        Name::Port => "port.name".to_owned(),
        Name::Role => "role.name".to_owned(),
        Name::Faces => "role.faces".to_owned(),
    }
}

/// What every expression may call: made once.
static LIBRARY: LazyLock<Arc<Env>> = LazyLock::new(|| Arc::new(Env::stdlib()));

/// A value as the language has it.
fn cel(value: &Value) -> Cel {
    let vlan = |vlan: VlanId| Cel::Int(i64::from(vlan.get()));
    match value {
        Value::Flag(flag) => Cel::Bool(*flag),
        Value::Count(n) | Value::Seconds(n) | Value::Milliwatts(n) => Cel::Int(i64::from(*n)),
        Value::Vlan(id) => id.map_or(Cel::Null, vlan),
        Value::Vlans(set) => Cel::List(Arc::new(set.iter().map(vlan).collect())),
        Value::Rate(None) | Value::Port(None) | Value::Address(None) => Cel::Null,
        Value::Words(words) => Cel::List(Arc::new(words.iter().map(|w| Cel::from(&**w)).collect())),
        Value::Stations(stations) => {
            Cel::List(Arc::new(stations.iter().map(|s| Cel::from(s.address.to_string())).collect()))
        }
        Value::Ranges(_) | Value::Taps(_) | Value::Pairs(_) | Value::Choices { .. } => {
            let shown = value.to_string();
            let items = shown.split(", ").filter(|item| !item.is_empty() && *item != "none");
            Cel::List(Arc::new(items.map(Cel::from).collect()))
        }
        other => Cel::from(other.to_string()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("port_security.limit > 4", None)]
    #[case("port.mode == 'trunk' && !(110 in port.tagged_vlans)", None)]
    #[case("port.access_vlan == null || role.faces in ['host', 'phone']", None)]
    #[case("port.description.matches('^camera') && switch.report_receivers.exists(r, r.startsWith('192.'))", None)]
    #[case("size(port_security.pinned_stations) > 0 ? true : port.enabled", None)]
    #[case("port_security.limits > 4", Some((0, "did you mean")))]
    #[case("port.enabled && port_security.limit", Some((16, "true or false")))]
    #[case("port.mode > 4", Some((12, "a text")))]
    #[case("port.enabled == 'yes'", Some((16, "true or false")))]
    #[case("limit > 4", Some((0, "limit")))]
    #[case("port_security.limit", Some((0, "true or false")))]
    #[case("has(port.mode)", Some((3, "undetermined")))]
    #[case("port.enabled &&", Some((15, "")))]
    #[case("110 in port.access_vlan", Some((7, "a list of a number")))]
    #[case::many_terms(&format!("1{} > 0", "+1".repeat(3_000)), Some((0, "bytes long")))]
    #[case::terms(&format!("1{} > 0", "+1".repeat(300)), Some((512, "words and signs")))]
    // 512 words and signs: 1, and 255 times `+1`, and `>`; one more is too many.
    #[case::as_many_as_may_be(&format!("1{}>0", "+1".repeat(254)), None)]
    #[case::one_more(&format!("1{}>0+0", "+1".repeat(254)), Some((512, "words and signs")))]
    #[case::a_list("port.mtu in [1500, 9000]", None)]
    #[case::a_long_list_in_loops("[1,2,3].all(a, [1,2,3].all(b, port.tagged_vlans.all(c, a + b == c)))", None)]
    #[case::in_a_text(&format!("port.description == '{}'", "+(".repeat(600)), None)]
    #[case::a_guarded_quote(r"port.description == 'a\'(((((((((((((((((((((((((((((('", None)]
    #[case::brackets(&format!("{}true{}", "(".repeat(30), ")".repeat(30)), Some((24, "deeper than 24")))]
    #[case::loops("[1,2,3].all(a, port.tagged_vlans.all(b, port.tagged_vlans.all(c, a == b && b == c)))", Some((11, "steps")))]
    #[case::one_loop("port.tagged_vlans.all(b, b in [1, 2, 3])", None)]
    fn types(#[case] text: &str, #[case] expected: Option<(usize, &str)>) {
        let told = Condition::parse(text)
            .err()
            .map(|w| (w.at, format!("{} {}", w.problem, crate::source::Explain::hint(&w.problem).unwrap_or_default())));
        match (&told, expected) {
            (None, None) => {}
            (Some((at, told)), Some((wanted, words))) => assert!(*at == wanted && told.contains(words), "{at}: {told}"),
            _ => panic!("{told:?}"),
        }
    }

    /// What is kept of one port is no other's: names and descriptions are asked wherever they decide.
    #[rstest]
    #[case("port.enabled && port.description.startsWith('a')")]
    #[case("port.description.startsWith('a') && port.enabled")]
    #[case("port.description.startsWith('a') || !port.enabled")]
    #[case("port.enabled ? port.description == 'a' : port.name == 'b'")]
    #[case("!(port.name == 'a') || port.description.contains('b') && port.enabled")]
    #[case("port.description.size() > 1")]
    fn names_and_descriptions_are_each_ports_own(#[case] text: &str) {
        let (kept, texts) = (Condition::parse(text).ok().unwrap(), [None, Some("a"), Some("b"), Some("ab")]);
        let mut told = BTreeSet::new();
        for round in 0..2 * 3 * 4 * 4 {
            let (enabled, description, name) = (round / 16 % 3, texts[round % 4], texts[round / 4 % 4]);
            let shown = |text: Option<&str>| text.map(|text| Value::Text(text.into()));
            let value = |of| match of {
                Name::Port => shown(name),
                Name::Setting(id) if id == settings::DESCRIPTION.id => shown(description),
                _ => [Some(Value::Flag(true)), Some(Value::Flag(false)), None][enabled].clone(),
            };
            let (here, alone) = (kept.holds(value), Condition::parse(text).ok().unwrap().holds(value));
            assert_eq!(here, alone, "{enabled} {description:?} {name:?}");
            let values: Vec<Option<Value>> = kept.names().map(value).collect();
            assert_eq!(here, kept.worked_out(&values), "{enabled} {description:?} {name:?}");
            told.insert(here.ok());
        }
        assert_eq!(told.len(), 3, "it holds, does not hold, and is open");
    }

    #[rstest]
    #[case::plain("port_security.limit > 4", &[("port-security.limit", Value::Count(5))], Some(true))]
    #[case::unknown("port_security.limit > 4", &[], None)]
    // What is decided without the unknown is decided.
    #[case::not_needed("port.enabled || port_security.limit > 4", &[("port.enabled", Value::Flag(true))], Some(true))]
    #[case::needed("port.enabled || port_security.limit > 4", &[("port.enabled", Value::Flag(false))], None)]
    #[case::none("port.access_vlan == null", &[("port.access-vlan", Value::Vlan(None))], Some(true))]
    #[case::divided("port_security.limit / 0 > 1", &[("port-security.limit", Value::Count(5))], None)]
    fn unknown_is_never_true_or_false(
        #[case] text: &str,
        #[case] known: &[(&str, Value)],
        #[case] expected: Option<bool>,
    ) {
        let condition = Condition::parse(text).ok().unwrap();
        let value = |name| match name {
            Name::Setting(id) => known.iter().find(|(name, _)| *name == id.name()).map(|(_, value)| value.clone()),
            _ => None,
        };
        assert_eq!(condition.holds(value).ok(), expected);
    }

    /// A long list asked in a loop would be made as often as it is long.
    #[test]
    fn a_value_is_told_once() {
        let (written, values) = (["port.mtu".to_owned(), "port.mode".to_owned()], [Some(Value::Count(9)), None]);
        let known = Values { written: &written, values: &values, told: (0..2).map(|_| OnceLock::new()).collect() };
        let places = [(); 2].map(|()| match known.resolve("port.mtu") {
            Some(CowVal::Borrowed(told)) => std::ptr::from_ref(told).cast::<()>(),
            _ => panic!("it is lent"),
        });
        assert_eq!(places[0], places[1]);
        assert!(known.resolve("port.mode").is_none() && known.resolve("port").is_none());
    }
}

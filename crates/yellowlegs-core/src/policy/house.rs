//! `[[rule]]`: rules of the house, in the Common Expression Language, over a port's settings.
//!
//! Names of settings are written with `_` for `-`: `port_security.limit`. Types are checked when the policy is read.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt;
use std::hash::{Hash as _, Hasher as _};
use std::sync::{Arc, LazyLock, Mutex, OnceLock};

use cel::common::ast::{Expr, IdedExpr, LiteralValue, SelectExpr, operators as op};
use cel::common::value::{CowVal, Val};
use cel::context::VariableResolver;
use cel::{Context, Env, Program, Value as Cel};
use rustc_hash::{FxHashMap, FxHasher};

use super::{Cite, Level, PolicyProblem};
use crate::model::{Kind, Scope, SettingId, Value, VlanId, settings};
use crate::source::nearest;

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

/// The type of a part of an expression.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Type {
    Bool,
    Int,
    Text,
    List(Box<Type>),
    Null,
    /// Of a macro's own variables: not followed further.
    Any,
}

impl fmt::Display for Type {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Bool => f.write_str("true or false"),
            Self::Int => f.write_str("a number"),
            Self::Text => f.write_str("a text"),
            Self::List(of) => write!(f, "a list of {of}"),
            Self::Null => f.write_str("null"),
            Self::Any => f.write_str("anything"),
        }
    }
}

impl Type {
    fn of(kind: Kind) -> Self {
        match kind {
            Kind::Flag => Self::Bool,
            Kind::Count | Kind::Seconds | Kind::Milliwatts | Kind::Vlan => Self::Int,
            Kind::Vlans => Self::List(Box::new(Self::Int)),
            kind if kind.is_list() => Self::List(Box::new(Self::Text)),
            _ => Self::Text,
        }
    }

    fn goes_with(&self, other: &Self) -> bool {
        match (self, other) {
            (Self::Any | Self::Null, _) | (_, Self::Any | Self::Null) => true,
            (Self::List(a), Self::List(b)) => a.goes_with(b),
            (a, b) => a == b,
        }
    }
}

/// What is wrong with an expression, and where: a byte in its text.
pub(super) struct Wrong {
    pub(super) at: usize,
    pub(super) problem: PolicyProblem,
}

/// Longest expression, in bytes.
const LONGEST: usize = 4_096;
/// Most words and signs of one: the library that reads it goes as deep as there are.
const MOST_TOKENS: usize = 512;
/// How deep brackets may nest.
const DEEPEST: usize = 24;
/// Most steps one may take on a port, whatever its lists hold.
const MOST_STEPS: u64 = 1_000_000;
/// So many VLANs a list may hold, so many of other things.
const LONG_LISTS: (u64, u64) = (4_094, 1_024);

/// Bounds an expression before anybody reads it.
fn bounded(text: &str) -> Result<(), Wrong> {
    let too = |at: usize, message: String| Err(Wrong { at, problem: PolicyProblem::ExpressionBound { message } });
    if text.len() > LONGEST {
        return too(0, format!("it is {} bytes long; at most {LONGEST} are read", text.len()));
    }
    let (mut tokens, mut depth, mut quote, mut in_word, mut guarded) = (0, 0_usize, None, false, false);
    for (at, letter) in text.char_indices() {
        if let Some(open) = quote {
            quote = Some(open).filter(|open| guarded || letter != *open);
            guarded = letter == '\\' && !guarded;
            continue;
        }
        let is_word = letter.is_alphanumeric() || letter == '_';
        let goes_on = is_word && in_word;
        tokens += usize::from(!goes_on && !letter.is_whitespace());
        in_word = is_word;
        match letter {
            '"' | '\'' => quote = Some(letter),
            '(' | '[' | '{' => depth += 1,
            ')' | ']' | '}' => depth = depth.saturating_sub(1),
            _ => {}
        }
        if depth > DEEPEST {
            return too(at, format!("its brackets nest deeper than {DEEPEST}"));
        }
        if tokens > MOST_TOKENS {
            return too(at, format!("it has more than {MOST_TOKENS} words and signs"));
        }
    }
    Ok(())
}

/// The most steps an expression can take, whatever its lists hold.
fn steps(expr: &IdedExpr) -> u64 {
    match &expr.expr {
        Expr::Call(call) => {
            let parts = call.target.as_deref().into_iter().chain(&call.args);
            parts.fold(1_u64, |sum, part| sum.saturating_add(steps(part)))
        }
        Expr::List(list) => list.elements.iter().fold(1_u64, |sum, part| sum.saturating_add(steps(part))),
        Expr::Comprehension(macro_) => {
            let each = steps(&macro_.loop_cond).saturating_add(steps(&macro_.loop_step));
            let around = steps(&macro_.iter_range).saturating_add(steps(&macro_.accu_init)) + steps(&macro_.result);
            around.saturating_add(each.saturating_mul(length(&macro_.iter_range)))
        }
        _ => 1,
    }
}

/// How many elements a list may have.
fn length(range: &IdedExpr) -> u64 {
    match &range.expr {
        Expr::List(list) => list.elements.len() as u64,
        Expr::Select(select) if select.field.contains("vlans") => LONG_LISTS.0,
        Expr::Comprehension(macro_) => length(&macro_.iter_range),
        _ => LONG_LISTS.1,
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
        let mut checker = Checker { program: &program, text, names: BTreeSet::new(), variables: BTreeMap::new() };
        let root = program.expression();
        let found = checker.check(root)?;
        checker.expect(root, &found, &Type::Bool)?;
        let steps = steps(root);
        if steps > MOST_STEPS {
            let message = format!("it may take {steps} steps on a port; at most {MOST_STEPS} are taken");
            return Err(checker.wrong(root, PolicyProblem::ExpressionBound { message }));
        }
        let names = checker.names;
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

fn all_names() -> impl Iterator<Item = Name> {
    let settings = SettingId::all().filter(|id| matches!(id.info().scope, Scope::Port | Scope::Switch));
    [Name::Port, Name::Role, Name::Faces].into_iter().chain(settings.map(Name::Setting))
}

fn type_of(name: Name) -> Type {
    match name {
        Name::Setting(id) => Type::of(id.info().kind),
        Name::Port | Name::Role | Name::Faces => Type::Text,
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

/// Follows the types of an expression.
struct Checker<'e> {
    program: &'e Program,
    text: &'e str,
    names: BTreeSet<Name>,
    /// What macros such as `exists` bind.
    variables: BTreeMap<String, Type>,
}

impl Checker<'_> {
    fn wrong(&self, expr: &IdedExpr, problem: PolicyProblem) -> Wrong {
        let at = self.program.source_info().offset_for(expr.id).map_or(0, |(start, _)| start as usize);
        // A selection is where its first word is.
        let at = if self.text.get(at..).is_some_and(|t| t.starts_with('.')) {
            let before = self.text.get(..at).unwrap_or_default();
            before.rfind(|c: char| !c.is_alphanumeric() && c != '_').map_or(0, |i| i + 1)
        } else {
            at
        };
        Wrong { at, problem }
    }

    fn expect(&self, expr: &IdedExpr, found: &Type, wanted: &Type) -> Result<(), Wrong> {
        if found.goes_with(wanted) && *found != Type::Null {
            return Ok(());
        }
        let problem = PolicyProblem::ExpressionType { wanted: wanted.to_string(), found: found.to_string() };
        Err(self.wrong(expr, problem))
    }

    fn check(&mut self, expr: &IdedExpr) -> Result<Type, Wrong> {
        match &expr.expr {
            Expr::Literal(literal) => Ok(match literal {
                LiteralValue::Boolean(_) => Type::Bool,
                LiteralValue::Int(_) | LiteralValue::UInt(_) => Type::Int,
                LiteralValue::String(_) => Type::Text,
                LiteralValue::Null => Type::Null,
                LiteralValue::Bytes(_) | LiteralValue::Double(_) => return Err(self.unsupported(expr)),
            }),
            Expr::Ident(name) => match self.variables.get(name) {
                Some(found) => Ok(found.clone()),
                None => Err(self.unknown(expr, name)),
            },
            Expr::Select(select) => self.select(expr, select),
            Expr::List(list) => {
                let mut of = Type::Any;
                for element in &list.elements {
                    let found = self.check(element)?;
                    self.expect(element, &found, &of)?;
                    of = found;
                }
                Ok(Type::List(Box::new(of)))
            }
            Expr::Call(call) => {
                let mut arguments = Vec::new();
                for argument in call.target.as_deref().into_iter().chain(&call.args) {
                    arguments.push((argument, self.check(argument)?));
                }
                self.call(expr, &call.func_name, &arguments)
            }
            Expr::Comprehension(macro_) => {
                let range = self.check(&macro_.iter_range)?;
                let Type::List(of) = range else {
                    self.expect(&macro_.iter_range, &range, &Type::List(Box::new(Type::Any)))?;
                    return Ok(Type::Any);
                };
                let before = self.variables.clone();
                self.variables.insert(macro_.iter_var.clone(), *of);
                self.variables.insert(macro_.accu_var.clone(), Type::Any);
                for part in [&macro_.accu_init, &macro_.loop_cond, &macro_.loop_step, &macro_.result] {
                    self.check(part)?;
                }
                self.variables = before;
                Ok(Type::Any)
            }
            Expr::Map(_) | Expr::Struct(_) | Expr::Unspecified => Err(self.unsupported(expr)),
        }
    }

    fn unsupported(&self, expr: &IdedExpr) -> Wrong {
        let message = "only true and false, whole numbers, texts, lists and settings can be used".to_owned();
        self.wrong(expr, PolicyProblem::Expression { message })
    }

    fn unknown(&self, expr: &IdedExpr, found: &str) -> Wrong {
        let names: Vec<String> = all_names().map(written).collect();
        let nearest = nearest(found, names.iter().map(String::as_str)).map(str::to_owned);
        self.wrong(expr, PolicyProblem::ExpressionName { found: found.to_owned(), nearest })
    }

    fn select(&mut self, expr: &IdedExpr, select: &SelectExpr) -> Result<Type, Wrong> {
        let Expr::Ident(space) = &select.operand.expr else { return Err(self.unsupported(expr)) };
        if select.test {
            let message = "has() is not needed: where a setting is unknown the rule is undetermined".to_owned();
            return Err(self.wrong(expr, PolicyProblem::Expression { message }));
        }
        let whole = format!("{space}.{}", select.field);
        let Some(name) = all_names().find(|name| written(*name) == whole) else {
            return Err(self.unknown(expr, &whole));
        };
        self.names.insert(name);
        Ok(type_of(name))
    }

    fn call(&self, expr: &IdedExpr, function: &str, arguments: &[(&IdedExpr, Type)]) -> Result<Type, Wrong> {
        let all = |wanted: &Type| arguments.iter().try_for_each(|(expr, found)| self.expect(expr, found, wanted));
        match (function, arguments) {
            (op::LOGICAL_AND | op::LOGICAL_OR | op::LOGICAL_NOT | op::NOT_STRICTLY_FALSE, _) => {
                all(&Type::Bool).map(|()| Type::Bool)
            }
            (op::EQUALS | op::NOT_EQUALS, [(_, a), (second, b)]) => {
                if a.goes_with(b) {
                    Ok(Type::Bool)
                } else {
                    self.expect(second, b, a).map(|()| Type::Bool)
                }
            }
            (op::LESS | op::LESS_EQUALS | op::GREATER | op::GREATER_EQUALS, [(first, a), _]) => {
                let wanted = if *a == Type::Text { Type::Text } else { Type::Int };
                self.expect(first, a, &wanted)?;
                all(&wanted).map(|()| Type::Bool)
            }
            (op::ADD, [(_, Type::Any | Type::List(_)), _]) => Ok(Type::Any),
            (op::ADD, [(_, Type::Text), _]) => all(&Type::Text).map(|()| Type::Text),
            (op::ADD | op::SUBSTRACT | op::MULTIPLY | op::DIVIDE | op::MODULO | op::NEGATE, _) => {
                all(&Type::Int).map(|()| Type::Int)
            }
            (op::IN, [(_, a), (second, b)]) => {
                self.expect(second, b, &Type::List(Box::new(a.clone()))).map(|()| Type::Bool)
            }
            (op::CONDITIONAL, [(first, a), (_, b), (third, c)]) => {
                self.expect(first, a, &Type::Bool)?;
                self.expect(third, c, b).map(|()| b.clone())
            }
            ("size", [(first, a)]) => match a {
                Type::Text | Type::List(_) | Type::Any => Ok(Type::Int),
                _ => self.expect(first, a, &Type::Text).map(|()| Type::Int),
            },
            ("startsWith" | "endsWith" | "contains" | "matches", [_, _]) => all(&Type::Text).map(|()| Type::Bool),
            _ => {
                let message = format!("`{function}` cannot be used here");
                Err(self.wrong(expr, PolicyProblem::Expression { message }))
            }
        }
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

//! What an expression may be, before anybody works it out: how long and how deep, of which types, and how many steps it may take.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt;

use cel::Program;
use cel::common::ast::{Expr, IdedExpr, LiteralValue, SelectExpr, operators as op};

use super::{Name, written};
use crate::model::{Kind, Scope, SettingId};
use crate::policy::PolicyProblem;
use crate::source::nearest;

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
pub(in crate::policy) struct Wrong {
    pub(in crate::policy) at: usize,
    pub(in crate::policy) problem: PolicyProblem,
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
pub(super) fn bounded(text: &str) -> Result<(), Wrong> {
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

/// What an expression speaks of, where its types go together and its steps are few enough.
pub(super) fn checked(program: &Program, text: &str) -> Result<BTreeSet<Name>, Wrong> {
    let mut checker = Checker { program, text, names: BTreeSet::new(), variables: BTreeMap::new() };
    let root = program.expression();
    let found = checker.check(root)?;
    checker.expect(root, &found, &Type::Bool)?;
    let steps = steps(root);
    if steps > MOST_STEPS {
        let message = format!("it may take {steps} steps on a port; at most {MOST_STEPS} are taken");
        return Err(checker.wrong(root, PolicyProblem::ExpressionBound { message }));
    }
    Ok(checker.names)
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

//! The file of decisions: questions as a plan asks them, and what somebody answered.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use super::OpenPoint;
use crate::source::{Explain, Problem, Source, TomlDoc, quoted};

/// Decisions, by the point that was open.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Answers {
    given: BTreeMap<String, Answer>,
}

/// One decision, with the question that it answers.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Answer {
    asks: String,
    choices: Vec<String>,
    answer: String,
}

/// What is wrong with a file of decisions, beyond its TOML.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum AnswerProblem {
    /// One question twice.
    #[error("the question `{0}` stands here twice")]
    Twice(String),
    /// An answer that is none of the choices.
    #[error("`{answer}` is none of the choices")]
    NoChoice {
        /// What stands there.
        answer: String,
        /// What could.
        choices: Vec<String>,
    },
}

impl Explain for AnswerProblem {
    fn hint(&self) -> Option<String> {
        Some(match self {
            Self::Twice(_) => "take one of them out".to_owned(),
            Self::NoChoice { choices, .. } => {
                format!(
                    "answer {}, or nothing",
                    choices.iter().map(|c| format!("{c:?}")).collect::<Vec<_>>().join(", ")
                )
            }
        })
    }
}

impl Answers {
    /// Reads a file; or everything that is wrong with it.
    pub fn load(source: &Source) -> Result<Self, Vec<Problem>> {
        let doc = TomlDoc::parse(source);
        let root = doc.root();
        let tables = root.tables("question");
        root.finish();
        let mut given = BTreeMap::new();
        for table in &tables {
            let id = table.required_text("id");
            let asks = table.text("asks").map(|item| item.value.to_owned()).unwrap_or_default();
            let choices = table.texts("choices").unwrap_or_default();
            let choices: Vec<String> = choices.into_iter().map(|item| item.value.to_owned()).collect();
            let answer = table.text("answer");
            table.ask("takes");
            table.finish();
            let Some(id) = id else { continue };
            let text = answer.as_ref().map(|item| item.value.to_owned()).unwrap_or_default();
            if let Some(answer) = answer.filter(|_| !text.is_empty() && !choices.is_empty() && !choices.contains(&text))
            {
                doc.report(&answer.spot, AnswerProblem::NoChoice { answer: text.clone(), choices: choices.clone() });
            }
            let known = given.insert(id.value.to_owned(), Answer { asks, choices, answer: text });
            if known.is_some() {
                doc.report(&id.spot, AnswerProblem::Twice(id.value.to_owned()));
            }
        }
        drop(tables);
        let problems = doc.into_problems();
        if problems.is_empty() { Ok(Self { given }) } else { Err(problems) }
    }

    /// The same with one more decision.
    #[must_use]
    pub fn with(mut self, id: impl Into<String>, answer: impl Into<String>) -> Self {
        let answer = Answer { asks: String::new(), choices: Vec::new(), answer: answer.into() };
        self.given.insert(id.into(), answer);
        self
    }

    /// What was answered to a question; nothing where somebody left it open.
    pub fn get(&self, id: &str) -> Option<&str> {
        self.given.get(id).map(|given| given.answer.as_str()).filter(|answer| !answer.is_empty())
    }

    /// The file: the questions of before with their answers, then those that are open now.
    pub fn text(&self, open: &[OpenPoint]) -> String {
        let mut text =
            "# Decisions for `yellowlegs mend --answer`. Write one of the choices, or a value, into `answer`.\n"
                .to_owned();
        for (id, Answer { asks, choices, answer }) in &self.given {
            let now = open.iter().find(|point| point.id == *id);
            let asks = now.map_or(asks, |point| &point.asks);
            let choices = now.map_or(choices, |point| &point.choices);
            question(&mut text, id, asks, choices, now.and_then(|point| point.takes.as_deref()), answer);
        }
        for point in open.iter().filter(|point| !self.given.contains_key(&point.id)) {
            question(&mut text, &point.id, &point.asks, &point.choices, point.takes.as_deref(), "");
        }
        text
    }
}

fn question(text: &mut String, id: &str, asks: &str, choices: &[String], takes: Option<&str>, answer: &str) {
    let _ = writeln!(text, "\n[[question]]\nid = {}\nasks = {}", quoted(id), quoted(asks));
    if let Some(takes) = takes {
        let _ = writeln!(text, "takes = {}", quoted(takes));
    }
    if !choices.is_empty() {
        let _ = writeln!(text, "choices = [{}]", choices.iter().map(|c| quoted(c)).collect::<Vec<_>>().join(", "));
    }
    let _ = writeln!(text, "answer = {}", quoted(answer));
}

//! Teaching a dialect: what nobody has said yet of some texts is asked, the most frequent first; each answer is written into the dialect
//! as a person would, and proved by reading the texts with it.

mod growth;
mod meaning;
mod silence;
mod table;
mod write;

use std::sync::Arc;

pub use growth::Growth;
pub use meaning::{Given, Meaning, Names};
pub use silence::{Fact, Silence};
pub use table::Table;

use crate::dialect::{Dialect, Open, open};
use crate::resolve::run_examples;
use crate::source::{Problem, Source};

/// A dialect that is being taught, with the texts that it is to read.
#[derive(Debug, Clone)]
pub struct Lesson {
    dialect: Arc<Dialect>,
    texts: Vec<Arc<Source>>,
}

/// Why an answer is not taken; the dialect stays as it was.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Refused {
    /// With it the dialect could not be read.
    Problems(Vec<Problem>),
    /// It does not do what was asked: what is wrong, and what to do.
    Says(String, String),
}

impl Lesson {
    /// Begins with a dialect as it is.
    pub fn new(dialect: Arc<Dialect>, texts: Vec<Arc<Source>>) -> Self {
        Self { dialect, texts }
    }

    /// The dialect as it is now.
    pub fn dialect(&self) -> &Arc<Dialect> {
        &self.dialect
    }

    /// Its text.
    pub fn written(&self) -> &str {
        self.dialect.source().text()
    }

    /// The texts.
    pub fn texts(&self) -> &[Arc<Source>] {
        &self.texts
    }

    /// What nobody has said yet, the most frequent first.
    pub fn questions(&self) -> Vec<Open> {
        open(&self.dialect, &self.texts)
    }

    /// The same dialect with another text, where that is one.
    fn with(&self, text: String) -> Result<Arc<Dialect>, Refused> {
        // Lines end as they did.
        let text = if self.written().contains("\r\n") { text.replace('\n', "\r\n") } else { text };
        let source = Arc::new(Source::of(Arc::clone(self.dialect.source().path()), text));
        Dialect::load(&source).map(Arc::new).map_err(Refused::Problems)
    }

    /// Takes a dialect over, where its examples still come out as they should.
    fn take(&mut self, dialect: Arc<Dialect>) -> Result<(), Refused> {
        let before = run_examples(&self.dialect).len();
        if run_examples(&dialect).len() > before {
            let hint = "`yellowlegs dialect test` tells which; the answer is not taken";
            return Err(Refused::Says("an example of the dialect would come out otherwise".into(), hint.into()));
        }
        self.dialect = dialect;
        Ok(())
    }
}

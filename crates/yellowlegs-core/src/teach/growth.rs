//! How much of the audit can be decided with a dialect as it is.

use std::sync::Arc;

use super::Lesson;
use crate::check::{Judge, Selection, Told, ids};
use crate::policy::{AsOf, Draft, Policy};
use crate::resolve::{Resolved, resolve};
use crate::source::Source;

/// What a dialect understands of the texts, and what an audit of them comes to.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Growth {
    /// Lines of the texts that say something, and how many of them are understood.
    pub lines: usize,
    /// Those that are understood.
    pub understood: usize,
    /// The ports that the texts tell of.
    pub ports: usize,
    /// Answers that checks of ports and switches are asked for, those apart that make no sense where they are asked.
    pub asked: usize,
    /// Those that come to met or violated.
    pub decided: usize,
    /// Those that come to violated.
    pub violated: usize,
}

impl Lesson {
    /// What an audit of the texts comes to by a time, with a policy drafted from them.
    pub fn growth(&self, as_of: &AsOf) -> Growth {
        let dialect = self.dialect();
        let switches: Vec<Resolved> = self
            .texts()
            .iter()
            .enumerate()
            .map(|(number, text)| resolve(format!("switch-{}", number + 1), dialect, Arc::clone(text)))
            .collect();
        let mut draft = Draft::default();
        switches.iter().for_each(|resolved| draft.add(&resolved.switch));
        let source = Arc::new(Source::of("policy.toml", draft.write()));
        let policy = Policy::load(&source, &ids()).unwrap_or_default();
        let selection = Selection::default();
        let judge = Judge::new(&policy, as_of, &selection, false);
        let mut growth = Growth::default();
        for resolved in &switches {
            growth.lines += resolved.switch.lines() as usize;
            growth.understood += (resolved.switch.lines() as usize).saturating_sub(resolved.switch.unread().len());
            growth.ports += resolved.switch.ports().len();
            for (_, check, told) in judge.told(resolved, resolved.lists()) {
                let counts = !check.is_state();
                growth.asked += usize::from(counts && !matches!(told, Told::NotApplicable));
                growth.decided += usize::from(counts && matches!(told, Told::Met | Told::Violated(_)));
                growth.violated += usize::from(counts && matches!(told, Told::Violated(_)));
            }
        }
        growth
    }
}

//! The lines of one context as a tree of words; where a place takes many words it becomes a hole.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use super::super::HoleType;
use super::lines::{Sign, literal};
use super::{NAME, PROFILE, Rule};
use crate::sorted;

/// So many words at one place are values, not keywords.
const MANY: usize = 5;
/// Longest line that is told word by word.
const LONGEST: usize = 40;

#[derive(Debug, Clone, Default)]
pub(super) struct Tree {
    next: BTreeMap<Sign, Tree>,
    /// The lines that end here, by number.
    ends: Vec<u32>,
    /// In which texts it stands, sorted.
    texts: Vec<u32>,
    /// What its lines open.
    opens: Option<Arc<str>>,
}

impl Tree {
    /// A line of a text, both by number, of these words, with the context that it opens. The texts come one after the other.
    pub(super) fn add(&mut self, line: u32, text: u32, words: &[Sign], opens: Option<&Arc<str>>) {
        let mut node = self;
        for sign in words.iter().take(LONGEST) {
            node.is_in(text);
            node = node.next.entry(sign.clone()).or_default();
        }
        if words.len() > LONGEST {
            node = node.next.entry(Sign::Typed(HoleType::Rest)).or_default();
        }
        node.is_in(text);
        node.ends.push(line);
        if node.opens.is_none() {
            node.opens = opens.cloned();
        }
    }

    fn is_in(&mut self, text: u32) {
        if self.texts.last() != Some(&text) {
            self.texts.push(text);
        }
    }

    fn count(&self) -> usize {
        self.ends.len() + self.next.values().map(Tree::count).sum::<usize>()
    }

    /// All lines that end here or further on.
    fn lines(self) -> Vec<u32> {
        let mut lines = self.ends;
        lines.extend(self.next.into_values().flat_map(Tree::lines));
        lines
    }

    fn join(&mut self, other: Self) {
        self.ends.extend(other.ends);
        self.texts.extend(other.texts);
        self.texts.sort_unstable();
        self.texts.dedup();
        self.opens = self.opens.take().or(other.opens);
        for (sign, tree) in other.next {
            self.next.entry(sign).or_default().join(tree);
        }
    }

    /// The forms of what follows, to the end of the lines.
    fn shapes(&self, into: &mut BTreeSet<Vec<Sign>>, so_far: &mut Vec<Sign>) {
        if !self.ends.is_empty() {
            into.insert(so_far.clone());
        }
        for (sign, tree) in &self.next {
            so_far.push(sign.clone());
            tree.shapes(into, so_far);
            so_far.pop();
        }
    }

    /// Makes one of types that take the same words.
    fn widen(&mut self) {
        use HoleType as H;
        const WIDER: [(HoleType, HoleType, HoleType); 8] = [
            (H::Vlan, H::Int, H::Int),
            (H::Vlans, H::Vlan, H::Vlans),
            (H::Vlans, H::Int, H::Ints),
            (H::Ints, H::Int, H::Ints),
            (H::Ints, H::Vlans, H::Ints),
            (H::Ints, H::Vlan, H::Ints),
            (H::Port, H::Ports, H::Ports),
            (H::Word, H::Text, H::Text),
        ];
        for (a, b, wide) in WIDER.iter().chain(&WIDER) {
            let (a, b, wide) = (Sign::Typed(*a), Sign::Typed(*b), Sign::Typed(*wide));
            if self.next.contains_key(&a) && self.next.contains_key(&b) {
                for sign in [a, b] {
                    if let Some(tree) = self.next.remove(&sign) {
                        self.next.entry(wide.clone()).or_default().join(tree);
                    }
                }
            }
        }
    }

    /// Words that are values become a hole; where their lines go on in unlike ways, the rest of the line is one.
    /// What a line begins with is a keyword, however rare; so is what stands behind a port, and what goes on in unlike
    /// ways behind another value: texts without quotes stand behind words.
    fn generalise(&mut self, texts: usize, before: Option<&Sign>) {
        self.widen();
        let words: Vec<Sign> = self.next.keys().filter(|s| s.literal().is_some()).cloned().collect();
        let rare = |sign: &Sign| self.next.get(sign).is_some_and(|t| t.count() <= 2);
        let rarely = words.iter().filter(|s| rare(s)).count();
        // One word in each text, another in every one: a name.
        let own = texts > 1
            && words.len() >= texts
            && self.texts.len() == texts
            && words.iter().all(|s| self.next.get(s).is_some_and(|t| t.texts.len() == 1 && t.count() == 1));
        let is_keyword = matches!(before, None | Some(Sign::Typed(HoleType::Port | HoleType::Ports)));
        if !is_keyword && ((words.len() >= MANY && rarely * 10 >= words.len() * 7) || own) {
            let mut shapes = BTreeSet::new();
            let mut joined = Self::default();
            let values: Vec<&Sign> = words.iter().filter(|s| own || rare(s)).collect();
            for tree in values.iter().filter_map(|sign| self.next.get(sign)) {
                tree.shapes(&mut shapes, &mut Vec::new());
                joined.join(tree.clone());
            }
            let alike = sorted::set(shapes.iter().map(Vec::len)).len() == 1 && shapes.len() <= 2;
            let behind_a_value = matches!(before, Some(Sign::Typed(_)));
            if alike || !behind_a_value {
                self.next.retain(|sign, _| !values.contains(&sign));
            }
            if alike {
                let hole = Sign::Typed(if self.next.contains_key(&Sign::Typed(HoleType::Text)) {
                    HoleType::Text
                } else {
                    HoleType::Word
                });
                self.next.entry(hole).or_default().join(joined);
            } else if !behind_a_value {
                let rest = self.next.entry(Sign::Typed(HoleType::Rest)).or_default();
                rest.opens = rest.opens.take().or(joined.opens.take());
                rest.ends.extend(joined.lines());
            }
            self.widen();
        }
        // A rest takes what is left of a line: nothing can follow it.
        if let Some(rest) = self.next.get_mut(&Sign::Typed(HoleType::Rest)) {
            rest.next.clear();
        }
        self.next.iter_mut().for_each(|(sign, tree)| tree.generalise(texts, Some(sign)));
    }

    /// The rules that the lines come to, each with its lines.
    pub(super) fn rules(mut self, texts: usize) -> Vec<(Rule, Vec<u32>)> {
        self.generalise(texts, None);
        let mut rules = Vec::new();
        self.gather(&mut Vec::new(), &mut rules);
        rules
    }

    fn gather(&mut self, so_far: &mut Vec<Sign>, rules: &mut Vec<(Rule, Vec<u32>)>) {
        if !self.ends.is_empty() && !so_far.is_empty() {
            rules.push((rule(so_far, self.opens.as_deref().map(str::to_owned)), std::mem::take(&mut self.ends)));
        }
        for (sign, tree) in &mut self.next {
            so_far.push(sign.clone());
            tree.gather(so_far, rules);
            so_far.pop();
        }
    }
}

/// A rule with holes named by the word before them.
fn rule(signs: &[Sign], opens: Option<String>) -> Rule {
    let mut words: Vec<String> = Vec::new();
    let mut holes: Vec<(String, HoleType)> = Vec::new();
    let mut before = String::new();
    for (at, sign) in signs.iter().enumerate() {
        let behind_a_vlan = at > 0 && signs.get(at - 1) == Some(&Sign::Typed(HoleType::Vlan));
        match sign {
            Sign::Word(word) => {
                let letters: String = word.chars().filter(|c| c.is_ascii_alphanumeric() || *c == '-').collect();
                if !letters.is_empty() {
                    before = letters;
                }
                words.push(literal(word));
            }
            Sign::Profile => {
                words.push(format!("<{PROFILE}:word>"));
                holes.push((PROFILE.to_owned(), HoleType::Word));
            }
            Sign::Typed(kind) => {
                let base = if behind_a_vlan && matches!(kind, HoleType::Word | HoleType::Text) {
                    NAME.to_owned()
                } else if before.is_empty() || before.starts_with('-') {
                    kind.name().to_owned()
                } else {
                    before.to_ascii_lowercase()
                };
                let taken = |name: &str| holes.iter().any(|(n, _)| n == name);
                let numbered = (2..).map(|n| format!("{base}-{n}"));
                let name = std::iter::once(base.clone()).chain(numbered).find(|n| !taken(n)).unwrap_or(base);
                words.push(format!("<{name}:{}>", kind.name()));
                holes.push((name, *kind));
            }
        }
    }
    // Two odd words of one line need two names.
    let mut odd = 0;
    for word in words.iter_mut().filter(|w| *w == "<odd:word>") {
        odd += 1;
        *word = format!("<odd-{odd}:word>");
    }
    Rule { pattern: words.join(" "), opens, holes }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn word(word: &str) -> Sign {
        Sign::Word(word.into())
    }

    /// A text counts once, however often a place stands in it, and where two places become one.
    #[test]
    fn a_text_counts_once() {
        let mut tree = Tree::default();
        for (line, (text, last)) in (0..).zip([(0, "x"), (0, "y"), (0, "x"), (1, "y"), (2, "x"), (2, "y"), (4, "y")]) {
            tree.add(line, text, &[word("a"), word(last)], None);
        }
        assert_eq!(tree.texts, [0, 1, 2, 4]);
        let mut below = tree.next.remove(&word("a")).unwrap();
        assert_eq!(below.texts, [0, 1, 2, 4]);
        let (mut x, y) = (below.next.remove(&word("x")).unwrap(), below.next.remove(&word("y")).unwrap());
        assert_eq!((&x.texts[..], &y.texts[..]), (&[0, 2][..], &[0, 1, 2, 4][..]));
        x.join(y);
        assert_eq!((x.texts.clone(), x.count()), (vec![0, 1, 2, 4], 7));
    }
}

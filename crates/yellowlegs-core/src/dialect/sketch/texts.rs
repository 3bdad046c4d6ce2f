//! The lines of all texts, each kept once: those of one switch are those of others.

use rustc_hash::FxHashMap;

use super::lines::how_many_lines;
use crate::dialect::layout::{Braces, Layout, Structure};
use crate::syntax::{Splitter, lines};

/// The signs around comments that go over lines.
pub(super) const BLOCK: (&str, &str) = ("/*", "*/");

/// The words of a line, and how often it stands there.
pub(super) struct Worded<'t> {
    pub(super) words: Vec<&'t str>,
    pub(super) often: usize,
}

/// The lines of all texts that hold something: those of one switch are those of others, and each is kept once.
pub(super) struct TextLines<'t> {
    texts: Vec<&'t str>,
    /// How deep each stands, and which text it is.
    all: Vec<(u32, u32)>,
}

impl<'t> TextLines<'t> {
    pub(super) fn of(texts: &[&'t str]) -> Self {
        let mut numbers: FxHashMap<&'t str, u32> = FxHashMap::default();
        let mut kept = Self { texts: Vec::new(), all: Vec::with_capacity(how_many_lines(texts)) };
        for line in texts.iter().flat_map(|text| lines(text)).filter(|line| !line.text.is_empty()) {
            let number = *numbers.entry(line.text).or_insert_with(|| {
                kept.texts.push(line.text);
                kept.texts.len() as u32 - 1
            });
            kept.all.push((line.indent, number));
        }
        kept
    }

    pub(super) fn len(&self) -> usize {
        self.all.len()
    }

    /// For each text whether it fits.
    fn fitting(&self, fits: impl Fn(&str) -> bool) -> Vec<bool> {
        self.texts.iter().map(|text| fits(text)).collect()
    }

    /// How many lines fit.
    pub(super) fn count(&self, fits: impl Fn(&str) -> bool) -> usize {
        let fitting = self.fitting(fits);
        self.all.iter().filter(|(_, number)| fitting[*number as usize]).count()
    }

    pub(super) fn any(&self, fits: impl Fn(&str) -> bool) -> bool {
        let fitting = self.fitting(fits);
        self.all.iter().any(|(_, number)| fitting[*number as usize])
    }

    pub(super) fn keep(&mut self, fits: impl Fn(&str) -> bool) {
        let fitting = self.fitting(fits);
        self.all.retain(|(_, number)| fitting[*number as usize]);
    }

    /// Drops comments that begin and end with a sign; whether there are such.
    pub(super) fn drop_block_comments(&mut self) -> bool {
        let (begins, ends) =
            (self.fitting(|line| line.starts_with(BLOCK.0)), self.fitting(|line| line.contains(BLOCK.1)));
        // Whether a line is part of one, and whether the next is.
        let within = |inside: bool, number: u32| {
            let is_part = inside || begins[number as usize];
            (is_part, is_part && !ends[number as usize])
        };
        let (mut inside, mut found) = (false, false);
        for (_, number) in &self.all {
            let is_part;
            (is_part, inside) = within(inside, *number);
            found |= is_part;
        }
        // One that never ends is no such comment.
        if inside || !found {
            return false;
        }
        self.all.retain(|(_, number)| {
            let is_part;
            (is_part, inside) = within(inside, *number);
            !is_part
        });
        true
    }

    /// Whether lines go on in the next one behind a sign; such next lines are not lines of their own.
    pub(super) fn join(&mut self) -> Option<String> {
        let sign = ["\\", "&"].into_iter().find(|sign| {
            let ends = self.fitting(|line| line.strip_suffix(sign).is_some_and(|line| line.ends_with(' ')));
            let mut pairs = self.all.windows(2).filter(|pair| ends[pair[0].1 as usize]).peekable();
            pairs.peek().is_some() && pairs.all(|pair| pair[1].0 > pair[0].0)
        })?;
        let ends = self.fitting(|line| line.ends_with(sign));
        let mut goes_on = false;
        self.all.retain(|(_, number)| !std::mem::replace(&mut goes_on, ends[*number as usize]));
        Some(sign.to_owned())
    }

    pub(super) fn structure(&self) -> (Structure, Braces) {
        let mut braces = Layout::default().braces;
        if self.any(|line| line.contains('{')) && self.any(|line| line.ends_with('}') || line.starts_with('}')) {
            braces.end = self.any(|line| line.contains(';')).then(|| ";".to_owned());
            return (Structure::Braces, braces);
        }
        if self.all.iter().any(|(indent, _)| *indent > 0) {
            return (Structure::Indent, braces);
        }
        let titled = self.any(|line| line.starts_with('[') && line.ends_with(']'));
        (if titled { Structure::Sections } else { Structure::Paths }, braces)
    }

    /// The words of each, in the order in which they come up, and how often it does.
    pub(super) fn worded(&self, splitter: &Splitter) -> Vec<Worded<'t>> {
        let mut places: Vec<Option<usize>> = vec![None; self.texts.len()];
        let mut worded: Vec<Worded<'t>> = Vec::new();
        let mut words = Vec::new();
        for (_, number) in &self.all {
            let place = *places[*number as usize].get_or_insert_with(|| {
                let line = self.texts[*number as usize];
                words.clear();
                splitter.split(line, 0, &mut words);
                worded.push(Worded { words: words.iter().map(|word| word.of(line)).collect(), often: 0 });
                worded.len() - 1
            });
            worded[place].often += 1;
        }
        worded
    }

    /// The lines that stand before deeper ones, each once.
    pub(super) fn openers(&self) -> impl Iterator<Item = &'t str> {
        let mut opens = vec![false; self.texts.len()];
        self.all.windows(2).filter(|pair| pair[1].0 > pair[0].0).for_each(|pair| opens[pair[0].1 as usize] = true);
        self.texts.iter().copied().zip(opens).filter_map(|(text, opens)| opens.then_some(text))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// The lines outside comments, one by one.
    fn outside(lines: Vec<(u32, &str)>) -> (Vec<(u32, &str)>, bool) {
        let (mut inside, mut found, mut kept) = (false, false, Vec::new());
        for (indent, line) in lines.iter().copied() {
            let begins = line.starts_with("/*");
            if !inside && !begins {
                kept.push((indent, line));
                continue;
            }
            found |= begins;
            inside = !line.contains("*/");
        }
        if inside { (lines, false) } else { (kept, found) }
    }

    /// The lines that do not go on from the one before.
    fn whole(lines: Vec<(u32, &str)>) -> (Vec<(u32, &str)>, Option<String>) {
        let sign = ["\\", "&"].into_iter().find(|sign| {
            let ends = |line: &str| line.strip_suffix(sign).is_some_and(|line| line.ends_with(' '));
            let mut pairs = lines.windows(2).filter(|pair| ends(pair[0].1)).peekable();
            pairs.peek().is_some() && pairs.all(|pair| pair[1].0 > pair[0].0)
        });
        let Some(sign) = sign else { return (lines, None) };
        let (mut goes_on, mut kept) = (false, Vec::new());
        for (indent, line) in lines {
            if !goes_on {
                kept.push((indent, line));
            }
            goes_on = line.ends_with(sign);
        }
        (kept, Some(sign.to_owned()))
    }

    fn shown<'t>(lines: &TextLines<'t>) -> Vec<(u32, &'t str)> {
        lines.all.iter().map(|(indent, number)| (*indent, lines.texts[*number as usize])).collect()
    }

    fn text() -> impl Strategy<Value = String> {
        const SAID: &[&str] = &["/* x", "y */", "/* z */", "a \\", "b &", "c", "c d", "", "e\\", "# f"];
        let line = (0_usize..3, proptest::sample::select(SAID));
        let line = line.prop_map(|(deep, said)| format!("{}{said}\n", " ".repeat(deep)));
        proptest::collection::vec(line, 0..12).prop_map(|lines| lines.concat())
    }

    proptest! {
        /// Kept once or one by one, of one text or of several: the same lines are left, and the same words come up as often.
        #[test]
        fn lines_kept_once_are_the_lines(texts in proptest::collection::vec(text(), 1..4)) {
            let texts: Vec<&str> = texts.iter().map(String::as_str).collect();
            let all = texts.iter().flat_map(|text| crate::syntax::lines(text)).filter(|line| !line.text.is_empty());
            let plain: Vec<(u32, &str)> = all.map(|line| (line.indent, line.text)).collect();
            let mut kept = TextLines::of(&texts);
            prop_assert_eq!(shown(&kept), plain.clone());
            let (plain, found) = outside(plain);
            prop_assert_eq!(kept.drop_block_comments(), found);
            prop_assert_eq!(shown(&kept), plain.clone());
            kept.keep(|line| !line.starts_with('#'));
            let plain = plain.into_iter().filter(|(_, line)| !line.starts_with('#')).collect();
            let (plain, sign) = whole(plain);
            prop_assert_eq!(kept.join(), sign);
            prop_assert_eq!(shown(&kept), plain.clone());
            prop_assert_eq!(kept.count(|line| line.starts_with('c')), plain.iter().filter(|(_, line)| line.starts_with('c')).count());
            let mut ordered: Vec<(Vec<&str>, usize)> = Vec::new();
            for (_, line) in &plain {
                let words: Vec<&str> = line.split(' ').collect();
                match ordered.iter_mut().find(|(known, _)| known.join(" ") == *line) {
                    Some((_, often)) => *often += 1,
                    None => ordered.push((words, 1)),
                }
            }
            let worded: Vec<_> = kept.worded(&Splitter::new("")).into_iter().map(|line| (line.words, line.often)).collect();
            prop_assert_eq!(worded, ordered);
            let opening = plain.windows(2).filter(|pair| pair[1].0 > pair[0].0).map(|pair| pair[0].1);
            let opening: std::collections::BTreeSet<&str> = opening.collect();
            prop_assert_eq!(kept.openers().collect::<std::collections::BTreeSet<&str>>(), opening);
        }
    }
}

//! Whether a text is one whole configuration, of the switch whose folder it stands in: cut texts, two in one file, the text
//! of another switch.

use std::sync::Arc;

use super::doubt::from_text;
use crate::dialect::{Captured, Dialect, Reading, Statement};
use crate::model::{Mark, Remark, Switch, Torn, settings};
use crate::sorted;
use crate::source::Source;

/// So many statements stand between the headers of two configurations at least.
const APART: usize = 3;

/// Notes where a text is torn.
pub(super) fn note(dialect: &Dialect, source: &Source, reading: &Reading, switch: &mut Switch) {
    second(dialect, source, reading, switch);
    last(dialect, source, reading, switch);
    // A block that is not closed says it all.
    let is_open = switch.torn.iter().any(|(_, torn)| *torn == Torn::Block);
    let in_statement = switch.torn.iter().any(|(_, torn)| *torn == Torn::Statement);
    switch.torn.retain(|(_, torn)| match torn {
        Torn::Line => !is_open && !in_statement,
        Torn::Statement => !is_open,
        _ => true,
    });
    sorted::plain(&mut switch.torn);
    switch.torn.dedup();
}

/// A header that comes again, and a name that is another switch's.
fn second(dialect: &Dialect, source: &Source, reading: &Reading, switch: &mut Switch) {
    let mut header: Option<(usize, u32)> = None;
    let mut named: Option<Arc<str>> = None;
    for (position, statement) in reading.statements.iter().enumerate() {
        let rule = dialect.rules().get(statement.rule as usize).filter(|rule| rule.glance.may_head);
        let Some(rule) = rule.filter(|_| !statement.negated && !statement.leads) else { continue };
        let is_outside = || reading.openers(statement).next().is_none();
        let is_header = rule.says_name() || is_outside() && dialect.is_header(source.text(), statement.mark);
        if !is_header {
            continue;
        }
        if let Some(name) = name_said(dialect, source, reading, statement) {
            match &named {
                None => other_switch(statement.mark, &name, switch),
                Some(first) if *first != name => {
                    switch.torn.push((statement.mark, Torn::Second));
                    return;
                }
                Some(_) => {}
            }
            named.get_or_insert(name);
        }
        match header {
            Some((first, of)) if of == statement.rule && position - first > APART => {
                switch.torn.push((statement.mark, Torn::Second));
                return;
            }
            Some(_) => {}
            None => header = Some((position, statement.rule)),
        }
    }
}

fn name_said(dialect: &Dialect, source: &Source, reading: &Reading, statement: &Statement) -> Option<Arc<str>> {
    let rule = dialect.rules().get(statement.rule as usize)?;
    let effect = rule.effects.iter().find(|effect| effect.setting == settings::NAME.id)?;
    let hole = effect.change.operands().iter().find_map(|operand| operand.hole())?;
    match reading.captured(dialect, statement, hole) {
        Captured::Text(word) => Some(word.of(source.text()).trim_matches(['"', '\'']).into()),
        Captured::Int(number) => Some(number.to_string().into()),
        _ => None,
    }
}

/// Whether a configuration names itself as a sister of the switch in whose folder it stands. Where names and folders follow
/// unlike customs nobody can say, and a remark tells.
fn other_switch(mark: Mark, name: &str, switch: &mut Switch) {
    let (folder, said) = (parts(&switch.name), parts(name));
    let within = |some: &[String], all: &[String]| some.iter().all(|part| all.contains(part));
    if within(&folder, &said) || within(&said, &folder) {
        return;
    }
    let is_word = |part: &&String| part.len() > 1 && part.bytes().all(|b| b.is_ascii_alphabetic());
    if folder.iter().filter(is_word).any(|part| said.contains(part)) {
        switch.torn.push((mark, Torn::OtherSwitch));
        return;
    }
    let text = format!("the configuration names the switch {name}, its folder is {}", switch.name);
    let file = switch.files.get(usize::from(mark.file)).map(|file| file.path().to_owned());
    switch.remarks.push(Remark { about: switch.name.to_string(), file, line: Some(mark.line), text });
}

/// The runs of letters and of digits of a name, small, sorted; leading zeros left out.
fn parts(name: &str) -> Vec<String> {
    let mut parts: Vec<String> = Vec::new();
    let mut last = None;
    for letter in name.to_lowercase().chars() {
        let class = (letter.is_alphanumeric(), letter.is_ascii_digit());
        if class.0 {
            match parts.last_mut().filter(|_| last == Some(class)) {
                Some(part) => part.push(letter),
                None => parts.push(letter.to_string()),
            }
        }
        last = Some(class);
    }
    for part in &mut parts {
        let short = part.trim_start_matches('0');
        if !short.is_empty() && part.bytes().all(|b| b.is_ascii_digit()) {
            *part = short.to_owned();
        }
    }
    sorted::plain(&mut parts);
    parts
}

/// A text that ends inside a line, or without the line that a whole one ends with.
fn last(dialect: &Dialect, source: &Source, reading: &Reading, switch: &mut Switch) {
    let text = source.text();
    let Some(statement) = reading.statements.last() else { return };
    match dialect.ends_whole(text) {
        Some(Ok(())) => {}
        Some(Err(Some(mark))) => switch.torn.push((mark, Torn::Second)),
        Some(Err(None)) => switch.torn.push((statement.mark, Torn::End)),
        // The last word of a text without a line end, where a longer one could have stood.
        None if statement.words().end == text.len() && !statement.negated => {
            let rule = dialect.rules().get(statement.rule as usize);
            let cut = rule.is_some_and(|rule| rule.effects.iter().any(|effect| from_text(&effect.change)));
            switch.torn.extend(cut.then_some((statement.mark, Torn::Line)));
        }
        None => {}
    }
}

#[cfg(test)]
mod tests {
    use super::parts;
    use rstest::rstest;

    #[rstest]
    #[case("sw1", "SW-01", true)]
    #[case("nq-desks-1", "desks1.nq", true)]
    #[case("sw1", "sw99", false)]
    #[case("a1b2", "a1", false)]
    fn names_are_compared_by_their_parts(#[case] one: &str, #[case] other: &str, #[case] same: bool) {
        assert_eq!(parts(one) == parts(other), same);
    }
}

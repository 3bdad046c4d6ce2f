//! Answers in the text of a dialect: rules filled in where they stand, new ones beside those of their context, defaults beside those of
//! their feature. Comments and everything else stay as they are.

use std::fmt::Write as _;

use super::Refused;
use crate::dialect::Open;
use crate::source::quoted;

/// Fills in the open rule of a question, or writes the rule that it asks for: with this pattern and these lines.
pub(super) fn rule(text: &str, open: &Open, pattern: &str, says: &[String]) -> Result<String, Refused> {
    let lines: Vec<&str> = text.lines().collect();
    match open.rule {
        Some(line) => filled(&lines, line, open, pattern, says),
        None => Ok(added(&lines, open, pattern, says)),
    }
}

/// The lines of the table that a line stands in: from its heading to the next one.
fn table_of(lines: &[&str], line: u32) -> (usize, usize) {
    let at = (line as usize).saturating_sub(1).min(lines.len().saturating_sub(1));
    let is_heading = |line: &&str| line.starts_with('[');
    let start = (0..=at).rev().find(|at| lines.get(*at).is_some_and(is_heading)).unwrap_or(0);
    let end = (start + 1..lines.len()).find(|at| lines.get(*at).is_some_and(is_heading)).unwrap_or(lines.len());
    (start, end)
}

fn filled(lines: &[&str], line: u32, open: &Open, pattern: &str, says: &[String]) -> Result<String, Refused> {
    let (start, end) = table_of(lines, line);
    let table = lines.get(start..end).unwrap_or_default();
    if !table.iter().any(|line| line.trim() == "about = \"open\"") {
        let what = format!("the rule of line {line} says `about = \"open\"` together with others");
        return Err(Refused::Says(what, "give it a `[[rule]]` of its own".into()));
    }
    let is_proposal = |line: &str| {
        ["# sets = ", "# pattern = ", "# profile = ", "# uses = ", "# ports = ", "# vlan = "]
            .iter()
            .any(|key| line.starts_with(key))
    };
    let mut out: Vec<String> = Vec::new();
    for line in table.iter().filter(|line| !is_proposal(line)) {
        let drops_block = says == ["about = \"nothing\""] && line.starts_with("opens = ");
        match *line {
            "about = \"open\"" => out.extend(says.iter().cloned()),
            line if line.starts_with("pattern = ") => out.push(format!("pattern = {}", quoted(pattern))),
            _ if drops_block => {}
            line => out.push(line.to_owned()),
        }
    }
    let mut all: Vec<String> = lines.iter().take(start).map(|line| (*line).to_owned()).collect();
    all.extend(out);
    all.extend(lines.iter().skip(end).map(|line| (*line).to_owned()));
    if let (Some(context), true) = (&open.opens, says == ["about = \"nothing\""]) {
        all = without_context(all, context);
    }
    Ok(all.join("\n") + "\n")
}

/// The rules that stand in a context alone are gone with what opens it; so are those of the contexts that they open.
fn without_context(lines: Vec<String>, context: &str) -> Vec<String> {
    let shown: Vec<&str> = lines.iter().map(String::as_str).collect();
    if shown.iter().any(|line| *line == format!("opens = {}", quoted(context))) {
        return lines;
    }
    let own = format!("in = {}", quoted(context));
    let Some(at) = shown.iter().position(|line| *line == own) else {
        // Where it is one of several the others stay.
        let among = |line: &String| {
            let Some(list) = line.strip_prefix("in = [") else { return line.clone() };
            let names: Vec<&str> =
                list.trim_end_matches(']').split(", ").filter(|name| *name != quoted(context)).collect();
            if let [one] = names[..] { format!("in = {one}") } else { format!("in = [{}]", names.join(", ")) }
        };
        return lines.iter().map(among).collect();
    };
    let (start, end) = table_of(&shown, at as u32 + 1);
    let opened = shown.get(start..end).unwrap_or_default().iter().find_map(|line| line.strip_prefix("opens = "));
    let opened = opened.map(|name| name.trim_matches('"').to_owned());
    // The count above it goes with it.
    let start = if start > 0 && shown[start - 1].starts_with("# ") { start - 1 } else { start };
    let end = if end < shown.len() && shown[end - 1].starts_with("# ") { end - 1 } else { end };
    let mut left: Vec<String> = shown[..start].iter().map(|line| (*line).to_owned()).collect();
    left.extend(shown[end..].iter().map(|line| (*line).to_owned()));
    let left = without_context(left, context);
    match opened {
        Some(opened) => without_context(left, &opened),
        None => left,
    }
}

fn added(lines: &[&str], open: &Open, pattern: &str, says: &[String]) -> String {
    let mut table = format!("# {} line(s)\n[[rule]]\n", open.lines.len());
    let context = open.contexts.first().map_or("top", String::as_str);
    if context != "top" {
        let _ = writeln!(table, "in = {}", quoted(context));
    }
    let _ = writeln!(table, "pattern = {}", quoted(pattern));
    if lines.contains(&"negation = \"default\"") {
        table.push_str("negation = \"default\"\n");
    }
    let is_idle = says == ["about = \"nothing\""];
    if let Some(opens) = open.opens.as_ref().filter(|_| !is_idle) {
        let _ = writeln!(table, "opens = {}", quoted(opens));
    }
    says.iter().for_each(|line| _ = writeln!(table, "{line}"));
    // Behind the last rule of its context, else behind the last rule.
    let wanted = format!("in = {}", quoted(context));
    let rules: Vec<usize> = (0..lines.len()).filter(|at| lines[*at] == "[[rule]]").collect();
    let of_context = |at: &&usize| {
        let (start, end) = table_of(lines, **at as u32 + 1);
        let contexts = lines[start..end].iter().find(|line| line.starts_with("in = "));
        contexts.map_or(context == "top", |line| **line == wanted)
    };
    let behind = rules.iter().rfind(of_context).or(rules.last());
    let at = behind.map_or(lines.len(), |at| {
        let (start, end) = table_of(lines, *at as u32 + 1);
        let end =
            end - lines[start..end].iter().rev().take_while(|line| line.is_empty() || line.starts_with("# ")).count();
        end.max(start + 1)
    });
    let (front, back) = lines.split_at(at);
    let blank = if back.first().is_none_or(|line| line.is_empty()) { "" } else { "\n" };
    let back = if back.is_empty() { String::new() } else { back.join("\n") + "\n" };
    format!("{}\n\n{table}{blank}{back}", front.join("\n"))
}

/// Says of a whole feature that it is off where the text is silent; none where something is said of it already.
pub(super) fn feature_off(text: &str, feature: &str) -> Option<String> {
    let front = format!("{feature} = ");
    let is_said = text.lines().any(|line| line.starts_with(&front));
    (!is_said).then(|| entry(text, "defaults", "", feature, &quoted("off")))
}

/// Puts values into a section, each beside what is there of its feature: `[defaults]` or `[traits]`.
pub(super) fn entry(text: &str, section: &str, feature: &str, key: &str, value: &str) -> String {
    let mut lines: Vec<String> = text.lines().map(str::to_owned).collect();
    let heading = format!("[{section}]");
    if !lines.contains(&heading) {
        let is_table = |line: &String| line.starts_with("[[") || line.starts_with("[traits");
        let mut first = lines.iter().position(is_table).unwrap_or(lines.len());
        while first > 0 && lines[first - 1].starts_with('#') {
            first -= 1;
        }
        lines.splice(first..first, [heading.clone(), String::new()]);
    }
    let start = lines.iter().position(|line| *line == heading).unwrap_or_default();
    let end = (start + 1..lines.len()).find(|at| lines[*at].starts_with('[')).unwrap_or(lines.len());
    let own = if feature.is_empty() { String::new() } else { format!("{feature} = ") };
    let there = (start + 1..end).find(|at| !own.is_empty() && lines[*at].starts_with(&own));
    match there {
        // The whole feature is off: what is not stands beside it by its whole name.
        Some(at) if lines[at].ends_with('"') => lines.insert(at + 1, format!("\"{feature}.{key}\" = {value}")),
        // One table on one line: it goes in at the end of it, where there is room.
        Some(at) if lines[at].ends_with('}') && lines[at].len() + key.len() + value.len() < 110 => {
            let line = lines[at].trim_end_matches('}').trim_end().to_owned();
            lines[at] = format!("{line}, {key} = {value} }}");
        }
        Some(at) if lines[at].ends_with('}') => {
            let table = lines[at][own.len()..].to_owned();
            let list = [format!("{own}["), format!("    {table},"), format!("    {{ {key} = {value} }},"), "]".into()];
            lines.splice(at..=at, list);
        }
        Some(at) => {
            let close = (at..end).find(|at| lines[*at].starts_with(']')).unwrap_or(at + 1);
            let last = lines[close - 1].trim_end_matches(',').to_owned();
            if last.ends_with('}') && last.len() + key.len() + value.len() < 110 {
                lines[close - 1] = format!("{}, {key} = {value} }},", last.trim_end_matches('}').trim_end());
            } else {
                lines.insert(close, format!("    {{ {key} = {value} }},"));
            }
        }
        None => {
            let mut at = end;
            while at > start + 1 && (lines[at - 1].is_empty() || lines[at - 1].starts_with("# ")) {
                at -= 1;
            }
            let line = if own.is_empty() { format!("{key} = {value}") } else { format!("{own}{{ {key} = {value} }}") };
            lines.insert(at, line);
        }
    }
    lines.join("\n") + "\n"
}

//! A finding, word for word: its sentence, the settings in force, the lines that prove it, what was calculated.

use yellowlegs_core::finding::{EvidenceKind, Finding};

pub(crate) fn shown(finding: &Finding) -> String {
    let settings = finding.settings.iter().map(|setting| {
        let value = setting.value.as_ref().map_or_else(|| "unknown".to_owned(), ToString::to_string);
        format!("{}={value} ({})", setting.name, setting.origin.word())
    });
    let lines = finding.evidence.iter().map(|line| {
        let place = match (&line.file, line.line) {
            (Some(file), Some(number)) if line.kind == EvidenceKind::Line => format!("{file}:{number}"),
            (Some(file), Some(number)) => format!("{:?} {file}:{number}", line.kind).to_lowercase(),
            _ => format!("{:?}", line.kind).to_lowercase(),
        };
        format!("{place} `{}`", line.text.trim())
    });
    let inputs = finding.inputs.iter().map(|(name, value)| format!("{name}={value}"));
    let related = finding.related.iter().map(|other| other.port.as_deref().unwrap_or(&other.switch).to_owned());
    let part = |title: &str, words: Vec<String>| {
        if words.is_empty() { String::new() } else { format!("\n    {title}: {}", words.join("; ")) }
    };
    format!(
        "{:?} {}{}: {}\n    do: {}{}{}{}{}\n",
        finding.level,
        place(finding),
        finding.vlan.map(|vlan| format!(" VLAN {vlan}")).unwrap_or_default(),
        finding.message,
        finding.remedy,
        part("in force", settings.collect()),
        part("lines", lines.collect()),
        part("with", inputs.collect()),
        part("beside", related.collect()),
    )
}

fn place(finding: &Finding) -> String {
    let port = finding.port.as_deref().unwrap_or("switch");
    match finding.switch.as_deref() {
        // The tables of cases are of one switch alone.
        Some("t") => port.to_owned(),
        Some(switch) => format!("{switch} {port}"),
        None => "nowhere".to_owned(),
    }
}

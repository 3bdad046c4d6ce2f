//! Whether what was read is one whole configuration of this switch, and has all that it uses by name.

use crate::check::{Check, Judgement, Run, SwitchView, Tally, Unknown, Verdict, Violation};
use crate::finding::Related;
use crate::policy::Level;

pub(super) const TORN: Check = Check {
    id: "config/torn",
    title: "the text is not one whole configuration of this switch",
    level: Level::Risk,
    reference: "docs/audit.md, What is not understood",
    why: "A file that was cut, two configurations in one file or that of another switch read like any other. What is \
          missing behind the tear would have been judged, and what stands there may not be in force.",
    remedy: "Fetch the configuration again, whole; where the text is right, tell the dialect how such texts end.",
    run: Run::Switch(torn),
    ..Check::ROW
};

fn torn(on: &SwitchView<'_>) -> Judgement {
    let mut tally = Tally::default();
    for (mark, torn) in on.switch().torn() {
        let mut violation = Violation::saying("{says}").fact("says", torn.says()).and_line(Some(*mark));
        violation.apart = Some(torn.says().to_owned());
        tally.add(Ok(Some(violation)));
    }
    tally.judgement()
}

pub(super) const DANGLING: Check = Check {
    id: "config/dangling",
    title: "something is used by name and described nowhere",
    level: Level::Risk,
    reference: "docs/dialects.md, Profiles",
    why: "What ports do not find they do without: guards that everybody believes to be there, for the line that uses them \
          stands on the port. Some systems take such a line and do nothing, others do what nobody knows.",
    remedy: "Describe {name}, or take it off the ports that use it.",
    run: Run::Switch(dangling),
    ..Check::ROW
};

fn dangling(on: &SwitchView<'_>) -> Judgement {
    let name = |port: &usize| on.switch().ports().get(*port).map(ToString::to_string);
    let violations: Vec<Violation> = on
        .switch()
        .dangling()
        .iter()
        .map(|dangling| {
            let switch = on.switch().name();
            let related = dangling.ports.iter().filter_map(name);
            let related = related.map(|port| Related { switch: switch.clone(), port: Some(port.into()) }).collect();
            let mut violation = Violation::saying("the {what} {name} is used on {count} port(s) and described nowhere")
                .fact("what", dangling.what)
                .fact("name", &*dangling.name)
                .fact("count", dangling.ports.len() as u32)
                .and_line(dangling.mark)
                .related(related);
            violation.apart = Some(format!("{} {}", dangling.what, dangling.name));
            violation
        })
        .collect();
    if violations.is_empty() && on.switch().may_use() {
        return Err(Unknown::fact("lines that are understood"));
    }
    Ok(if violations.is_empty() { Verdict::Met } else { Verdict::Violated(violations) })
}

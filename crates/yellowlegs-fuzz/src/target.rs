//! What is tried with a mangled text: one function a kind of input. Each ends or panics; what it says is looked at where there is
//! something to hold it against.

use std::sync::Arc;

use fastrand::Rng;
use yellowlegs_core::check::{self, Earlier, Selection};
use yellowlegs_core::dialect::{Dialect, sketch};
use yellowlegs_core::drill::script::Script;
use yellowlegs_core::mend::{Answers, DEPENDENCIES, NoPlan, Order, Site, plan as make};
use yellowlegs_core::model::{DoubtWidth, Oid, Record, Scope, SettingId};
use yellowlegs_core::policy::{AsOf, Inventory, InventoryFile, Policy};
use yellowlegs_core::resolve::{Resolved, State, differences, explain, resolve_walked, resolve_with, run_examples};
use yellowlegs_core::source::{Problem, Source};
use yellowlegs_core::walk;

use yellowlegs_gather::entries;
use yellowlegs_gather::talk::{Next, Talk};

use crate::mangle::mangled;
use crate::oracle::{self, Verdicts, newly_met, verdicts};
use crate::seeds::{ANSWERS, DRILL, ENTRIES, EXPRESSIONS, INVENTORY, POLICY, SYSTEMS, System};

/// A kind of input, and one try with it.
pub struct Target {
    /// Its name.
    pub name: &'static str,
    /// One try; what is wrong, where it can be told without a panic.
    pub run: fn(&mut Rng) -> Result<(), String>,
}

/// All of them.
pub const ALL: [Target; 15] = [
    Target { name: "dialect", run: of_dialect },
    Target { name: "configuration", run: configuration },
    Target { name: "state", run: state },
    Target { name: "policy", run: policy },
    Target { name: "record", run: record },
    Target { name: "drill", run: drill },
    Target { name: "expression", run: expression },
    Target { name: "since", run: since },
    Target { name: "inventory", run: inventory },
    Target { name: "audit", run: audit },
    Target { name: "answers", run: answers },
    Target { name: "plan", run: plan },
    Target { name: "session", run: session },
    Target { name: "switches", run: switches },
    Target { name: "walk", run: walk_of_anything },
];

fn system(rng: &mut Rng) -> System {
    SYSTEMS[rng.usize(..SYSTEMS.len())]
}

/// A text of one system, mangled with one of another.
fn of_two(rng: &mut Rng, part: fn(System) -> &'static str) -> String {
    let (one, other) = (part(system(rng)), part(system(rng)));
    mangled(rng, one, other)
}

fn holds(holds: bool, what: impl FnOnce() -> String) -> Result<(), String> {
    if holds { Ok(()) } else { Err(what()) }
}

fn of_dialect(rng: &mut Rng) -> Result<(), String> {
    let text = of_two(rng, |system| system.dialect);
    match Dialect::load(&Arc::new(Source::of("d.toml", text.as_str()))) {
        Ok(dialect) => drop(run_examples(&Arc::new(dialect))),
        Err(problems) => placed(&problems, &text)?,
    }
    Ok(())
}

/// What is wrong with a text is told, and stands in it.
fn placed(problems: &[Problem], text: &str) -> Result<(), String> {
    let lines = text.lines().count() + 1;
    let stray = problems.iter().find(|problem| problem.place.line as usize > lines);
    holds(stray.is_none() && !problems.is_empty(), || format!("{stray:?} of {lines} lines"))
}

fn dialects() -> Vec<Arc<Dialect>> {
    SYSTEMS.iter().filter_map(|system| oracle::dialect(system.dialect)).collect()
}

fn configuration(rng: &mut Rng) -> Result<(), String> {
    let text = of_two(rng, |system| system.config);
    let source = Arc::new(Source::of("c.txt", text.as_str()));
    for dialect in dialects() {
        let reading = dialect.read(&source, 1);
        let words = text.split_whitespace().count() + text.matches(['{', '}', ';', '/', '*']).count();
        let kept = reading.statements.len() + reading.not_taken().count();
        holds(kept <= words + 1, || format!("{kept} statements of {words} words"))?;
        holds(reading.unread.len() == reading.unread_at.len(), || "unread lines without a place".to_owned())?;
        let resolved = resolve_with("t", &dialect, Arc::clone(&source), &State::default());
        let record = resolved.record().map_err(|error| error.to_string())?;
        let again: Record = serde_json::from_slice(&record).map_err(|error| error.to_string())?;
        drop(again.into_switch("t"));
        let lines = text.lines().count();
        holds(explain(&dialect, &source).len() == lines, || format!("not {lines} lines explained"))?;
    }
    drop(sketch("new", &[&text]));
    Ok(())
}

fn state(rng: &mut Rng) -> Result<(), String> {
    let text = of_two(rng, |system| system.state);
    let source = Source::of("s.out", text.as_str());
    let as_of = "2031-03-04T06:30:00Z".parse().map_err(|error| format!("{error}"))?;
    for dialect in dialects() {
        let read = dialect.read_state(&source, 1, as_of);
        let most = 2 * text.len() + 4_096;
        holds(read.facts.len() <= most, || format!("{} facts of {} bytes", read.facts.len(), text.len()))?;
    }
    Ok(())
}

fn policy(rng: &mut Rng) -> Result<(), String> {
    let other = system(rng).dialect;
    let text = mangled(rng, POLICY, other);
    match Policy::load(&Arc::new(Source::of("p.toml", text.as_str())), &check::ids()) {
        Ok(_) => Ok(()),
        Err(problems) => placed(&problems, &text),
    }
}

fn record(rng: &mut Rng) -> Result<(), String> {
    let System { dialect, config, .. } = system(rng);
    let Some(dialect) = oracle::dialect(dialect) else { return Err("the seed is no dialect".to_owned()) };
    let record = oracle::read(&dialect, config).record().map_err(|e| e.to_string())?;
    let record = String::from_utf8(record).map_err(|e| e.to_string())?;
    let text = mangled(rng, &record, &record);
    if let Ok(record) = serde_json::from_str::<Record>(&text) {
        let resolved = Resolved::from_record(record.into_switch("sw1"));
        drop(verdicts(&Policy::default(), &resolved));
    }
    Ok(())
}

fn drill(rng: &mut Rng) -> Result<(), String> {
    let text = mangled(rng, DRILL, POLICY);
    match Script::load(&Source::of("d.toml", text.as_str())) {
        Ok(_) => Ok(()),
        Err(problems) => placed(&problems, &text),
    }
}

fn expression(rng: &mut Rng) -> Result<(), String> {
    let when = mangled(rng, EXPRESSIONS, EXPRESSIONS).replace(['\n', '\r', '\'', '\u{0}'], " ");
    let rule = format!("[[rule]]\nid = 'house/x'\nmessage = 'm'\nremedy = 'r'\nwhen = '''{when}'''\n");
    if let Ok(policy) = Policy::load(&Arc::new(Source::of("p.toml", rule)), &check::ids()) {
        let System { dialect, config, .. } = SYSTEMS[2];
        let dialect = oracle::dialect(dialect).ok_or("the seed is no dialect")?;
        drop(verdicts(&policy, &oracle::read(&dialect, config)));
    }
    Ok(())
}

fn since(rng: &mut Rng) -> Result<(), String> {
    const REPORT: &str = r#"{"report": 1, "as_of": "2031-03-04T06:30:00Z", "findings": [{"check": "port-security/off", "level": "breach",
        "switch": "sw1", "port": "1.1", "vlan": null, "role": "desk", "message": "m", "fingerprint": "f", "waiver": null,
        "inputs": {"count": 4, "sources": "1.1 both"}, "related": [{"switch": "sw1", "port": null}]}], "fleet_findings": []}"#;
    let text = mangled(rng, REPORT, REPORT);
    let earlier = serde_json::from_str::<Earlier>(&text);
    let compared = earlier.as_ref().is_ok_and(|earlier| earlier.report == 1);
    drop(earlier.map(|earlier| check::Comparison::new(earlier, &Selection::default())));
    holds(compared || text != REPORT, || "the report itself is none".to_owned())
}

fn inventory(rng: &mut Rng) -> Result<(), String> {
    let other = system(rng).config;
    let text = mangled(rng, INVENTORY, other);
    match Inventory::parse(&Source::of("s.csv", text.as_str()), &InventoryFile::default()) {
        Ok(_) => Ok(()),
        Err(problems) => placed(&problems, &text),
    }
}

fn answers(rng: &mut Rng) -> Result<(), String> {
    let text = mangled(rng, ANSWERS, POLICY);
    match Answers::load(&Source::of("a.toml", text.as_str())) {
        Ok(answers) => {
            // What is written of it is read again as the same.
            let written = answers.text(&[]);
            let again = Answers::load(&Source::of("a.toml", written.as_str()));
            holds(again.as_ref() == Ok(&answers), || format!("{text}\n── written ──\n{written}"))
        }
        Err(problems) => placed(&problems, &text),
    }
}

/// A session in whatever pieces, of a switch that is what it says or not: only what the dialect says is typed, and no more is kept than came.
fn session(rng: &mut Rng) -> Result<(), String> {
    const MOST: usize = 1 << 16;
    let system = SYSTEMS.iter().find(|system| system.dialect.contains("\n[session]")).ok_or("no seed has a session")?;
    let dialect = oracle::dialect(system.dialect).ok_or("the seed is no dialect")?;
    let session = dialect.session().ok_or("the seed has no session")?.clone();
    let prompt = session.prompts.first().map(|prompt| prompt.of("pier-1")).unwrap_or_default();
    let mut written = format!("\r\n{prompt}");
    for send in session.paging_off.iter().chain(session.commands.iter().map(|command| &command.send)) {
        let text = if rng.bool() { system.config } else { system.state };
        written.extend([send, "\r\n", &text.replace('\n', "\r\n"), &prompt]);
    }
    written.extend(["\r\n", &prompt]);
    let is_whole = rng.u8(0..4) == 0;
    let written = if is_whole { written } else { mangled(rng, &written, system.config) };
    let mut talk = Talk::new(Arc::clone(&dialect), MOST, Arc::new(|_: &str| true)).ok_or("no session")?;
    let (mut left, mut typed) = (written.as_bytes(), 0);
    while !left.is_empty() {
        // A whole one is read as a switch writes it: it waits at each prompt.
        let piece = if is_whole {
            let text = std::str::from_utf8(left).map_err(|error| error.to_string())?;
            text.find(&prompt).map_or(left.len(), |at| at + prompt.len())
        } else {
            rng.usize(1..=left.len().min(200))
        };
        let (bytes, rest) = left.split_at(piece);
        left = rest;
        if talk.hear(bytes).is_err() {
            return holds(written.len() > MOST, || format!("endless: {written}"));
        }
        match talk.act() {
            Ok(Some(Next::Type(text))) => {
                let line = text.trim_end_matches('\r');
                let said = session.commands.iter().map(|command| &command.send).chain(&session.paging_off);
                let known = line.is_empty() || *line == *session.turn || { said }.any(|send| **send == *line);
                holds(known, || format!("{text:?} is typed, and no dialect says so"))?;
                typed += 1;
            }
            Ok(Some(Next::Secret(answer))) => return Err(format!("{answer:?} is asked for, and no dialect says so")),
            Ok(None) => {}
            Ok(Some(Next::Done)) | Err(_) => break,
        }
    }
    let kept: usize = talk.into_parts().0.iter().map(|came| came.text.len()).sum();
    holds(kept <= 4 * written.len(), || format!("{kept} bytes kept of {}", written.len()))?;
    let all = session.paging_off.len() + session.commands.len() + 1;
    holds(!is_whole || typed == all, || format!("{typed} of {all} things are typed: {written}"))
}

/// Who is asked: read, or refused with a place in it.
fn switches(rng: &mut Rng) -> Result<(), String> {
    let text = mangled(rng, ENTRIES, POLICY);
    match entries::read(&Source::of("switches.toml", text.as_str())) {
        Ok(all) => {
            let apart = |entry: &entries::Entry| all.iter().filter(|other| other.folder == entry.folder).count() == 1;
            holds(all.iter().all(apart), || format!("two switches in one folder: {text}"))
        }
        Err(problems) => placed(&problems, &text),
    }
}

/// What an agent is said to have answered: read in steps that follow its length, and without a line nothing is told that was not.
fn walk_of_anything(rng: &mut Rng) -> Result<(), String> {
    let System { dialect, config, state, .. } = system(rng);
    let dialect = oracle::dialect(dialect).ok_or("the seed is no dialect")?;
    let tables = State { texts: vec![Arc::new(Source::of("t.out", state))], ..State::default() };
    let switch = resolve_with("sw1", &dialect, Arc::new(Source::of("c.txt", config)), &tables).switch;
    let told = walk::objects_of(&switch, &Oid::new([1, 3, 6, 1, 4, 1, 32473]));
    let mut lines = Vec::new();
    for root in walk::ROOTS {
        let below: Vec<_> = told.iter().filter(|(oid, _)| oid.arcs().starts_with(root)).collect();
        lines.extend(below.iter().map(|(oid, value)| walk::line(oid.arcs(), value)));
        lines.push(walk::walked_line(root, below.len()));
    }
    let read = |text: &str| {
        let walks = vec![Arc::new(Source::of("a.walk", text))];
        let read = resolve_walked("sw1", Some(&dialect), &State { walks, ..State::default() });
        read.doubtful(DoubtWidth::Block).map_or(read.switch, |doubtful| doubtful.resolved.switch)
    };
    let whole = lines.join("\n") + "\n";
    if rng.bool() {
        let text = mangled(rng, &whole, config);
        let switch = read(&text);
        return holds(switch.facts().len() <= text.lines().count(), || format!("more facts than lines: {text}"));
    }
    let whole = read(&whole);
    let missing = rng.usize(0..lines.len());
    lines.remove(missing);
    let torn = read(&(lines.join("\n") + "\n"));
    for (port, name) in torn.ports().iter().enumerate() {
        for id in SettingId::of(Scope::Port) {
            let slot = torn.slot(Some(port), id);
            let was = whole.port_index(name.as_str()).and_then(|port| whole.slot(Some(port), id).value.clone());
            holds(slot.value.is_none() || slot.value == was, || {
                format!("{name} {}: {:?}, and {was:?} with line {missing}", id.name(), slot.value)
            })?;
        }
    }
    Ok(())
}

/// A switch with whatever text is mended: every line that is written is of one line and says the same when all is read anew.
fn plan(rng: &mut Rng) -> Result<(), String> {
    let System { dialect, config, .. } = system(rng);
    let other = system(rng).config;
    let config = if rng.bool() { mangled(rng, config, other) } else { config.to_owned() };
    let dialect = oracle::dialect(dialect).ok_or("the seed is no dialect")?;
    let (policy, as_of) = (oracle::policy(POLICY), AsOf::parse("2031-03-04T06:30:00Z").map_err(|p| format!("{p:?}"))?);
    let mut site = Site::new(&policy, &as_of);
    let before = oracle::read(&dialect, &config);
    site.push(site.judged(before.clone()));
    let rows: Vec<_> = DEPENDENCIES.iter().collect();
    let order = Order {
        picks: &|_| true,
        answers: &Answers::default(),
        each_port: rng.bool(),
        hold_back: rng.bool(),
        touching_from: rng.usize(1..3),
        rows: &rows,
        tells: &|_, _| {},
    };
    let made = match make(&site, &order) {
        Err(NoPlan::Cycle(_)) => return Ok(()),
        Err(problem @ NoPlan::Unlike { .. }) => return Err(format!("{problem}\n{config}")),
        Ok(made) => made,
    };
    let lines: Vec<String> = made.steps.iter().flat_map(|step| step.text.iter().cloned()).collect();
    let strange = lines.iter().find(|line| line.contains(char::is_control));
    holds(strange.is_none(), || format!("{strange:?} is more than a line"))?;
    let begun = if config.is_empty() || config.ends_with('\n') { "" } else { "\n" };
    let whole = lines.iter().fold(format!("{config}{begun}"), |text, line| text + line + "\n");
    let (anew, after) = (oracle::read(&dialect, &whole), made.after.switches().next().ok_or("the switch is gone")?);
    let unlike = differences(&anew, after);
    holds(made.proof.broke.is_some() || unlike.is_empty(), || format!("{unlike:?} by\n{lines:#?}\nbehind\n{config}"))
}

/// The whole way, and the oracle: a rule is taken from the dialect, or words of a line are bent, so that the line is not
/// understood; then nothing may be met that was not.
fn audit(rng: &mut Rng) -> Result<(), String> {
    let System { dialect: text, config, .. } = system(rng);
    // Half of the time of a text that was mangled before.
    let other = system(rng).config;
    let config = if rng.bool() { mangled(rng, config, other) } else { config.to_owned() };
    let dialect = oracle::dialect(text).ok_or("the seed is no dialect")?;
    let policy = oracle::policy(POLICY);
    let before = oracle::read(&dialect, &config);
    let told = verdicts(&policy, &before);
    // Held to the oracle is what is taken from a text that was wholly understood: what two lines that nobody understands mean
    // together, such as a membership and a guard of the VLAN, is not followed.
    if !before.switch.unread().is_empty() || !before.switch.torn().is_empty() || !before.switch.dangling().is_empty() {
        return Ok(());
    }
    if rng.bool() {
        without_a_rule(rng, text, &config, &policy, (&before, &told))
    } else {
        with_a_bent_line(rng, &dialect, &config, &policy, (&before, &told))
    }
}

fn without_a_rule(
    rng: &mut Rng,
    text: &str,
    config: &str,
    policy: &Policy,
    (before, told): (&Resolved, &Verdicts),
) -> Result<(), String> {
    let rules = oracle::rules(text);
    let (from, to) = rules[rng.usize(..rules.len())];
    let Some(less) = oracle::dialect(&format!("{}{}", &text[..from], &text[to..])) else { return Ok(()) };
    let after = oracle::read(&less, config);
    if !unreads_more(before, &after) {
        return Ok(());
    }
    let mut met = newly_met(told, &verdicts(policy, &after));
    // Without the rule nobody knows that anything is used by name.
    if text[from..to].contains("uses = ") {
        met.retain(|place| !place.ends_with("config/dangling"));
    }
    holds(met.is_empty(), || format!("without the rule\n{}\nnewly met: {met:?}\n{config}", &text[from..to]))
}

fn with_a_bent_line(
    rng: &mut Rng,
    dialect: &Arc<Dialect>,
    config: &str,
    policy: &Policy,
    (before, told): (&Resolved, &Verdicts),
) -> Result<(), String> {
    let mut lines: Vec<String> = config.split_inclusive('\n').map(str::to_owned).collect();
    if lines.is_empty() {
        return Ok(());
    }
    let at = rng.usize(..lines.len());
    let bent = lines[at].clone();
    let words: Vec<&str> = bent.split_whitespace().collect();
    if words.is_empty() {
        return Ok(());
    }
    let word = words[rng.usize(..words.len())];
    lines[at] = bent.replacen(word, &crate::mangle::bent(rng, word), 1);
    let after = oracle::read(dialect, &lines.concat());
    // Only a line that is not understood any more is less; another meaning is another meaning.
    if !unreads_more(before, &after) {
        return Ok(());
    }
    let met = newly_met(told, &verdicts(policy, &after));
    holds(met.is_empty(), || {
        format!("`{}` for `{}`\nnewly met: {met:?}\n{config}", lines[at].trim_end(), bent.trim_end())
    })
}

fn unreads_more(before: &Resolved, after: &Resolved) -> bool {
    after.switch.unread().len() > before.switch.unread().len()
}

//! `yellowlegs dialect`: settings, test, explain, sketch.

use std::path::Path;
use std::process::ExitCode;
use std::sync::Arc;

use yellowlegs_core::check;
use yellowlegs_core::dialect::{Dialect, sketch_with_state};
use yellowlegs_core::drill::left_open;
use yellowlegs_core::model::SettingId;
use yellowlegs_core::resolve::{explain, explain_state, run_examples};
use yellowlegs_core::source::{Problem, Source};

use super::moment;
use crate::args::{DialectFormat, DialectTask, Explain, Loudness, Settings, Sketch, Test};
use crate::failure::Failure;
use crate::output;
use crate::render::{dialect as page, write_json};

pub(super) fn run(task: &DialectTask, loudness: Loudness) -> Result<ExitCode, Failure> {
    match task {
        DialectTask::Settings(args) => settings(args, loudness),
        DialectTask::Test(args) => test(args, loudness),
        DialectTask::Explain(args) => explained(args, loudness),
        DialectTask::Sketch(args) => sketched(args),
        DialectTask::Teach(args) => super::teach::run(args, loudness),
    }
}

pub(super) fn source(path: &Path) -> Result<Arc<Source>, Failure> {
    let bytes = crate::fleet::regular(path).map_err(|error| Failure::path(path, error))?;
    let shown = path.display().to_string();
    Source::decode(shown, bytes).map(Arc::new).map_err(|at| Failure::Problems(vec![Problem::from(at)]))
}

pub(super) fn load(path: &Path) -> Result<Arc<Dialect>, Failure> {
    Dialect::load(&source(path)?).map(Arc::new).map_err(Failure::Problems)
}

fn settings(args: &Settings, loudness: Loudness) -> Result<ExitCode, Failure> {
    let wanted = args.name.as_deref().unwrap_or_default();
    let mut out = output::stdout(loudness.color);
    let list = page::Catalogue::new(wanted);
    if list.is_empty() {
        let near = yellowlegs_core::source::nearest(wanted, SettingId::all().map(SettingId::name));
        let hint = near.map_or_else(|| "without a name all are listed".into(), |n| format!("did you mean `{n}`?"));
        return Err(Failure::usage(format!("no setting, fact, trait or type begins with `{wanted}`"), hint));
    }
    let written = match args.format {
        DialectFormat::Json => write_json(&mut out, &list),
        DialectFormat::Text => list.write(&mut out),
    };
    written.and_then(|()| out.flush()).map_err(Failure::stdout)?;
    Ok(ExitCode::SUCCESS)
}

fn test(args: &Test, loudness: Loudness) -> Result<ExitCode, Failure> {
    let dialect = load(&args.file)?;
    let failed = run_examples(&dialect);
    let mut out = output::stdout(loudness.color);
    let written = page::tested(
        &mut out,
        &dialect,
        &failed,
        &check::out_of_reach(&dialect),
        &left_open(&dialect),
        output::look(loudness, false),
    );
    written.and_then(|()| out.flush()).map_err(Failure::stdout)?;
    Ok(ExitCode::from(u8::from(!failed.is_empty())))
}

fn explained(args: &Explain, loudness: Loudness) -> Result<ExitCode, Failure> {
    let dialect = load(&args.file)?;
    let mut out = output::stdout(loudness.color);
    let written = match &args.text {
        None => page::rules(&mut out, &dialect),
        Some(text) => {
            let text = source(text)?;
            let explained = if args.state {
                explain_state(&dialect, &text, moment(args.as_of.as_deref(), None)?.moment())
            } else {
                explain(&dialect, &text)
            };
            page::lines(&mut out, &dialect, &explained, args.unread, args.raw)
        }
    };
    written.and_then(|()| out.flush()).map_err(Failure::stdout)?;
    Ok(ExitCode::SUCCESS)
}

fn sketched(args: &Sketch) -> Result<ExitCode, Failure> {
    let sources: Vec<Arc<Source>> = args.files.iter().map(|f| source(f)).collect::<Result<_, _>>()?;
    let texts: Vec<&str> = sources.iter().map(|s| s.text()).collect();
    let state: Vec<Arc<Source>> = args.state.iter().map(|f| source(f)).collect::<Result<_, _>>()?;
    let tables: Vec<&str> = state.iter().map(|s| s.text()).collect();
    let sketch = sketch_with_state(&args.name, &texts, &tables).ok_or_else(|| {
        Failure::usage("there is no line to learn from", "name files that hold configurations of one system")
    })?;
    let mut out = output::content();
    std::io::Write::write_all(&mut out, sketch.as_bytes()).and_then(|()| out.flush()).map_err(Failure::stdout)?;
    Ok(ExitCode::SUCCESS)
}

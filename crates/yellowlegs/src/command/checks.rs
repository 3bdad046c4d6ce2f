//! `yellowlegs checks`: the catalogue; one check explained.

use std::process::ExitCode;

use yellowlegs_core::check::{self, Check};
use yellowlegs_core::source::nearest;

use crate::args::{Checks, ChecksFormat, Color};
use crate::failure::Failure;
use crate::output;
use crate::render::{catalogue_json, catalogue_text, explain};

pub(super) fn run(args: &Checks, color: Color) -> Result<ExitCode, Failure> {
    let chosen: Vec<&'static Check> = match &args.id {
        None => check::all().collect(),
        Some(id) => {
            let family = id.trim_end_matches("/*").trim_end_matches('/');
            let found: Vec<_> = check::all().filter(|c| c.id == id || c.family() == family).collect();
            if found.is_empty() {
                return Err(unknown(id));
            }
            found
        }
    };
    let mut out = output::stdout(color);
    let written = match (args.format, chosen.as_slice()) {
        (ChecksFormat::Json, all) => catalogue_json(&mut out, all),
        (ChecksFormat::Text, [one]) if args.id.as_deref() == Some(one.id) => explain(&mut out, one),
        (ChecksFormat::Text, all) => catalogue_text(&mut out, all),
    };
    written.and_then(|()| out.flush()).map_err(Failure::stdout)?;
    Ok(ExitCode::SUCCESS)
}

/// An unknown check, with the nearest one.
pub(super) fn unknown(id: &str) -> Failure {
    let families = check::all().map(Check::family);
    let near = nearest(id, check::ids().into_iter().chain(families));
    let hint = near.map_or_else(|| "`yellowlegs checks` lists them".into(), |n| format!("did you mean `{n}`?"));
    Failure::usage(format!("`{id}` is no check or family"), hint)
}

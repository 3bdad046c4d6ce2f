//! The report as a page: one file that asks nobody for anything, with the front panels, filters, and both sides of every finding.

mod view;

use std::io::{self, Write};

use askama::Template;
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use sha2::{Digest as _, Sha256};

use super::whole::{Kept, Whole};
use super::{Format, Tail};
use view::Page;

/// For people.
pub(crate) const FORMAT: Format = Format {
    name: "html",
    about: "For people: one page with front panels and filters",
    endings: &["html"],
    has_colours: false,
    make: |_| Kept::until_whole(write),
};

/// The page's own style and script; nothing else may run on it.
const STYLE: &str =
    concat!(include_str!("../../../templates/colours.css"), include_str!("../../../templates/report.css"));
const SCRIPT: &str = include_str!("../../../templates/report.js");

#[derive(Template)]
#[template(path = "report.html")]
struct Document {
    page: Page,
    style: &'static str,
    style_hash: String,
    script: &'static str,
    script_hash: String,
}

/// How a content security policy (level 3, 2.3.1) names a text that may run.
pub(crate) fn hash(text: &str) -> String {
    format!("sha256-{}", STANDARD.encode(Sha256::digest(text)))
}

fn write(out: &mut dyn Write, whole: &Whole, tail: &Tail<'_>) -> io::Result<()> {
    let document = Document {
        page: Page::of(whole, tail),
        style: STYLE,
        style_hash: hash(STYLE),
        script: SCRIPT,
        script_hash: hash(SCRIPT),
    };
    document.write_into(out)
}

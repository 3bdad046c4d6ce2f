//! The front panels alone, as one SVG 1.1 picture, for a wiki or a ticket.

use std::io::{self, Write};

use askama::Template;
use yellowlegs_core::finding::Standing;

use super::drawing::{Drawing, draw, symbol};
use super::whole::{Kept, Whole, ports_of};
use super::{Format, Tail, clean};

/// Panels.
pub(crate) const FORMAT: Format = Format {
    name: "svg",
    about: "The front panels alone, as a picture",
    endings: &["svg"],
    has_colours: false,
    make: |_| Kept::until_whole(write),
};

#[derive(Template)]
#[template(path = "panels.svg", escape = "html")]
struct Picture {
    title: String,
    width: u32,
    height: u32,
    legend: Vec<(u32, &'static str, &'static str)>,
    panels: Vec<Placed>,
}

struct Placed {
    y: u32,
    name: String,
    about: String,
    drawing: Drawing,
}

fn write(out: &mut dyn Write, whole: &Whole, tail: &Tail<'_>) -> io::Result<()> {
    let (mut y, mut width) = (76, 640);
    let mut panels = Vec::new();
    for outcome in &whole.switches {
        let Some(row) = &outcome.row else { continue };
        let ports = ports_of(outcome, tail);
        let drawing = draw(&ports);
        let violating = ports.iter().filter(|port| port.standing.is_violating()).count();
        let about = format!("{} ports, {violating} violating", row.ports);
        let height = drawing.height;
        width = width.max(drawing.width);
        panels.push(Placed { y, name: clean(&row.switch).into_owned(), about, drawing });
        y += height + 44;
    }
    let legend = (0..).zip(Standing::ALL).map(|(n, standing)| (n * 128, symbol(standing), standing.word())).collect();
    let picture =
        Picture { title: clean(&whole.head.title()).into_owned(), width: width + 32, height: y + 8, legend, panels };
    picture.write_into(out)?;
    writeln!(out)
}

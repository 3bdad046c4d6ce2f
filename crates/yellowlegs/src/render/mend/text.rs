//! The plan for people: what, where, why, in which order, who is touched, how to go back, what proves it.

use std::io::{self, Write};

use super::Ticket;
use super::view::{StepView, View};
use crate::render::clean;
use crate::render::look::Look;
use crate::render::style::{BOLD, DIM, GOOD, PLACE, level, paint};
use crate::render::wrap::wrapped;
use yellowlegs_core::policy::Level;

/// Columns before what is said of a step.
const LEAD: usize = 14;

/// The whole plan; with -q without its steps.
pub(crate) fn text(out: &mut dyn Write, ticket: &Ticket<'_>, look: &Look) -> io::Result<()> {
    let view = View::of(ticket.plan);
    wrapped(out, &format!("{}  ", paint(BOLD, &view.size)), 2, &clean(&ticket.head.title()), look.width)?;
    for phase in view.phases.iter().filter(|_| !look.is_quiet()) {
        writeln!(out, "\n{}", paint(BOLD, &format!("Phase {}", phase.number)))?;
        if let Some(wait) = &phase.wait {
            wrapped(out, "  ", 2, &format!("Begin it after {wait}."), look.width)?;
        }
        for (switch, steps) in &phase.switches {
            writeln!(out, "\n{}", paint(PLACE, &clean(switch)))?;
            steps.iter().try_for_each(|step| one(out, step, look))?;
        }
    }
    rest(out, &view, look)
}

/// One step.
fn one(out: &mut dyn Write, step: &StepView, look: &Look) -> io::Result<()> {
    let (place, what) = step.what.rsplit_once("  ").unwrap_or(("", &step.what));
    let place = if place.is_empty() { String::new() } else { format!("{place}  ") };
    let lead = format!("  {:>4}  {}", step.number, paint(BOLD, &clean(&place)));
    wrapped(out, &lead, 8, &clean(what), look.width)?;
    let mut said = |lead: &str, words: &str| {
        wrapped(out, &format!("        {}", paint(DIM, &format!("{lead:<6}"))), LEAD, &clean(words), look.width)
    };
    said("for", &step.reasons)?;
    step.after.iter().try_for_each(|after| said("after", after))?;
    step.once.iter().try_for_each(|once| said("once", once))?;
    for touch in &step.touches {
        let lead = format!("        {}", paint(level(Level::Risk), "touch "));
        wrapped(out, &lead, LEAD, &clean(touch), look.width)?;
    }
    lines(out, "type", &step.text)?;
    if step.undo.is_empty() {
        let words = "put the text of before in its place: no line says what was there";
        return wrapped(out, &format!("        {}", paint(DIM, "back  ")), LEAD, words, look.width);
    }
    lines(out, "back", &step.undo)
}

fn lines(out: &mut dyn Write, lead: &str, lines: &[String]) -> io::Result<()> {
    for (number, line) in lines.iter().enumerate() {
        let lead = if number == 0 { paint(DIM, &format!("{lead:<6}")) } else { " ".repeat(6) };
        writeln!(out, "        {lead}{}", clean(line))?;
    }
    Ok(())
}

/// What is saved, decided and done by people, and what proves the plan.
fn rest(out: &mut dyn Write, view: &View, look: &Look) -> io::Result<()> {
    if !view.back_up.is_empty() {
        writeln!(out, "\n{}", paint(BOLD, &format!("Ports to bring back: {}", view.back_up.len())))?;
    }
    for back in &view.back_up {
        wrapped(out, &format!("  {}  ", paint(PLACE, &clean(&back.place))), 4, &clean(&back.says), look.width)?;
        lines(out, "type", &back.lines)?;
    }
    if !view.saves.is_empty() {
        writeln!(out, "\n{}", paint(BOLD, "At the end, on each switch: save"))?;
        for (switch, words) in &view.saves {
            writeln!(out, "  {}  {}", paint(PLACE, &clean(switch)), clean(words))?;
        }
    }
    if !view.open.is_empty() {
        writeln!(out, "\n{}", paint(BOLD, &format!("To be decided: {}", view.open.len())))?;
        for open in &view.open {
            wrapped(out, "  ? ", 4, &clean(&open.asks), look.width)?;
            wrapped(out, &paint(DIM, "    "), 4, &clean(&open.takes), look.width)?;
            if let Some(refused) = &open.refused {
                wrapped(out, "    ", 4, &clean(&format!("`{refused}` is no answer to it")), look.width)?;
            }
        }
        let how = "`--answer FILE.toml` writes these questions into a file, and takes the answers from it.";
        wrapped(out, "  ", 2, how, look.width)?;
    }
    if !view.people.is_empty() {
        writeln!(out, "\n{}", paint(BOLD, &format!("For people: {}", view.people.len())))?;
    }
    for people in &view.people {
        let places = clean(&people.places.join(", ")).into_owned();
        wrapped(out, "  ", 4, &format!("{places}  {}", people.check), look.width)?;
        wrapped(out, "    ", 4, &clean(&people.what), look.width)?;
        if let Some(why) = &people.why {
            wrapped(out, "    ", 4, &clean(why), look.width)?;
        }
    }
    proof(out, view, look)
}

fn proof(out: &mut dyn Write, view: &View, look: &Look) -> io::Result<()> {
    writeln!(out, "\n{}", paint(BOLD, "Proof"))?;
    wrapped(out, "  ", 2, &view.result, look.width)?;
    for (of, words) in &view.new {
        wrapped(out, &format!("  {} ", paint(level(*of), "NEW")), 6, &clean(words), look.width)?;
    }
    let word = if view.safe { paint(GOOD, "safe") } else { paint(level(Level::Breach), "REFUSED") };
    wrapped(out, &format!("  {word} "), 7, &clean(&view.proof), look.width)
}

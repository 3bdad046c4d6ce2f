//! The plan as Markdown (`CommonMark`), for a ticket or a wiki. What comes from switches is never markup.

use std::io::{self, Write};

use super::Ticket;
use super::view::{StepView, View};
use crate::render::clean;
use crate::render::markdown::text;

/// The whole plan.
pub(crate) fn markdown(out: &mut dyn Write, ticket: &Ticket<'_>) -> io::Result<()> {
    let view = View::of(ticket.plan);
    writeln!(out, "# Change plan: {}\n\n{}.", text(&ticket.head.title()), view.size)?;
    writeln!(out, "\n## Proof\n\n{}\n", text(&view.result))?;
    writeln!(out, "{}{}", if view.safe { "" } else { "**Refused.** " }, text(&view.proof))?;
    for (_, words) in &view.new {
        writeln!(out, "\n- new: {}", text(words))?;
    }
    for phase in &view.phases {
        writeln!(out, "\n## Phase {}", phase.number)?;
        if let Some(wait) = &phase.wait {
            writeln!(out, "\nBegin it after {wait}.")?;
        }
        for (switch, steps) in &phase.switches {
            writeln!(out, "\n### {}", text(switch))?;
            steps.iter().try_for_each(|step| one(out, step))?;
        }
    }
    if !view.back_up.is_empty() {
        writeln!(out, "\n## Ports to bring back")?;
    }
    for back in &view.back_up {
        writeln!(out, "\n- {}: {}", text(&back.place), text(&back.says))?;
        code(out, "Type:", &back.lines)?;
    }
    if !view.saves.is_empty() {
        writeln!(out, "\n## Save, at the end\n")?;
        view.saves.iter().try_for_each(|(switch, words)| writeln!(out, "- {}: {}", text(switch), text(words)))?;
    }
    if !view.open.is_empty() {
        writeln!(out, "\n## To be decided\n")?;
        view.open.iter().try_for_each(|open| writeln!(out, "- {} ({})", text(&open.asks), text(&open.takes)))?;
    }
    if !view.people.is_empty() {
        writeln!(out, "\n## For people\n")?;
    }
    for people in &view.people {
        let why = people.why.as_ref().map(|why| format!(" ({why})")).unwrap_or_default();
        writeln!(
            out,
            "- {}, {}: {}",
            text(&people.places.join(", ")),
            text(&people.check),
            text(&format!("{}{why}", people.what))
        )?;
    }
    Ok(())
}

fn one(out: &mut dyn Write, step: &StepView) -> io::Result<()> {
    writeln!(out, "\n**{}.** {}\n", step.number, text(&step.what))?;
    writeln!(out, "- for {}", text(&step.reasons))?;
    step.after.iter().try_for_each(|after| writeln!(out, "- after {}", text(after)))?;
    step.once.iter().try_for_each(|once| writeln!(out, "- once, {}", text(once)))?;
    step.touches.iter().try_for_each(|touch| writeln!(out, "- **touches** {}", text(touch)))?;
    code(out, "Type:", &step.text)?;
    if step.undo.is_empty() {
        return writeln!(out, "\nWay back: put the text of before in its place; no line says what was there.");
    }
    code(out, "Way back:", &step.undo)
}

/// Lines as they are typed: indented, so that nothing in them can end the block.
fn code(out: &mut dyn Write, lead: &str, lines: &[String]) -> io::Result<()> {
    writeln!(out, "\n{lead}\n")?;
    lines.iter().try_for_each(|line| writeln!(out, "    {}", clean(line)))
}

//! The front panel of a switch, drawn with characters: a mark for the gravest thing that is said of each port.

use std::io::{self, Write};

use anstyle::{AnsiColor, Style};
use unicode_width::UnicodeWidthStr;
use yellowlegs_core::finding::{PortShown, Standing};

use super::super::clean;
use super::super::look::Look;
use super::super::panel::{Column, Group, groups};
use super::super::style::{DIM, level};
use super::super::wrap::without_colours;
use yellowlegs_core::policy::Level;

/// A letter that is clear without its colour.
fn mark(standing: Standing, plain: bool) -> &'static str {
    match standing {
        Standing::Breach => "B",
        Standing::Risk => "R",
        Standing::Waived => "w",
        Standing::Undetermined => "?",
        Standing::Advice => "a",
        Standing::Clean if plain => ".",
        Standing::Clean => "·",
    }
}

fn colour(standing: Standing) -> Style {
    match standing {
        // The ground is ours, so the letter's colour is, too: the terminal may be light or dark.
        Standing::Breach => AnsiColor::BrightWhite.on(AnsiColor::Red).bold(),
        Standing::Risk => AnsiColor::Black.on(AnsiColor::Yellow),
        Standing::Waived => DIM,
        Standing::Undetermined => AnsiColor::Magenta.on_default().bold(),
        Standing::Advice => level(Level::Advice),
        Standing::Clean => AnsiColor::Green.on_default(),
    }
}

/// What the marks mean.
pub(super) fn legend(look: &Look) -> String {
    let entry = |standing: &Standing| {
        format!("{} {}", look.paint(colour(*standing), mark(*standing, look.plain)), look.paint(DIM, standing.word()))
    };
    Standing::ALL.iter().map(entry).collect::<Vec<_>>().join("  ")
}

/// Some columns of a group: four lines of one width.
struct Piece {
    width: usize,
    lines: [String; 4],
}

/// Draws the ports, as many beside each other as the width allows.
pub(super) fn draw(out: &mut dyn Write, ports: &[PortShown], look: &Look) -> io::Result<()> {
    let room = look.width.saturating_sub(2).max(24);
    let mut row: Vec<Piece> = Vec::new();
    let pieces = groups(ports).into_iter().flat_map(|group| pieces(&group, room, look)).collect::<Vec<_>>();
    for piece in pieces {
        let used: usize = row.iter().map(|p| p.width + 2).sum();
        if !row.is_empty() && used + piece.width > room {
            told(out, &row)?;
            row.clear();
        }
        row.push(piece);
    }
    told(out, &row)
}

fn told(out: &mut dyn Write, row: &[Piece]) -> io::Result<()> {
    for line in 0..4 {
        let cells: Vec<&str> = row.iter().filter_map(|piece| piece.lines.get(line).map(String::as_str)).collect();
        let text = cells.join("  ");
        if without_colours(&text).trim().is_empty() {
            continue;
        }
        // The labels end with their colours.
        let shown = if line == 1 || line == 2 { text.trim_end() } else { &text };
        writeln!(out, "  {shown}")?;
    }
    Ok(())
}

/// A group, cut where it is wider than the room.
fn pieces(group: &Group<'_>, room: usize, look: &Look) -> Vec<Piece> {
    let front = clean(group.front).into_owned();
    let shown = |port: &PortShown| clean(group.label(port)).chars().take(room / 2).collect::<String>();
    let labels = group.columns.iter().flatten().flatten().map(|port| shown(port).width());
    let cell = labels.max().unwrap_or_default().max(3);
    let most = (room.saturating_sub(front.width() + 1) / (cell + 1)).max(1);
    group.columns.chunks(most).map(|columns| piece(group, &front, columns, cell, look)).collect()
}

fn piece(group: &Group<'_>, front: &str, columns: &[Column<'_>], cell: usize, look: &Look) -> Piece {
    let margin = " ".repeat(front.width() + 1);
    let label = |row: &mut String, port: Option<&PortShown>| {
        let text = port.map(|port| clean(group.label(port))).unwrap_or_default();
        let cut = text.char_indices().nth(cell).map_or(text.len(), |(end, _)| end);
        centre(row, &text[..cut], text[..cut].width(), cell);
    };
    let shown = |row: &mut String, port: Option<&PortShown>| {
        let Some(port) = port else { return centre(row, "", 0, cell) };
        let sign = mark(port.standing, look.plain);
        let box_ = if look.plain { format!("[{sign}]") } else { format!(" {sign} ") };
        centre(row, &look.paint(colour(port.standing), &box_), 3, cell);
    };
    let row = |half: usize, tell: &dyn Fn(&mut String, Option<&PortShown>)| {
        let mut row = String::with_capacity(columns.len() * (cell + 1));
        for (number, column) in columns.iter().enumerate() {
            row.push_str(if number > 0 { " " } else { "" });
            tell(&mut row, column[half]);
        }
        row
    };
    Piece {
        width: front.width() + 1 + columns.len() * (cell + 1) - 1,
        lines: [
            format!("{margin}{}", look.paint(DIM, &row(0, &label))),
            format!("{front} {}", row(0, &shown)),
            format!("{margin}{}", row(1, &shown)),
            format!("{margin}{}", look.paint(DIM, &row(1, &label))),
        ],
    }
}

/// Puts a text of so many columns into the middle of a cell.
fn centre(row: &mut String, text: &str, columns: usize, cell: usize) {
    let gap = cell.saturating_sub(columns);
    row.extend(std::iter::repeat_n(' ', gap / 2));
    row.push_str(text);
    row.extend(std::iter::repeat_n(' ', gap - gap / 2));
}

#[cfg(test)]
mod tests {
    use super::super::super::look::Amount;
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;
    use yellowlegs_core::model::PortName;

    fn drawn(ports: &[PortShown], plain: bool, width: usize) -> String {
        let look = Look { amount: Amount::Usual, each: false, plain, width };
        let mut out = Vec::new();
        draw(&mut out, ports, &look).unwrap();
        anstream::adapter::strip_str(&String::from_utf8(out).unwrap()).to_string()
    }

    fn port(name: String, standing: Standing) -> PortShown {
        PortShown { position: 0, name: PortName::new(name), role: None, description: None, standing }
    }

    /// Each standing has a letter of its own, with colours and without.
    #[rstest]
    #[case(true, "[B]|[R]|[w]|[?]|[a]|[.]")]
    #[case(false, " B | R | w | ? | a | · ")]
    fn marks_differ_without_their_colours(#[case] plain: bool, #[case] expected: &str) {
        let marks = Standing::ALL.map(|standing| {
            let text = drawn(&[port("1.1".into(), standing)], plain, 80);
            format!("{}   ", text.lines().nth(1).unwrap()).chars().skip(5).take(3).collect::<String>()
        });
        assert_eq!(marks.join("|"), expected);
    }

    proptest! {
        /// Names of any width, few ports or many: with colours a panel has what it has without, but for the marks.
        #[test]
        fn colours_move_nothing(
            names in prop::collection::vec("[a-c]{0,2}[0-9]{1,2}[./:][0-9\u{6f22}]{0,9}[0-9]{1,2}", 1..40),
            standings in prop::collection::vec(0..6_usize, 40),
            width in 30..140_usize,
        ) {
            let ports: Vec<PortShown> =
                names.into_iter().zip(standings).map(|(name, standing)| port(name, Standing::ALL[standing])).collect();
            let (plain, painted) = (drawn(&ports, true, width), drawn(&ports, false, width));
            let marks = |text: &str| text.replace(['[', ']'], " ").replace('·', ".");
            let lines = |text: &str| marks(text).lines().map(|line| line.trim_end().to_owned()).collect::<Vec<_>>();
            prop_assert_eq!(lines(&plain), lines(&painted));
        }
    }

    /// The narrower the terminal, the more rows; no port is lost and no line too long.
    #[rstest]
    #[case(200)]
    #[case(100)]
    #[case(80)]
    #[case(40)]
    fn panels_fit_the_width(#[case] width: usize) {
        let names =
            (1..=48).map(|n| format!("1.{n}")).chain((1..=4).map(|n| format!("uplink:{n}"))).chain(["console".into()]);
        let ports: Vec<PortShown> = names.map(|name| port(name, Standing::Risk)).collect();
        let text = drawn(&ports, true, width);
        assert_eq!(text.matches("[R]").count(), ports.len(), "{text}");
        assert!(text.lines().all(|line| line.width() <= width), "{text}");
        let numbers: Vec<&str> = text.split_whitespace().collect();
        assert!((1..=48).all(|n| numbers.contains(&&*n.to_string())) && numbers.contains(&"console"), "{text}");
    }
}

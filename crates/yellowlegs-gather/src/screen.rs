//! What a terminal would show of what a switch writes: lines, as they stand when the next begins. Escape sequences do nothing here, and what
//! is written over is gone, as the sign of a turned page is.

use vte::{Params, Parser, Perform};

/// A line that is longer is cut here; no text that can be read has one.
const LONGEST: usize = 64 << 10;

/// The lines, and the one that is being written.
#[derive(Default)]
pub(crate) struct Screen {
    parser: Parser,
    page: Page,
}

#[derive(Default)]
struct Page {
    lines: Vec<String>,
    line: Vec<char>,
    cursor: usize,
    /// Whether something of the line was written over: blanks at its end are what was rubbed out.
    rubbed: bool,
    /// Whether the line is taken for the sign of a page, until what follows says.
    set_aside: bool,
    bytes: usize,
    escapes: usize,
}

impl Screen {
    /// More of it.
    pub(crate) fn write(&mut self, bytes: &[u8]) {
        self.page.bytes += bytes.len();
        self.parser.advance(&mut self.page, bytes);
    }

    /// The line that is being written.
    pub(crate) fn last(&self) -> String {
        self.page.shown()
    }

    /// The lines before it.
    pub(crate) fn lines(&self) -> &[String] {
        &self.page.lines
    }

    /// Takes the lines, and leaves the one that is being written.
    pub(crate) fn take(&mut self) -> Vec<String> {
        self.page.bytes = self.page.line.len();
        std::mem::take(&mut self.page.lines)
    }

    /// Begins the line that is being written anew.
    pub(crate) fn rub(&mut self) {
        self.page.rub();
    }

    /// Sets aside the line that is being written, which may be the sign of a page or only end as one does. It is gone should its end, or a way
    /// back over it, follow; should text follow, it was the beginning of a line that came in two pieces.
    pub(crate) fn set_aside(&mut self) {
        self.page.set_aside = true;
    }

    /// So many bytes came since lines were taken.
    pub(crate) fn bytes(&self) -> usize {
        self.page.bytes
    }

    /// So many escape sequences and control signs came that do something on a terminal.
    pub(crate) fn escapes(&self) -> usize {
        self.page.escapes
    }
}

impl Page {
    fn rub(&mut self) {
        self.line.clear();
        self.cursor = 0;
        self.rubbed = true;
        self.set_aside = false;
    }

    /// What follows a line that was set aside goes on behind it, or it is gone.
    fn go_back(&mut self) {
        if self.set_aside {
            self.rub();
        }
    }

    fn shown(&self) -> String {
        if self.set_aside {
            return String::new();
        }
        let text: String = self.line.iter().collect();
        if self.rubbed { text.trim_end().to_owned() } else { text }
    }

    fn put(&mut self, sign: char) {
        self.set_aside = false;
        if let Some(there) = self.line.get_mut(self.cursor) {
            *there = sign;
            self.rubbed = true;
        } else if self.line.len() < LONGEST {
            self.line.push(sign);
        } else {
            return;
        }
        self.cursor += 1;
    }
}

impl Perform for Page {
    fn print(&mut self, sign: char) {
        self.put(sign);
    }

    fn execute(&mut self, byte: u8) {
        if matches!(byte, b'\n' | b'\r' | 0x08) {
            self.go_back();
        }
        match byte {
            b'\n' => {
                let line = self.shown();
                self.lines.push(line);
                self.line.clear();
                self.cursor = 0;
                self.rubbed = false;
            }
            b'\r' => self.cursor = 0,
            0x08 => self.cursor = self.cursor.saturating_sub(1),
            b'\t' => self.put('\t'),
            _ => self.escapes += usize::from(byte != 0),
        }
    }

    fn csi_dispatch(&mut self, params: &Params, _: &[u8], _: bool, action: char) {
        self.escapes += 1;
        // The rest of a line is rubbed out so by pagers: ECMA-48, 8.3.41.
        if action == 'K' && params.iter().next().and_then(|p| p.first().copied()).unwrap_or(0) != 1 {
            self.go_back();
            self.line.truncate(self.cursor);
            self.rubbed = true;
        }
    }

    fn osc_dispatch(&mut self, _: &[&[u8]], _: bool) {
        self.escapes += 1;
    }

    fn esc_dispatch(&mut self, _: &[u8], _: bool, _: u8) {
        self.escapes += 1;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("one\r\ntwo\r\n", &["one", "two"], "")]
    #[case("one\n-- more --\r          \r  two\n", &["one", "  two"], "")]
    #[case("-- more --\x08\x08\x08\x08\x08\x08\x08\x08\x08\x08          \x08\x08\x08\x08\x08\x08\x08\x08\x08\x08two\n", &["two"], "")]
    #[case("-- more --\r\x1b[Ktwo\n", &["two"], "")]
    #[case("a\x1b[31mb\x1b[0m\x1b]0;title\x07c  \n>", &["abc  "], ">")]
    #[case("tab\there\n\0", &["tab\there"], "")]
    fn lines_as_shown(#[case] written: &str, #[case] lines: &[&str], #[case] last: &str) {
        for piece in [1, 3, 1000] {
            let mut screen = Screen::default();
            written.as_bytes().chunks(piece).for_each(|bytes| screen.write(bytes));
            assert_eq!(screen.lines(), lines);
            assert_eq!(screen.last(), last);
        }
    }
}

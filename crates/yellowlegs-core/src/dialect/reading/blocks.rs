//! Which block each line of a text is in, in each of the four structures.

use super::block::{Block, Inside};
use super::remembered::Came;
use super::{Reader, UnreadAt};
use crate::dialect::compiled::Braced;
use crate::dialect::layout::Logical;
use crate::model::{Mark, Torn, Unread};
use crate::source::Word;
use crate::syntax::{Line, Nesting};

/// The blocks in braces that are open, each with the place where it begins.
type Blocks = Vec<(Block, Mark)>;

/// Deepest nesting that is followed; what is deeper has no context.
const DEEPEST: usize = 64;

impl Reader<'_> {
    pub(super) fn by_indent(&mut self, line: &mut Logical) {
        let mut nesting: Nesting<Block> = Nesting::default();
        loop {
            let around = |indent: u32| nesting.enclosing(indent).copied().unwrap_or(Block::TOP);
            if let Some((line, came)) = self.as_expected(around) {
                nesting.open(line.indent, came.inside);
                continue;
            }
            let Some(first) = self.lines.first() else { return };
            let block = nesting.enclosing(first.indent).copied().unwrap_or(Block::TOP);
            if let Some(inside) = self.line(first, line, block) {
                nesting.open(first.indent, inside);
            }
        }
    }

    pub(super) fn by_path(&mut self, line: &mut Logical) {
        loop {
            if self.as_expected(|_| Block::TOP).is_some() {
                continue;
            }
            let Some(first) = self.lines.first() else { return };
            self.line(first, line, Block::TOP);
        }
    }

    /// A line belongs to the innermost open section that knows it; the sections inside that one are over.
    pub(super) fn by_section(&mut self, line: &mut Logical) {
        let mut open: Vec<(Block, u32)> = Vec::new();
        // Whether a line of the innermost section stood deeper than its title.
        let mut deeper = false;
        while self.lines.next(line) {
            if self.is_close(line) {
                open.pop();
                continue;
            }
            let within = open.last().copied();
            let inside_unknown = within.is_some_and(|(block, _)| !matches!(block.inside(), Inside::Context(..)));
            let mut taken = None;
            let mut tried: Vec<usize> = Vec::new();
            for depth in (0..=open.len()).rev() {
                let block = depth.checked_sub(1).and_then(|i| open.get(i)).map_or(Block::TOP, |(block, _)| *block);
                // A context that is open twice knows no more lines than once.
                let Inside::Context(context, _) = block.inside() else { continue };
                if tried.contains(&context) {
                    continue;
                }
                tried.push(context);
                // Below an unknown title only another title is known.
                if inside_unknown && !self.opens_something(line, block) {
                    continue;
                }
                if let Some(inside) = self.take(line, block) {
                    taken = Some((depth, inside));
                    break;
                }
            }
            let is_deeper = within.is_some_and(|(_, indent)| line.indent > indent);
            match taken {
                Some((depth, inside)) => {
                    if depth < open.len() || !inside.is_closed() {
                        deeper = false;
                    }
                    deeper |= is_deeper && depth == open.len();
                    open.truncate(depth);
                    if !inside.is_closed() && open.len() < DEEPEST {
                        open.push((inside, line.indent));
                        deeper = false;
                    }
                }
                None => {
                    let outdented = deeper && !is_deeper;
                    let is_title = self.is_title(line)
                        || !inside_unknown && (outdented || self.dialect.looks_like_opener(self.text, &line.words));
                    let within = within.map(|(block, _)| block);
                    if within.is_some_and(Block::is_nothing) && !is_title {
                        continue;
                    }
                    let around = if is_title { Block::TOP } else { within.unwrap_or(Block::TOP) };
                    let unread = self.unread(line, around);
                    if is_title {
                        open.clear();
                        open.push((unread, line.indent));
                        deeper = false;
                    }
                }
            }
        }
    }

    /// Statements end at a line's end or at the sign that ends them; braces nest.
    pub(super) fn by_brace(&mut self, line: &mut Logical) {
        let mut blocks = Blocks::new();
        let mut whole = Logical::default();
        let signs = &self.dialect.layout.braces;
        loop {
            let around = blocks.last().map_or(Block::TOP, |(block, _)| *block);
            // In the middle of a statement a line means something else.
            let begins = whole.words.is_empty();
            if let Some((first, came)) = if begins { self.as_expected(|_| around) } else { None } {
                self.nest(&mut blocks, first, came);
                continue;
            }
            let Some(first) = self.lines.first() else { break };
            let asked = if begins { around.asks(first.text) } else { None };
            if let Some(came) = asked.and_then(|(asked, opener)| self.known(asked, first, opener)) {
                self.nest(&mut blocks, first, came);
                continue;
            }
            let (comments, from) = (self.lines.comments.len(), self.reading.statements.len() as u32);
            if !self.lines.whole(first, line) {
                continue;
            }
            let words = std::mem::take(&mut line.words);
            if let Some((braced, (asked, _))) = self.alone(&words).zip(asked)
                && !line.goes_on
                && self.lines.comments.len() == comments
            {
                let of_statement = words.iter().filter(|word| !self.is_sign(**word));
                of_statement.for_each(|word| whole.push(*word, line));
                let inside = if whole.words.is_empty() { Some(around) } else { self.take(&whole, around) };
                let came = Came { inside: inside.unwrap_or_else(|| self.unread(&whole, around)), braced };
                whole.words.clear();
                line.words = words;
                if inside.is_some() {
                    self.remember(asked, first, from, came);
                }
                self.nest(&mut blocks, first, came);
                continue;
            }
            for word in &words {
                let shown = word.of(self.text);
                if !self.is_sign(*word) {
                    whole.push(*word, line);
                    continue;
                }
                let block = blocks.last().map_or(Block::TOP, |(block, _)| *block);
                let begins = whole.words.first().copied().unwrap_or(*word);
                let place = self.mark_at(if whole.words.is_empty() { line.number } else { whole.number }, begins);
                let inside = self.statement(&mut whole, block);
                if shown == signs.open {
                    self.open(&mut blocks, inside, place);
                } else if shown == signs.close && blocks.pop().is_none() {
                    self.tear(Some(place), Torn::Close);
                }
            }
            line.words = words;
            if signs.end.is_none() {
                self.statement(&mut whole, blocks.last().map_or(Block::TOP, |(block, _)| *block));
            }
        }
        if let (Some(first), true) = (whole.words.first().copied(), signs.end.is_some()) {
            let place = self.mark_at(whole.number, first);
            self.tear(Some(place), Torn::Statement);
        }
        self.statement(&mut whole, blocks.last().map_or(Block::TOP, |(block, _)| *block));
        if let Some((_, place)) = blocks.first().copied() {
            self.tear(Some(place), Torn::Block);
        }
    }

    fn is_sign(&self, word: Word) -> bool {
        let (signs, shown) = (&self.dialect.layout.braces, word.of(self.text));
        shown == signs.open || shown == signs.close || signs.end.as_deref() == Some(shown)
    }

    /// What a line does to braces that is one statement with the sign behind it, or nothing but the sign that closes a block; nothing where
    /// it is more, or less.
    fn alone(&self, words: &[Word]) -> Option<Braced> {
        let signs = &self.dialect.layout.braces;
        let (last, before) = words.split_last()?;
        if before.iter().any(|word| self.is_sign(*word)) {
            return None;
        }
        match last.of(self.text) {
            close if close == signs.close => before.is_empty().then_some(Braced::Closes),
            _ if before.is_empty() && self.is_sign(*last) => None,
            open if open == signs.open => Some(Braced::Opens),
            _ => (self.is_sign(*last) || signs.end.is_none()).then_some(Braced::Nothing),
        }
    }

    /// Opens or closes a block, as a line does that has nothing else on it.
    fn nest(&mut self, blocks: &mut Blocks, line: Line<'_>, came: Came) {
        let place =
            Mark { file: self.file, line: line.number, offset: line.start as u32, width: line.text.len() as u32 };
        match came.braced {
            Braced::Nothing => {}
            Braced::Opens => self.open(blocks, came.inside, place),
            Braced::Closes => {
                if blocks.pop().is_none() {
                    self.tear(Some(place), Torn::Close);
                }
            }
        }
    }

    fn open(&mut self, blocks: &mut Blocks, inside: Block, place: Mark) {
        let inside = if blocks.len() < DEEPEST { inside } else { self.too_deep(place) };
        blocks.push((inside, place));
    }

    /// What stands deeper than anybody nests is not followed: it is told as if a line were not understood.
    fn too_deep(&mut self, place: Mark) -> Block {
        let position = self.reading.unread.len() as u32;
        self.reading.unread_at.push(UnreadAt::Context(0, None));
        self.reading.unread.push(Unread { mark: place, shape: "…".into() });
        Block::unread(position)
    }

    /// The statement gathered so far, if there is one.
    fn statement(&mut self, whole: &mut Logical, block: Block) -> Block {
        if whole.words.is_empty() {
            return block;
        }
        let inside = if block.is_nothing() {
            block
        } else {
            self.beside_others(whole, block).unwrap_or_else(|| self.unread(whole, block))
        };
        whole.words.clear();
        inside
    }
}

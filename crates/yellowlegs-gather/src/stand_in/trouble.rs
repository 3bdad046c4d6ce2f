//! What can go wrong with a switch, played on purpose.

/// A trouble of one stand-in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Trouble {
    /// It takes no connection.
    Refuses,
    /// It takes no password.
    WrongPassword,
    /// It is let in, and says nothing more.
    Hangs,
    /// The connection ends in the middle of the first text.
    Stops,
    /// It shows another key than the known one.
    ChangedKey,
    /// Signs without sense in the place of texts.
    Garbage,
    /// The first time, two pages of each text are lost.
    LostPages,
    /// A line of each text looks like the prompt.
    PromptInside,
    /// A notice in the place of texts, as where an account may not read.
    Notice,
    /// It writes one byte at a time.
    Slow,
    /// The first text does not end.
    Endless,
    /// It sends escape sequences with every line.
    Escapes,
}

impl Trouble {
    /// Each with its name and what it does.
    pub const ALL: [(Self, &'static str, &'static str); 12] = [
        (Self::Refuses, "refuses", "takes no connection"),
        (Self::WrongPassword, "wrong-password", "takes no password"),
        (Self::Hangs, "hangs", "lets in, and says nothing more"),
        (Self::Stops, "stops", "ends in the middle of the first text"),
        (Self::ChangedKey, "changed-key", "shows another key than the known one"),
        (Self::Garbage, "garbage", "writes signs without sense in the place of texts"),
        (Self::LostPages, "lost-pages", "loses two pages of each text, the first time"),
        (Self::PromptInside, "prompt-inside", "writes a line like its prompt into each text"),
        (Self::Notice, "notice", "writes a notice in the place of texts"),
        (Self::Slow, "slow", "writes one byte at a time"),
        (Self::Endless, "endless", "never ends the first text"),
        (Self::Escapes, "escapes", "sends escape sequences with every line"),
    ];

    /// By its name.
    pub fn by_name(name: &str) -> Option<Self> {
        Self::ALL.iter().find(|(_, known, _)| *known == name).map(|(trouble, ..)| *trouble)
    }
}

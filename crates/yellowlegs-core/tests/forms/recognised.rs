//! Texts are known by a line near their beginning: as it stands there, a comment too, or by a statement of several on a
//! line or of one over lines.

use rstest::rstest;
use yellowlegs_core::source::Source;

use super::dialect;

fn language(structure: &str, lines: &str) -> String {
    format!(
        "[dialect]\nname = 'x'\n[ports]\nnames = ['<n>']\n[text]\nstructure = '{structure}'\ncomment = '#'\n\
         [recognise]\nlines = [{lines}]\n[[rule]]\npattern = 'z'\n"
    )
}

const BRACES: &str = "braces'\nend = ';'\nblock-comment = ['/*', '*/']\n#'";

#[rstest]
#[case::a_line("indent", "'tern release <n:int>'", "# made by hand\ntern release 2\n", true)]
#[case::a_comment("indent", "'# tern config of <w:word>'", "# tern config of x\nport 1\n", true)]
#[case::a_comment_alone("indent", "'# tern config of <w:word>'", "# tern config\nport 1\n", false)]
#[case::both("indent", "'# tern <w:rest>', 'release <n:int>'", "# tern of x\nrelease 2\n", true)]
#[case::only_one("indent", "'# tern <w:rest>', 'release <n:int>'", "# tern of x\n# release 2\n", false)]
#[case::the_second_on_a_line(BRACES, "'reef <w:word>'", "set a; reef x; set b;\n", true)]
#[case::over_lines(BRACES, "'reef <w:word> of <v:word>'", "set a; reef\n  x of\n  y;\n", true)]
#[case::an_opener(BRACES, "'reef <w:word>'", "set a { b; } reef x { c; }\n", true)]
#[case::a_comment_of_braces(BRACES, "'/*' reef <w:word> '*/'", "/* reef x */\nset a;\n", true)]
#[case::in_the_middle_of_one(BRACES, "'reef <w:word>'", "set reef x;\n", false)]
#[case::too_far_down("indent", "'tern release <n:int>'", &("x\n".repeat(60) + "tern release 2\n"), false)]
fn known_or_not(#[case] structure: &str, #[case] lines: &str, #[case] text: &str, #[case] expected: bool) {
    let text_of =
        language(structure, lines).replace("#''", "#'").replace("/*' reef", "/* reef").replace("> '*/'", "> */'");
    let text_of = text_of.replace("\n#'\n", "\n");
    assert_eq!(dialect(&text_of).recognises(&Source::of("t", text)), expected, "{text_of}");
}

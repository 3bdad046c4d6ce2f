//! What the linker leaves out of the released program, where it is one that can: together a seventh of it.
//!
//! - Functions of the same machine code are kept once.
//! - The tables by which a program goes on after a fault of its own, for this one ends with its message. A profile with debug lines keeps
//!   them, for they tell who called whom. Tests that are built like the release (`cargo test --release`) end at the first that fails.
//!
//! Each is tried on an empty program first: linkers that do not know it refuse, and nothing is asked of them.

use std::env::{var, var_os};
use std::ffi::OsString;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

fn main() {
    println!("cargo:rerun-if-changed=build.rs");
    let says = |name: &str, wanted: &str| var_os(name).is_some_and(|value| value == wanted);
    if says("OPT_LEVEL", "0") || !says("CARGO_CFG_TARGET_OS", "linux") {
        return;
    }
    let Some(folder) = var_os("OUT_DIR").map(PathBuf::from) else { return };
    let mut asks = vec![vec!["-Wl,--icf=all".to_owned()]];
    if says("DEBUG", "false") {
        asks.extend(without_unwinding(&folder));
    }
    let mut granted: Vec<String> = Vec::new();
    for ask in asks {
        let all = [granted.clone(), ask].concat();
        if is_well(&folder, &all) == Some(true) {
            granted = all;
        }
    }
    for ask in granted {
        println!("cargo:rustc-link-arg-bins={ask}");
    }
}

/// To leave the tables out by which a stack is unwound.
fn without_unwinding(folder: &Path) -> Option<Vec<String>> {
    let script = folder.join("no_unwinding.ld");
    std::fs::write(&script, "SECTIONS { /DISCARD/ : { *(.eh_frame) *(.eh_frame_hdr) } } INSERT AFTER .text;\n").ok()?;
    Some(vec![format!("-Wl,-T,{}", script.to_str()?), "-Wl,--no-eh-frame-hdr".to_owned()])
}

/// Whether an empty program is linked with what is asked, and runs where it is built for this machine.
fn is_well(folder: &Path, asks: &[String]) -> Option<bool> {
    let (source, program) = (folder.join("empty.rs"), folder.join("empty"));
    std::fs::write(&source, "fn main() {}\n").ok()?;
    let target = var_os("TARGET")?;
    let mut compiler = Command::new(var_os("RUSTC")?);
    compiler.args(["--crate-type", "bin", "-C", "panic=abort", "--target"]).arg(&target);
    if let Some(linker) = var_os("RUSTC_LINKER") {
        let mut named = OsString::from("linker=");
        named.push(linker);
        compiler.arg("-C").arg(named);
    }
    let flags = var("CARGO_ENCODED_RUSTFLAGS").unwrap_or_default();
    compiler.args(flags.split('\u{1f}').filter(|flag| !flag.is_empty()));
    asks.iter().for_each(|ask| _ = compiler.arg("-C").arg(format!("link-arg={ask}")));
    let succeeds =
        |command: &mut Command| Some(command.stdout(Stdio::null()).stderr(Stdio::null()).status().ok()?.success());
    let is_linked = succeeds(compiler.arg("-o").arg(&program).arg(&source))?;
    Some(is_linked && (var_os("HOST")? != target || succeeds(&mut Command::new(program))?))
}

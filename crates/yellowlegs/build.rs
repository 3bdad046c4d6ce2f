//! Asks the linker to keep functions of the same machine code once, where it is one that can: the program is 0.7 MB smaller.

use std::env;
use std::ffi::OsString;
use std::path::PathBuf;
use std::process::{Command, Stdio};

const FOLD: &str = "-Wl,--icf=all";

fn main() {
    println!("cargo:rerun-if-changed=build.rs");
    let is_optimised = env::var_os("OPT_LEVEL").is_some_and(|level| level != "0");
    let is_linux = env::var_os("CARGO_CFG_TARGET_OS").is_some_and(|system| system == "linux");
    if is_optimised && is_linux && can_fold() == Some(true) {
        println!("cargo:rustc-link-arg-bins={FOLD}");
    }
}

/// Whether an empty program is linked with what is asked: linkers that do not know it refuse.
fn can_fold() -> Option<bool> {
    let folder = PathBuf::from(env::var_os("OUT_DIR")?);
    let empty = folder.join("empty.rs");
    std::fs::write(&empty, "fn main() {}\n").ok()?;
    let mut compiler = Command::new(env::var_os("RUSTC")?);
    compiler.args(["--crate-type", "bin", "-C", &format!("link-arg={FOLD}"), "--target"]).arg(env::var_os("TARGET")?);
    if let Some(linker) = env::var_os("RUSTC_LINKER") {
        let mut named = OsString::from("linker=");
        named.push(linker);
        compiler.arg("-C").arg(named);
    }
    let flags = env::var("CARGO_ENCODED_RUSTFLAGS").unwrap_or_default();
    compiler.args(flags.split('\u{1f}').filter(|flag| !flag.is_empty()));
    let linked =
        compiler.arg("-o").arg(folder.join("empty")).arg(&empty).stdout(Stdio::null()).stderr(Stdio::null()).status();
    Some(linked.ok()?.success())
}

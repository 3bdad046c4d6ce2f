//! Fingerprints that survive moved lines.

/// FNV-1a over what a finding is about, as 16 hexadecimal digits. Lines and messages play no part.
pub fn fingerprint<'p>(parts: impl IntoIterator<Item = &'p str>) -> String {
    let mut hash = 0xcbf2_9ce4_8422_2325_u64;
    let mut eat = |byte: u8| hash = (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3);
    for part in parts {
        part.bytes().for_each(&mut eat);
        eat(0);
    }
    format!("{hash:016x}")
}

#[cfg(test)]
mod tests {
    use super::fingerprint;

    #[test]
    fn parts_do_not_run_together() {
        assert_ne!(fingerprint(["ab", "c"]), fingerprint(["a", "bc"]));
        assert_eq!(fingerprint(["a"]), "089be207b544f1e4");
    }
}

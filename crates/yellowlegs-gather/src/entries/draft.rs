//! A `switches.toml` that is written: by a list of names and addresses, or for stand-ins.

use yellowlegs_core::source::quoted;

/// What an entry that is written says of its switch.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Draft {
    /// Its name.
    pub name: String,
    /// Host name or address.
    pub address: String,
    /// TCP port, where it is not the usual one.
    pub port: Option<u16>,
    /// Its folder, where it is not its name.
    pub folder: Option<String>,
    /// Its dialect, where it is not the default.
    pub dialect: Option<String>,
    /// The account, where it is not the default.
    pub user: Option<String>,
    /// How it is asked, where it is not the usual way.
    pub ways: Option<&'static [&'static str]>,
    /// UDP port of its agent, where it is not the usual one.
    pub snmp_port: Option<u16>,
}

/// Writes a `switches.toml` of entries; `credential` is the inline table that says where the secret is.
pub fn write(user: Option<&str>, dialect: Option<&str>, credential: &str, drafts: &[Draft]) -> String {
    let mut text = String::from(
        "# Who is asked by `yellowlegs gather`. No secret stands here: it says where they are.\n\n[defaults]\n",
    );
    let mut line = |key: &str, value: Option<&str>| {
        if let Some(value) = value.filter(|value| !value.is_empty()) {
            text.extend([key, " = ", value, "\n"]);
        }
    };
    line("user", user.map(quoted).as_deref());
    line("dialect", dialect.map(quoted).as_deref());
    line("credential", Some(credential));
    for draft in drafts {
        text.push_str("\n[[switch]]\n");
        let port = draft.port.map(|port| port.to_string());
        let mut line = |key: &str, value: Option<&str>| {
            if let Some(value) = value.filter(|value| !value.is_empty()) {
                text.extend([key, " = ", value, "\n"]);
            }
        };
        line("name", Some(&quoted(&draft.name)));
        line("address", Some(&quoted(&draft.address)));
        line("port", port.as_deref());
        let ways =
            draft.ways.map(|ways| format!("[{}]", ways.iter().map(|way| quoted(way)).collect::<Vec<_>>().join(", ")));
        line("ways", ways.as_deref());
        line("snmp", draft.snmp_port.map(|port| format!("{{ port = {port} }}")).as_deref());
        for (key, value) in [("folder", &draft.folder), ("dialect", &draft.dialect), ("user", &draft.user)] {
            line(key, value.as_deref().filter(|value| !value.is_empty()).map(quoted).as_deref());
        }
    }
    text
}

//! Switches that stand in are gathered: what comes is what they have, and each trouble comes to a clear end.

use std::fs;
use std::time::Duration;

use crate::support::{PLAIN, WHOLE, config, entry, gathered, gathered_with, played};
use rstest::rstest;
use yellowlegs_gather::credential::Credential;
use yellowlegs_gather::fault::{Fault, Step};
use yellowlegs_gather::host_keys::HostKeys;
use yellowlegs_gather::stand_in::{StandIns, Trouble};

/// The end of gathering one switch with a trouble, and what its folder holds then.
fn end(session: &str, ports: usize, trouble: Option<Trouble>) -> (Result<String, Fault>, Option<String>) {
    let root = tempfile::tempdir().unwrap();
    let played = [played("pier-1", session, &config(ports), trouble)];
    let standing = StandIns::start(played.to_vec()).unwrap();
    let before = root.path().join("pier-1");
    fs::create_dir(&before).unwrap();
    fs::write(before.join("config.txt"), "brine 3\n").unwrap();
    fs::write(before.join("notes.md"), "ours").unwrap();
    let ended = gathered(&standing, &played, root.path(), |entry| {
        if trouble == Some(Trouble::Hangs) {
            entry.limits.silence = Duration::from_secs(2);
        }
    });
    assert_eq!(fs::read_to_string(before.join("notes.md")).unwrap(), "ours");
    let rest: Vec<_> = fs::read_dir(root.path()).unwrap().map(|e| e.unwrap().file_name()).collect();
    assert_eq!(rest.len(), 2, "nothing is left beside: {rest:?}");
    let result = ended[0].result.clone().map(|brought| format!("{:?}", brought.files));
    (result, fs::read_to_string(before.join("config.txt")).ok())
}

#[rstest]
#[case::plain(PLAIN, 10)]
#[case::pages(WHOLE, 500)]
#[case::one_page(WHOLE, 3)]
// The page ends where the text does.
#[case::exact(WHOLE, 39)]
fn what_comes_is_what_is_there(#[case] session: &str, #[case] ports: usize) {
    let (result, now) = end(session, ports, None);
    assert_eq!(result, Ok(format!("[(\"config.txt\", {})]", 2 * ports + 1)));
    assert_eq!(now, Some(config(ports)));
}

#[rstest]
#[case(Trouble::Slow)]
#[case(Trouble::PromptInside)]
#[case(Trouble::Escapes)]
fn some_troubles_are_none(#[case] trouble: Trouble) {
    for session in [PLAIN, WHOLE] {
        let (result, now) = end(session, 60, Some(trouble));
        result.unwrap();
        let now = now.unwrap();
        let lines: Vec<&str> = now.lines().filter(|line| !line.contains("pier-1")).collect();
        assert_eq!(lines, config(60).lines().collect::<Vec<_>>());
    }
}

#[rstest]
#[case(Trouble::Refuses, Step::Connect, "")]
#[case(Trouble::WrongPassword, Step::LogIn, "auditor is refused: its password")]
#[case(Trouble::Hangs, Step::Command("no pages".into()), "nothing came for 2 s")]
#[case(Trouble::Stops, Step::Command("say all".into()), "the connection ended in the middle")]
#[case(Trouble::ChangedKey, Step::HostKey, "its key is now ssh-ed25519 SHA256:")]
#[case(Trouble::Garbage, Step::Recognise, "what came for config.txt is not in Brine: it begins with `")]
#[case(Trouble::Notice, Step::Recognise, "it begins with `This account may read nothing here.`")]
#[case(Trouble::Endless, Step::Command("say all".into()), "the answer is longer than 1048576 bytes")]
fn a_trouble_is_told_and_nothing_is_written(#[case] trouble: Trouble, #[case] step: Step, #[case] what: &str) {
    let (result, now) = end(PLAIN, 100, Some(trouble));
    let fault = result.unwrap_err();
    assert_eq!(fault.step, step, "{fault:?}");
    assert!(fault.what.contains(what), "{fault:?}");
    assert_eq!(now.as_deref(), Some("brine 3\n"));
}

#[test]
fn lost_pages_are_seen_because_it_is_asked_twice() {
    let (result, now) = end(WHOLE, 100, Some(Trouble::LostPages));
    let fault = result.unwrap_err();
    assert_eq!(
        fault.what,
        "asked twice, because it came in pages, config.txt differs in line 26: lines were lost on the way"
    );
    assert_eq!((fault.passing, now.as_deref()), (true, Some("brine 3\n")));
}

#[test]
fn others_go_on_and_the_order_is_that_of_the_entries() {
    let root = tempfile::tempdir().unwrap();
    let troubles = [None, Some(Trouble::Stops), None, Some(Trouble::WrongPassword), None];
    let played: Vec<_> =
        troubles.iter().enumerate().map(|(n, t)| played(&format!("pier-{n}"), PLAIN, &config(n + 1), *t)).collect();
    let standing = StandIns::start(played.clone()).unwrap();
    let ended = gathered(&standing, &played, root.path(), |_| ());
    let shown: Vec<_> = ended.iter().map(|end| (end.name.as_str(), end.result.is_ok())).collect();
    assert_eq!(shown, [("pier-0", true), ("pier-1", false), ("pier-2", true), ("pier-3", false), ("pier-4", true)]);
    assert!(!root.path().join("pier-1").exists());
    assert_eq!(fs::read_to_string(root.path().join("pier-4/config.txt")).unwrap(), config(5));
}

#[test]
fn patience_is_for_what_may_pass_and_not_for_passwords() {
    let root = tempfile::tempdir().unwrap();
    let played = [
        played("pier-1", PLAIN, &config(3), Some(Trouble::Stops)),
        played("pier-2", PLAIN, &config(3), Some(Trouble::WrongPassword)),
    ];
    let standing = StandIns::start(played.to_vec()).unwrap();
    let ended = gathered(&standing, &played, root.path(), |entry| entry.limits.tries = 2);
    assert_eq!(ended.iter().map(|end| end.tries).collect::<Vec<_>>(), [2, 1]);
}

#[test]
fn keys_nobody_knows_are_refused_or_written_and_then_known() {
    let root = tempfile::tempdir().unwrap();
    let played = [played("pier-1", PLAIN, &config(3), None)];
    let standing = StandIns::start(played.to_vec()).unwrap();
    let known = root.path().join("keys");
    let gather = |trust_new| {
        let keys = HostKeys::of(&known, trust_new);
        gathered_with(&standing, &played, root.path(), keys, |_| ()).remove(0).result
    };
    let refused = gather(false).unwrap_err();
    assert_eq!(refused.step, Step::HostKey);
    assert!(refused.hint.unwrap().contains("--trust-new"));
    assert!(!known.exists());
    gather(true).unwrap();
    assert_eq!(fs::read_to_string(&known).unwrap().trim(), standing.known_hosts().trim());
    gather(false).unwrap();
    // The known key is another one now: of another kind, too, nothing is let pass.
    let rsa = "ecdsa-sha2-nistp256 AAAAE2VjZHNhLXNoYTItbmlzdHAyNTYAAAAIbmlzdHAyNTYAAABBBHwf2HMM5TRXvo2SQJjsNkiDD5KqiiNjrGVv3UUh+mMT5RHxiRtOnlqvjhQtBq0VpmpCV/PwUdhOig4vkbqAcEc=";
    let place = standing.places()[0].ssh.as_ref().unwrap().0;
    fs::write(&known, format!("[{}]:{} {rsa}\n", place.ip(), place.port())).unwrap();
    let changed = gather(true).unwrap_err();
    assert!(changed.what.contains("not the one in") && changed.what.contains("line 1"), "{changed:?}");
}

#[test]
fn a_revoked_key_is_refused_though_it_is_known() {
    let root = tempfile::tempdir().unwrap();
    let played = [played("pier-1", PLAIN, &config(3), None)];
    let standing = StandIns::start(played.to_vec()).unwrap();
    let known = root.path().join("keys");
    let lines = standing.known_hosts();
    let key = lines.split_once(' ').unwrap().1;
    fs::write(&known, format!("{lines}@revoked * {key}")).unwrap();
    let keys = HostKeys::of(&known, true);
    let fault = gathered_with(&standing, &played, root.path(), keys, |_| ()).remove(0).result.unwrap_err();
    assert!(fault.what.contains("was revoked"), "{fault:?}");
}

#[rstest]
#[case(Credential::Environment("NO_SUCH_WORD".into()), Step::Credential, "the environment has no NO_SUCH_WORD")]
#[case(Credential::Prompt, Step::Credential, "nobody could be asked for the password of auditor")]
#[case(Credential::Key("no/such/key".into()), Step::Credential, "no/such/key")]
fn a_secret_that_is_not_there(#[case] credential: Credential, #[case] step: Step, #[case] what: &str) {
    let root = tempfile::tempdir().unwrap();
    let played = [played("pier-1", PLAIN, &config(3), None)];
    let standing = StandIns::start(played.to_vec()).unwrap();
    let ended =
        gathered(&standing, &played, root.path(), |entry| entry.ssh.as_mut().unwrap().credential = credential.clone());
    let fault = ended[0].result.clone().unwrap_err();
    assert_eq!(fault.step, step);
    assert!(fault.what.contains(what), "{fault:?}");
}

#[test]
fn what_takes_too_long_is_told_with_the_step_it_was_at() {
    let root = tempfile::tempdir().unwrap();
    let played = [played("pier-1", PLAIN, &config(2000), Some(Trouble::Slow))];
    let standing = StandIns::start(played.to_vec()).unwrap();
    let ended = gathered(&standing, &played, root.path(), |entry| entry.limits.whole = Duration::from_secs(8));
    let fault = ended[0].result.clone().unwrap_err();
    assert_eq!(fault, Fault::passing(Step::Command("say all".into()), "it was not done within 8 s"));
}

#[test]
fn many_at_once() {
    let root = tempfile::tempdir().unwrap();
    let played: Vec<_> = (0..500).map(|n| played(&format!("pier-{n}"), PLAIN, &config(5), None)).collect();
    let standing = StandIns::start(played.clone()).unwrap();
    let ended = gathered(&standing, &played, root.path(), |_| ());
    let failed: Vec<_> = ended.iter().filter(|end| end.result.is_err()).collect();
    assert_eq!(failed.len(), 0, "{:?}", failed[0]);
    assert_eq!(entry(&standing, "pier-7").folder, "pier-7");
}

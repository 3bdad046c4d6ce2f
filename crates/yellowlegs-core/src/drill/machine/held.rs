//! Ports that are held down, and how they come back; flap protection.

use super::{Because, Machine, Millis};
use crate::drill::asked::Known;
use crate::model::{Cause, Key, Seconds, platform, settings};

/// So few changes of link, or frames of a kind in a second, trip no protection, whatever it is set to.
pub(super) const FEW: usize = 5;

/// The timer of a cause.
fn timer(cause: Cause) -> Option<Key<Seconds>> {
    Some(match cause {
        Cause::PortSecurity => settings::RECOVERY_SECURITY,
        Cause::EdgeBpdu => settings::RECOVERY_BPDU,
        Cause::LoopDetection => settings::RECOVERY_LOOP,
        Cause::Storm => settings::RECOVERY_STORM,
        Cause::Unidirectional => settings::RECOVERY_UNIDIRECTIONAL,
        Cause::DhcpRate => settings::RECOVERY_DHCP_RATE,
        _ => return None,
    })
}

impl Machine<'_> {
    /// Takes a port down.
    pub(super) fn hold(&mut self, port: usize, cause: Cause, because: Because) {
        let now = self.now;
        // Who is pinned stays, whatever becomes of the port.
        let pins = self.asked.port(port, settings::PINNING) == Ok(true);
        if let Some(state) = self.ports.get_mut(port) {
            state.held = Some((cause, now));
            state.opens = None;
            self.down.insert(port);
        }
        if !pins {
            self.forget_admitted(port);
        }
        self.table.retain(|_, (on, _)| *on != port);
        // How it comes back decides nothing about its going down.
        let back = match self.back_after(port, cause) {
            Ok(Some(0) | None) => "somebody has to bring it back".to_owned(),
            Ok(Some(seconds)) => format!("it comes back after {seconds} s"),
            Err(hang) => format!("how it comes back hangs on {}, which nobody knows", hang.on),
        };
        self.tell(port, format_args!("is held down: {back}"), Some(because));
    }

    /// Seconds until a port comes back from a cause; none or 0: by hand.
    pub fn back_after(&self, port: usize, cause: Cause) -> Known<Option<u32>> {
        if cause == Cause::Flap {
            let Seconds(hold) = self.asked.port(port, settings::FLAP_HOLD)?;
            return Ok(Some(hold));
        }
        let own = timer(cause).map(|key| self.asked.switch_wide(key));
        match own {
            Some(Ok(Seconds(own))) if own > 0 => Ok(Some(own)),
            _ if !self.asked.switch_wide(settings::RECOVERY_CAUSES)?.contains(cause) => Ok(None),
            _ => self.asked.switch_wide(settings::RECOVERY_INTERVAL).map(|Seconds(s)| Some(s)),
        }
    }

    /// The next port that comes back until a time.
    pub(super) fn next_return(&self, until: Millis) -> Option<(Millis, usize)> {
        let mut next: Option<(Millis, usize)> = None;
        for port in self.down.iter().copied() {
            let Some((cause, since)) = self.ports.get(port).and_then(|state| state.held) else { continue };
            if let Ok(Some(seconds @ 1..)) = self.back_after(port, cause) {
                let at = since.saturating_add(Millis::from(seconds) * 1000);
                if at <= until && next.is_none_or(|(first, _)| at < first) {
                    next = Some((at, port));
                }
            }
        }
        next
    }

    pub(super) fn come_back(&mut self, port: usize) -> Known<()> {
        let Some(state) = self.ports.get_mut(port) else { return Ok(()) };
        state.held = None;
        self.down.remove(&port);
        let link = state.link;
        if let Some(heard) = self.heard.get_mut(&port) {
            heard.flaps.clear();
        }
        self.tell(port, "comes back", None);
        if link { self.open(port) } else { Ok(()) }
    }

    /// Counts a change of link for flap protection. The last change is included in the window, both ends counted.
    pub(super) fn changed(&mut self, port: usize, lost: bool) -> Known<()> {
        if self.held_by(port).is_some() || !self.asked.port(port, settings::FLAP)? {
            return Ok(());
        }
        let now = self.now;
        let flaps = &mut self.heard.entry(port).or_default().flaps;
        flaps.push((now, lost));
        let came = flaps.len() as u64;
        let known = self
            .asked
            .limit(port, settings::FLAP_THRESHOLD, came + 1)
            .and_then(|threshold| Ok((u64::from(threshold), self.asked.limit(port, settings::FLAP_WINDOW, 1)?)));
        let (threshold, window) = match known {
            // Too few even if all of them count.
            Ok((threshold, _)) if threshold > came => return Ok(()),
            Ok(known) => known,
            // What nobody knows is above a plug that goes in, out, and in again.
            Err(_) if came < FEW as u64 => return Ok(()),
            Err(hang) => return Err(hang),
        };
        self.asked.note(settings::FLAP_WINDOW.id);
        let flaps = &mut self.heard.entry(port).or_default().flaps;
        let first = now.saturating_sub(window.millis());
        flaps.retain(|(at, _)| *at >= first);
        let (changes, losses) = (flaps.len() as u64, flaps.iter().filter(|(_, lost)| *lost).count() as u64);
        // What counts as a flap makes a difference only between the two.
        let trips = if lost && losses >= threshold {
            true
        } else {
            changes >= threshold && self.asked.platform(platform::FLAP_COUNTS, "each-change")?
        };
        if trips {
            self.hold(port, Cause::Flap, Because::of("flap protection", settings::FLAP_THRESHOLD.id));
        }
        Ok(())
    }
}

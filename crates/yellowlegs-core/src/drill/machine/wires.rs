//! Wires as time goes by: what is plugged, pulled and patched, strands that fail, and what goes over a patched wire.

use super::net::{At, Net};
use super::{Because, Machine, Millis};
use crate::drill::asked::Known;
use crate::model::{Cause, Seconds, Unidirectional, settings};

/// What one end of a patched wire sends to the other.
pub(super) struct Talk {
    from: At,
    to: At,
    /// When the next BPDU goes, and how far apart they are.
    hello: Option<(Millis, Millis)>,
    /// The same of probes.
    probe: Option<(Millis, Millis)>,
    /// Whether its probes found nothing, and nothing has moved since.
    rests: bool,
}

impl Talk {
    fn wake(&mut self, now: Millis) {
        if let (true, Some((when, apart))) = (self.rests, &mut self.probe) {
            *when = now + *apart;
        }
        self.rests = false;
    }
}

/// What detection of one-way links will do at a port.
pub(super) struct Due {
    when: Millis,
    at: At,
    /// Whether it takes the port down; else it tells.
    acts: bool,
}

/// The next thing that happens by itself.
enum Next {
    Hello(usize),
    Probe(usize),
    Detected(usize),
}

impl Net<'_> {
    fn now(&self) -> Millis {
        self.machine(0).map_or(0, Machine::now)
    }

    /// Lets time pass everywhere; what happens by itself happens in its time.
    pub fn pass(&mut self, millis: Millis) -> Known<()> {
        let until = self.now().saturating_add(millis);
        while let Some((when, next)) = self.next(until) {
            self.advance(when)?;
            self.happens(&next)?;
        }
        self.advance(until)
    }

    fn advance(&mut self, until: Millis) -> Known<()> {
        let millis = until.saturating_sub(self.now());
        self.switches.iter_mut().try_for_each(|machine| machine.pass(millis))?;
        self.gather();
        Ok(())
    }

    fn next(&self, until: Millis) -> Option<(Millis, Next)> {
        let talks = self.talks.iter().enumerate().flat_map(|(number, talk)| {
            let hello = talk.hello.map(|(when, _)| (when, Next::Hello(number)));
            let probe = talk.probe.filter(|_| !talk.rests);
            hello.into_iter().chain(probe.map(|(when, _)| (when, Next::Probe(number))))
        });
        let due = self.due.iter().enumerate().map(|(number, due)| (due.when, Next::Detected(number)));
        talks.chain(due).filter(|(when, _)| *when <= until).min_by_key(|(when, _)| *when)
    }

    fn happens(&mut self, next: &Next) -> Known<()> {
        match next {
            Next::Hello(number) => self.hello(*number),
            Next::Probe(number) => self.probe(*number),
            Next::Detected(number) => {
                let Due { at, acts, .. } = self.due.remove(*number);
                self.detected(at, acts)
            }
        }
    }

    /// A plug has moved: whoever rests sends again.
    fn wake(&mut self) {
        let now = self.now();
        self.talks.iter_mut().for_each(|talk| talk.wake(now));
    }

    /// Plugs something in; at both ends, where a wire leads to another switch.
    pub fn plug(&mut self, at: At) -> Known<()> {
        for at in std::iter::once(at).chain(self.other_end(at)) {
            self.deaf.remove(&at);
            self.switch(at.0).map_or(Ok(()), |machine| machine.link_up(at.1))?;
        }
        self.wake();
        self.settle_tree()
    }

    /// Pulls it out, and lets the tree look for another way.
    pub fn pull(&mut self, at: At) -> Known<()> {
        for at in std::iter::once(at).chain(self.other_end(at)) {
            self.switch(at.0).map_or(Ok(()), |machine| machine.link_down(at.1))?;
        }
        self.settle_tree()
    }

    /// Somebody joins two sockets by a wire. BPDUs and probes go over it from now on, both ways.
    pub fn patch(&mut self, a: At, b: At) -> Known<()> {
        let now = self.now();
        // Whatever was plugged in there comes out; its other end loses the link.
        for end in [a, b] {
            if let Some(old) = self.wires.remove(&end) {
                self.wires.remove(&old);
                self.switch(old.0).map_or(Ok(()), |machine| machine.link_down(old.1))?;
            }
            self.talks.retain(|talk| talk.from != end && talk.to != end);
        }
        self.wires.extend([(a, b), (b, a)]);
        for (from, to) in [(a, b), (b, a)] {
            let Some(machine) = self.switch(from.0) else { continue };
            machine.link_up(from.1)?;
            let sends = machine.bpdu_of(from.1)?.is_some();
            let hello = if sends { Some(machine.hello()?.millis()) } else { None };
            let probe = if machine.probes(from.1)? { Some(machine.probe_interval()?.millis()) } else { None };
            // Something that is sent every 0 seconds would never let time pass.
            let every = |apart: Option<Millis>| apart.map(|apart| apart.max(1000)).map(|apart| (now + apart, apart));
            self.talks.push(Talk { from, to, hello: every(hello), probe: every(probe), rests: false });
        }
        self.wake();
        self.gather();
        Ok(())
    }

    /// Whether frames go, or will go, from one port to another: neither is down, held, or kept closed.
    fn are_open(&self, from: At, to: At) -> bool {
        let open = |at: At| self.machine(at.0).is_some_and(|machine| machine.opens_at(at.1).is_some());
        open(from) && open(to) && !self.deaf.contains(&to)
    }

    /// A BPDU goes over a patched wire: a guard acts, or the tree settles anew.
    fn hello(&mut self, number: usize) -> Known<()> {
        let Some(Talk { from, to, hello, .. }) = self.talks.get_mut(number) else { return Ok(()) };
        let (from, to) = (*from, *to);
        if let Some((when, apart)) = hello {
            *when += *apart;
        }
        let bpdu = self.machine(from.0).map_or(Ok(None), |machine| machine.bpdu_of(from.1))?;
        let Some(bpdu) = bpdu.filter(|_| self.are_open(from, to)) else { return Ok(()) };
        self.arrive(to, &bpdu)?;
        if self.are_open(from, to) {
            self.settle_tree()?;
            // Both ends know each other now; where they stay open nothing more comes of it.
            self.talks.iter_mut().filter(|talk| talk.from == from).for_each(|talk| talk.hello = None);
        }
        Ok(())
    }

    /// Probes go over a patched wire. They are told of only where one comes back and takes a port down.
    fn probe(&mut self, number: usize) -> Known<()> {
        let Some(Talk { from, to, probe, .. }) = self.talks.get_mut(number) else { return Ok(()) };
        let (from, to) = (*from, *to);
        if let Some((when, apart)) = probe {
            *when += *apart;
        }
        let Some(machine) = self.machine(from.0) else { return Ok(()) };
        if !machine.forwards(from.1) {
            return Ok(());
        }
        let told = self.told();
        let held = self.held();
        for probe in self.machine(from.0).map_or(Ok(Vec::new()), |machine| machine.probes_of(from.1))? {
            if self.held() == held {
                self.send(to, &probe)?;
            }
        }
        if self.held() == held {
            self.forget_story_after(told);
            // Until a plug moves the next one will find as little.
            self.talks.iter_mut().filter(|talk| (talk.from, talk.to) == (from, to)).for_each(|talk| talk.rests = true);
        }
        Ok(())
    }

    fn held(&self) -> usize {
        let of =
            |machine: &Machine<'_>| (0..machine.port_count()).filter(|port| machine.held_by(*port).is_some()).count();
        self.switches.iter().map(of).sum()
    }

    /// The power of a switch is cut, and comes back.
    pub fn restart(&mut self, at: At) -> Known<()> {
        self.switch(at.0).map_or(Ok(()), |machine| machine.restart(at.1).map(drop))?;
        self.forget_closed(at.0);
        self.settle_tree()
    }

    /// One strand of a fibre fails: a port hears nothing any more, and its neighbour, which still hears it, does not know. BPDUs
    /// fade; detection of one-way links (RFC 5171) acts after three intervals, where both ends take part: the neighbour misses its
    /// own echo; the deaf end knows only silence, which counts in the strict mode alone.
    pub fn strand_fails(&mut self, at: At) -> Known<()> {
        self.deaf.insert(at);
        let now = self.now();
        if let Some(machine) = self.switch(at.0) {
            machine.tell(at.1, "a strand fails: nothing is heard here any more", None);
            machine.bpdus_fade(at.1)?;
        }
        let Some(other) = self.other_end(at) else { return Ok(()) };
        let detection = |end: At| self.machine(end.0).map_or(Ok(Unidirectional::Off), |m| m.detection(end.1));
        let (deaf, echo) = (detection(at)?, detection(other)?);
        if deaf != Unidirectional::Off && echo != Unidirectional::Off {
            let ends = [(at, deaf == Unidirectional::Strict), (other, echo >= Unidirectional::DisablePort)];
            for (end, acts) in ends {
                let interval = self.machine(end.0).map_or(Ok(Seconds(0)), |m| m.detection_interval(end.1))?;
                self.due.push(Due { when: now + 3 * interval.millis(), at: end, acts });
            }
        }
        self.gather();
        Ok(())
    }

    fn detected(&mut self, at: At, acts: bool) -> Known<()> {
        let because = Because::of("unidirectional link detection", settings::UNIDIRECTIONAL.id);
        let other = self.other_end(at);
        let Some(machine) =
            self.switch(at.0).filter(|machine| machine.has_link(at.1) && machine.held_by(at.1).is_none())
        else {
            return Ok(());
        };
        if !acts {
            machine.tell(at.1, "reports a one-way link", Some(because));
            self.gather();
            return Ok(());
        }
        machine.hold(at.1, Cause::Unidirectional, because);
        if let Some((number, port)) = other {
            self.switch(number).map_or(Ok(()), |machine| machine.link_down(port))?;
        }
        self.settle_tree()
    }
}

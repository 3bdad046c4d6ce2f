//! Lists that lines add to and take from. What a line comes to is put together when somebody looks at it: of ten thousand lines that
//! add one element each, only the last comes to a list that is looked at.

use std::fmt;
use std::hash::{Hash, Hasher};
use std::ops::Deref;
use std::sync::{Arc, OnceLock};

use rustc_hash::FxHashMap;

use super::{Direction, Station, StationAddress, StationRange, VlanId};

/// A list: its elements, or how it is made of another.
pub struct List<T: Element>(Form<T>);

enum Form<T: Element> {
    Whole(Arc<[T]>),
    Made(Arc<Made<T>>),
}

/// A list before it, and what a line does to that one. The list before is taken out only to be let go.
struct Made<T: Element> {
    of: Option<(List<T>, Change<T>)>,
    whole: OnceLock<Arc<[T]>>,
}

/// What a line does to a list. Its own elements are always whole.
enum Change<T: Element> {
    More(List<T>),
    Less(List<T>),
}

/// What a list is of.
pub trait Element: Clone + PartialEq + fmt::Debug {
    /// Elements that have nothing to do with each other have unlike ones.
    type Key: Eq + Hash;
    /// What it is looked up by.
    fn key(&self) -> Self::Key;
    /// Puts elements in.
    fn put(list: &mut Building<Self>, more: &[Self]) {
        let before = list.places.len();
        for new in more {
            if !list.at(&new.key(), before).any(|place| list.places[place].as_ref() == Some(new)) {
                list.push(new.clone());
            }
        }
    }
    /// Whether taking this out takes another out.
    fn takes(&self, other: &Self) -> bool {
        self == other
    }
    /// Takes elements out.
    fn take(list: &mut Building<Self>, less: &[Self]) {
        for gone in less {
            let places: Vec<usize> = list.at(&gone.key(), usize::MAX).collect();
            for place in places {
                list.places[place].take_if(|there| gone.takes(there));
            }
        }
    }
    /// Puts in order what more was put into.
    fn order(_: &mut [Self]) {}
}

impl Element for Arc<str> {
    type Key = Self;
    fn key(&self) -> Self {
        Self::clone(self)
    }
}

impl Element for Station {
    type Key = StationAddress;
    fn key(&self) -> StationAddress {
        self.address
    }
    /// One without its VLAN is meant in every VLAN.
    fn takes(&self, other: &Self) -> bool {
        other.address == self.address && (self.vlan.is_none() || self.vlan == other.vlan)
    }
}

impl Element for (StationRange, VlanId) {
    type Key = Self;
    fn key(&self) -> Self {
        *self
    }
}

impl Element for (u32, u32) {
    type Key = u32;
    fn key(&self) -> u32 {
        self.0
    }
    /// A number has one partner: the later pair counts.
    fn put(list: &mut Building<Self>, more: &[Self]) {
        let before = list.places.len();
        for (number, _) in more {
            list.at(number, before).collect::<Vec<_>>().into_iter().for_each(|place| list.places[place] = None);
        }
        more.iter().for_each(|pair| list.push(*pair));
    }
    fn takes(&self, other: &Self) -> bool {
        self.0 == other.0
    }
    fn order(list: &mut [Self]) {
        list.sort_unstable();
    }
}

impl Element for (Arc<str>, Direction) {
    type Key = Arc<str>;
    fn key(&self) -> Arc<str> {
        Arc::clone(&self.0)
    }
    /// A source named again has the directions of both lines.
    fn put(list: &mut Building<Self>, more: &[Self]) {
        for (port, direction) in more {
            let place = list.at(port, usize::MAX).next();
            match place.and_then(|place| list.places[place].as_mut()) {
                Some((_, there)) if *there != *direction => *there = Direction::Both,
                Some(_) => {}
                None => list.push((Arc::clone(port), *direction)),
            }
        }
    }
    /// One direction of a source that is copied in both leaves the other.
    fn take(list: &mut Building<Self>, less: &[Self]) {
        for (port, gone) in less {
            let Some(place) = list.at(port, usize::MAX).next() else { continue };
            let Some((_, there)) = list.places[place].as_mut() else { continue };
            match (*there, *gone) {
                (Direction::Both, Direction::Received) => *there = Direction::Sent,
                (Direction::Both, Direction::Sent) => *there = Direction::Received,
                (now, gone) if now == gone || gone == Direction::Both => list.places[place] = None,
                _ => {}
            }
        }
    }
}

/// Up to so many elements are looked through; more are looked up.
const FEW: usize = 16;

/// A list being put together.
pub struct Building<T: Element> {
    /// What was put in, in this order; none where it was taken out again.
    places: Vec<Option<T>>,
    /// By key, where its elements are; empty while they are few.
    by_key: FxHashMap<T::Key, Vec<usize>>,
}

impl<T: Element> Building<T> {
    fn of(elements: &[T]) -> Self {
        let mut building = Self { places: Vec::with_capacity(elements.len()), by_key: FxHashMap::default() };
        elements.iter().for_each(|element| building.push(element.clone()));
        building
    }

    fn push(&mut self, element: T) {
        let place = self.places.len();
        if place == FEW {
            let there = self.places.iter().enumerate().filter_map(|(at, there)| Some((at, there.as_ref()?.key())));
            there.for_each(|(at, key)| self.by_key.entry(key).or_default().push(at));
        }
        if place >= FEW {
            self.by_key.entry(element.key()).or_default().push(place);
        }
        self.places.push(Some(element));
    }

    /// Where elements of a key are, of the first so many places.
    fn at(&self, key: &T::Key, before: usize) -> impl Iterator<Item = usize> {
        let by_hand = if self.places.len() <= FEW { self.places.len() } else { 0 };
        let hashed = if by_hand == 0 { self.by_key.get(key) } else { None };
        let looked_up = hashed.into_iter().flatten().copied();
        let fits = |place: &usize| self.places[*place].as_ref().is_some_and(|there| there.key() == *key);
        (0..by_hand).chain(looked_up).take_while(move |place| *place < before).filter(fits)
    }
}

impl<T: Element> List<T> {
    fn whole(elements: Arc<[T]>) -> Self {
        Self(Form::Whole(elements))
    }

    /// The elements, where they were put together.
    fn known(&self) -> Option<&Arc<[T]>> {
        match &self.0 {
            Form::Whole(elements) => Some(elements),
            Form::Made(made) => made.whole.get(),
        }
    }

    /// What it is made of.
    fn of(&self) -> Option<&(Self, Change<T>)> {
        match &self.0 {
            Form::Whole(_) => None,
            Form::Made(made) => made.of.as_ref(),
        }
    }

    /// Whether both are the very same, not only equal.
    fn is(&self, other: &Self) -> bool {
        match (&self.0, &other.0) {
            (Form::Whole(a), Form::Whole(b)) => Arc::ptr_eq(a, b),
            (Form::Made(a), Form::Made(b)) => Arc::ptr_eq(a, b),
            _ => false,
        }
    }

    /// Puts it together, and forgets how it came about.
    pub(crate) fn settle(&mut self) {
        if let Form::Made(_) = self.0 {
            *self = Self::whole(Arc::clone(self.elements()));
        }
    }

    /// The elements, to be shared.
    pub fn elements(&self) -> &Arc<[T]> {
        let made = match &self.0 {
            Form::Whole(elements) => return elements,
            Form::Made(made) => made,
        };
        made.whole.get_or_init(|| {
            // Back to what is whole, and from there on what was done to it.
            let (mut from, mut changes) = (self, Vec::new());
            while let (None, Some((before, change))) = (from.known(), from.of()) {
                changes.push(change);
                from = before;
            }
            let mut building = Building::of(from.known().map(|whole| &**whole).unwrap_or_default());
            let mut more = false;
            for change in changes.into_iter().rev() {
                match change {
                    Change::More(elements) => T::put(&mut building, elements),
                    Change::Less(elements) => T::take(&mut building, elements),
                }
                more |= matches!(change, Change::More(_));
            }
            let mut elements: Vec<T> = building.places.into_iter().flatten().collect();
            if more {
                T::order(&mut elements);
            }
            elements.into()
        })
    }

    /// With another's elements put in.
    #[must_use]
    pub fn plus(&self, more: &Self) -> Self {
        match self.known() {
            Some(whole) if whole.is_empty() && more.len() == 1 => more.clone(),
            _ => self.made(Change::More(more.clone())),
        }
    }

    /// Without another's elements.
    #[must_use]
    pub fn minus(&self, less: &Self) -> Self {
        self.made(Change::Less(less.clone()))
    }

    fn made(&self, change: Change<T>) -> Self {
        let (Change::More(own) | Change::Less(own)) = &change;
        own.elements();
        Self(Form::Made(Arc::new(Made { of: Some((self.clone(), change)), whole: OnceLock::new() })))
    }
}

/// When elements came into a list that several lines made: for each, the position of the list that held it first and ever since.
pub(crate) fn came<'a, T: Element + 'a>(
    lists: impl Iterator<Item = Option<&'a List<T>>>,
    wanted: &[T],
) -> Vec<Option<usize>> {
    let mut by_key: FxHashMap<T::Key, Vec<usize>> = FxHashMap::default();
    wanted.iter().enumerate().for_each(|(i, element)| by_key.entry(element.key()).or_default().push(i));
    let of = |element: &T| by_key.get(&element.key()).into_iter().flatten().copied();
    let mut came: Vec<Option<usize>> = vec![None; wanted.len()];
    let mut before: Option<&List<T>> = None;
    for (position, list) in lists.enumerate() {
        let follows = |from: &List<T>| before.is_some_and(|before| from.is(before));
        match list.and_then(List::of).filter(|(from, _)| follows(from)) {
            Some((_, Change::More(more))) => {
                let new = more.iter().flat_map(|new| of(new).filter(|i| wanted[*i] == *new));
                new.for_each(|i| came[i] = came[i].or(Some(position)));
            }
            Some((_, Change::Less(less))) => {
                let gone = less.iter().flat_map(|gone| of(gone).filter(|i| gone.takes(&wanted[*i])));
                gone.for_each(|i| came[i] = None);
            }
            None => {
                let mut held = vec![false; wanted.len()];
                let there = list.into_iter().flat_map(|list| list.iter());
                there.for_each(|there| of(there).filter(|i| wanted[*i] == *there).for_each(|i| held[i] = true));
                came.iter_mut().zip(held).for_each(|(came, held)| *came = held.then(|| came.unwrap_or(position)));
            }
        }
        before = list;
    }
    came
}

impl<T: Element> Drop for List<T> {
    /// One after the other: each inside the next would be as deep as a text has lines.
    fn drop(&mut self) {
        let before = |list: &mut Self| match &mut list.0 {
            Form::Whole(_) => None,
            Form::Made(made) => Arc::get_mut(made)?.of.take().map(|(before, _)| before),
        };
        let mut next = before(self);
        while let Some(mut list) = next {
            next = before(&mut list);
        }
    }
}

impl<T: Element> Clone for List<T> {
    fn clone(&self) -> Self {
        Self(match &self.0 {
            Form::Whole(elements) => Form::Whole(Arc::clone(elements)),
            Form::Made(made) => Form::Made(Arc::clone(made)),
        })
    }
}

impl<T: Element> Deref for List<T> {
    type Target = [T];
    fn deref(&self) -> &[T] {
        self.elements()
    }
}

impl<T: Element> fmt::Debug for List<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.elements().fmt(f)
    }
}

impl<T: Element> Default for List<T> {
    fn default() -> Self {
        Self::whole(Arc::new([]))
    }
}

impl<T: Element> PartialEq for List<T> {
    fn eq(&self, other: &Self) -> bool {
        self.is(other) || **self == **other
    }
}

impl<T: Element + Eq> Eq for List<T> {}

impl<T: Element + Hash> Hash for List<T> {
    fn hash<H: Hasher>(&self, state: &mut H) {
        (**self).hash(state);
    }
}

impl<T: Element> From<Arc<[T]>> for List<T> {
    fn from(elements: Arc<[T]>) -> Self {
        Self::whole(elements)
    }
}

impl<T: Element, const N: usize> From<[T; N]> for List<T> {
    fn from(elements: [T; N]) -> Self {
        Self::whole(elements.into())
    }
}

impl<T: Element> From<Vec<T>> for List<T> {
    fn from(elements: Vec<T>) -> Self {
        Self::whole(elements.into())
    }
}

impl<T: Element> FromIterator<T> for List<T> {
    fn from_iter<I: IntoIterator<Item = T>>(elements: I) -> Self {
        Self::whole(elements.into_iter().collect())
    }
}

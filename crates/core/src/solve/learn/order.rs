//! Variables by how much trouble they made lately: a heap.
//!
//! Source: activities that are raised at conflicts and fade (Moskewicz and others 2001), kept in one
//! binary heap by growing the raise instead of shrinking all (Eén and Sörensson 2003).

/// Past this all activities are scaled down.
const LARGE: f64 = 1e100;
/// How fast activities fade, a conflict.
const FADE: f64 = 1.0 / 0.85;
/// Not in the heap.
const NOWHERE: u32 = u32::MAX;

#[derive(Clone, Debug)]
pub(super) struct Trouble {
    activity: Vec<f64>,
    heap: Vec<u32>,
    place: Vec<u32>,
    raise: f64,
}

impl Default for Trouble {
    fn default() -> Self {
        Self { activity: Vec::new(), heap: Vec::new(), place: Vec::new(), raise: 1.0 }
    }
}

impl Trouble {
    /// Adds variables, up to so many, without any trouble; those of low number come first.
    pub(super) fn grow(&mut self, vars: usize) {
        for var in self.place.len() as u32..vars as u32 {
            self.activity.push(0.0);
            self.place.push(self.heap.len() as u32);
            self.heap.push(var);
        }
    }

    /// A variable took part in a conflict.
    pub(super) fn bump(&mut self, var: u32) {
        self.activity[var as usize] += self.raise;
        if self.activity[var as usize] > LARGE {
            self.activity.iter_mut().for_each(|activity| *activity /= LARGE);
            self.raise /= LARGE;
        }
        let place = self.place[var as usize];
        if place != NOWHERE {
            self.rise(place as usize);
        }
    }

    pub(super) fn fade(&mut self) {
        self.raise *= FADE;
    }

    /// Puts a variable back.
    pub(super) fn offer(&mut self, var: u32) {
        if self.place[var as usize] == NOWHERE {
            self.place[var as usize] = self.heap.len() as u32;
            self.heap.push(var);
            self.rise(self.heap.len() - 1);
        }
    }

    /// Takes out the variable of most trouble, of equal ones that of the lowest number.
    pub(super) fn take(&mut self) -> Option<u32> {
        let first = *self.heap.first()?;
        let last = self.heap.pop()?;
        self.place[first as usize] = NOWHERE;
        if first != last {
            self.heap[0] = last;
            self.place[last as usize] = 0;
            self.sink();
        }
        Some(first)
    }

    fn before(&self, a: u32, b: u32) -> bool {
        let (x, y) = (self.activity[a as usize], self.activity[b as usize]);
        x > y || x == y && a < b
    }

    fn put(&mut self, place: usize, var: u32) {
        self.heap[place] = var;
        self.place[var as usize] = place as u32;
    }

    fn rise(&mut self, mut place: usize) {
        let var = self.heap[place];
        while place > 0 {
            let above = (place - 1) / 2;
            if !self.before(var, self.heap[above]) {
                break;
            }
            self.put(place, self.heap[above]);
            place = above;
        }
        self.put(place, var);
    }

    fn sink(&mut self) {
        let (mut place, var) = (0, self.heap[0]);
        loop {
            let mut below = 2 * place + 1;
            if below >= self.heap.len() {
                break;
            }
            if below + 1 < self.heap.len() && self.before(self.heap[below + 1], self.heap[below]) {
                below += 1;
            }
            if !self.before(self.heap[below], var) {
                break;
            }
            self.put(place, self.heap[below]);
            place = below;
        }
        self.put(place, var);
    }
}

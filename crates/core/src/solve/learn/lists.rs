//! Lists that lie one after the other in one piece of memory.

/// Some of several lists that lie one after the other.
#[derive(Clone, Debug)]
pub(super) struct Lists {
    starts: Vec<u32>,
    items: Vec<u32>,
}

impl Default for Lists {
    fn default() -> Self {
        Self { starts: vec![0], items: Vec::new() }
    }
}

impl Lists {
    pub(super) fn of(&self, list: usize) -> &[u32] {
        &self.items[self.starts[list] as usize..self.starts[list + 1] as usize]
    }

    /// Adds a list at the end.
    pub(super) fn push(&mut self, items: impl IntoIterator<Item = u32>) {
        self.items.extend(items);
        self.starts.push(self.items.len() as u32);
    }

    pub(super) fn len(&self) -> usize {
        self.starts.len() - 1
    }
}

/// Items that are being sorted into lists, some at a time; those of a list stay in their order.
#[derive(Clone, Debug)]
pub(super) struct Sorting {
    lists: usize,
    /// First how many items each list has, two places further on; then where the next item of each
    /// belongs, one place further on.
    starts: Vec<u32>,
    items: Vec<u32>,
    pass: Pass,
    at: usize,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Pass {
    Count,
    Sum,
    Region,
}

/// Items looked at in one unit.
const AT_ONCE: usize = 8192;

impl Sorting {
    /// Into so many lists.
    pub(super) fn new(lists: usize) -> Self {
        Self { lists, starts: vec![0; lists + 2], items: Vec::new(), pass: Pass::Count, at: 0 }
    }

    /// One unit of sorting so many items; the lists when all are sorted. `item` tells the list and the
    /// item of a number, the same whenever it is asked.
    pub(super) fn work(
        &mut self,
        items: usize,
        item: impl Fn(usize) -> (u32, u32),
    ) -> Option<Lists> {
        let all = if self.pass == Pass::Sum { self.starts.len() } else { items };
        let until = all.min(self.at + AT_ONCE);
        for at in self.at..until {
            match self.pass {
                Pass::Count => self.starts[item(at).0 as usize + 2] += 1,
                Pass::Sum if at > 0 => self.starts[at] += self.starts[at - 1],
                Pass::Sum => {}
                Pass::Region => {
                    let (list, item) = item(at);
                    let place = &mut self.starts[list as usize + 1];
                    self.items[*place as usize] = item;
                    *place += 1;
                }
            }
        }
        self.at = until;
        if until < all {
            return None;
        }
        self.at = 0;
        match self.pass {
            Pass::Count => self.pass = Pass::Sum,
            Pass::Sum => (self.pass, self.items) = (Pass::Region, vec![0; items]),
            Pass::Region => {
                let mut starts = std::mem::take(&mut self.starts);
                starts.truncate(self.lists + 1);
                return Some(Lists { starts, items: std::mem::take(&mut self.items) });
            }
        }
        None
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Against lists written out.
        #[test]
        fn items_are_sorted_into_their_lists(pairs in prop::collection::vec((0u32..9, any::<u32>()), 0..60)) {
            let mut sorting = Sorting::new(9);
            let lists = loop {
                if let Some(lists) = sorting.work(pairs.len(), |at| pairs[at]) {
                    break lists;
                }
            };
            prop_assert_eq!(lists.len(), 9);
            for list in 0..9u32 {
                let want: Vec<u32> =
                    pairs.iter().filter(|pair| pair.0 == list).map(|pair| pair.1).collect();
                prop_assert_eq!(lists.of(list as usize), &want[..]);
            }
        }
    }
}

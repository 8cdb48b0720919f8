//! Disjoint sets (union-find with path halving), for islands and loose pieces.

use std::collections::HashMap;

/// `0..n` as sets that can be joined.
pub struct DisjointSets {
    parent: Vec<u32>,
}

impl DisjointSets {
    pub fn new(n: usize) -> Self {
        DisjointSets { parent: (0..n as u32).collect() }
    }

    /// The member that stands for `at`'s set.
    pub fn root(&mut self, mut at: u32) -> u32 {
        while self.parent[at as usize] != at {
            let above = self.parent[self.parent[at as usize] as usize];
            self.parent[at as usize] = above;
            at = above;
        }
        at
    }

    pub fn join(&mut self, a: u32, b: u32) {
        let (a, b) = (self.root(a), self.root(b));
        self.parent[a.max(b) as usize] = a.min(b);
    }

    /// For each member, the one that stands for its set: the smallest.
    pub fn into_roots(mut self) -> Vec<u32> {
        for at in 0..self.parent.len() as u32 {
            // What stands before has its root already.
            self.parent[at as usize] = self.root(at);
        }
        self.parent
    }

    /// Set numbers for a list of members, counted in the order they first appear, and how many sets that is.
    pub fn numbered(&mut self, members: impl Iterator<Item = u32>) -> (Vec<u32>, usize) {
        let mut number: HashMap<u32, u32> = HashMap::new();
        let of = members
            .map(|member| {
                let root = self.root(member);
                let next = number.len() as u32;
                *number.entry(root).or_insert(next)
            })
            .collect();
        (of, number.len())
    }
}

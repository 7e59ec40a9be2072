//! Where the nodes of a graph stand: in layers from left to right, who needs before who is needed,
//! with few lines that cross and short ways between them.

use std::collections::BTreeMap;

/// So often the order is gone over, from the left and from the right.
const SWEEPS: usize = 12;

/// What stands in a layer: a node, or a line that passes it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Slot {
    Node(usize),
    Passing,
}

/// A graph with a place for everything. Places are layers and heights; a height of one is the room
/// that a node needs.
#[derive(Debug, Default)]
pub(super) struct Layout {
    /// Of each node its layer.
    pub(super) layers: Vec<usize>,
    /// Of each node its height.
    pub(super) heights: Vec<f64>,
    /// Of each line the heights at which it passes the layers between its ends; none for a line that
    /// leads back.
    pub(super) ways: Vec<Option<Vec<f64>>>,
    /// How many layers there are.
    pub(super) depth: usize,
    /// The height of all.
    pub(super) height: f64,
}

/// Lays out a graph of so many nodes, with lines between their places.
pub(super) fn layout(count: usize, lines: &[(usize, usize)]) -> Layout {
    let forward = without_circles(count, lines);
    let layers = layers(count, lines, &forward);
    let depth = layers.iter().max().map_or(0, |d| d + 1);
    let mut slots = Slots::new(count, depth, &layers);
    let chains: Vec<Vec<usize>> = lines
        .iter()
        .zip(&forward)
        .map(|((from, to), is_forward)| match is_forward {
            true => slots.chain(*from, *to, &layers),
            false => Vec::new(),
        })
        .collect();
    slots.order();
    slots.stand();
    let height = |slot: &usize| slots.heights.get(*slot).copied().unwrap_or_default();
    let heights: Vec<f64> = (0..count).map(|node| height(&node)).collect();
    let ways = chains.iter().zip(&forward).map(|(chain, is_forward)| {
        let between = chain.get(1..chain.len().saturating_sub(1));
        is_forward.then(|| between.unwrap_or_default().iter().map(height).collect())
    });
    let lowest = slots.heights.iter().copied().fold(0.0, f64::max);
    Layout {
        layers,
        heights,
        ways: ways.collect(),
        depth,
        height: if count == 0 { 0.0 } else { lowest + 1.0 },
    }
}

/// Which lines lead on: of a circle one leads back.
fn without_circles(count: usize, lines: &[(usize, usize)]) -> Vec<bool> {
    #[derive(Clone, Copy, PartialEq)]
    enum Seen {
        No,
        Open,
        Done,
    }
    let mut seen = vec![Seen::No; count];
    let mut forward = vec![true; lines.len()];
    let mut is_needed = vec![false; count];
    for (_, to) in lines {
        if let Some(needed) = is_needed.get_mut(*to) {
            *needed = true;
        }
    }
    // From those that nobody needs; then from what is left, which is in circles.
    let mut roots: Vec<usize> = (0..count).collect();
    roots.sort_by_key(|n| is_needed.get(*n).copied().unwrap_or_default());
    let of = |node: usize| lines.iter().enumerate().filter(move |(_, l)| l.0 == node);
    for root in roots {
        if seen.get(root) != Some(&Seen::No) {
            continue;
        }
        if let Some(mark) = seen.get_mut(root) {
            *mark = Seen::Open;
        }
        let mut way = vec![(root, of(root))];
        while let Some((node, rest)) = way.last_mut() {
            let Some((line, (_, to))) = rest.next() else {
                if let Some(mark) = seen.get_mut(*node) {
                    *mark = Seen::Done;
                }
                way.pop();
                continue;
            };
            match seen.get(*to) {
                Some(Seen::No) => {
                    if let Some(mark) = seen.get_mut(*to) {
                        *mark = Seen::Open;
                    }
                    way.push((*to, of(*to)));
                }
                Some(Seen::Open) | None => {
                    if let Some(leads) = forward.get_mut(line) {
                        *leads = false;
                    }
                }
                Some(Seen::Done) => {}
            }
        }
    }
    forward
}

/// The longest way to each node.
fn layers(count: usize, lines: &[(usize, usize)], forward: &[bool]) -> Vec<usize> {
    let mut layers = vec![0; count];
    // A way visits a node once.
    for _ in 0..count {
        let mut is_moved = false;
        for ((from, to), _) in lines.iter().zip(forward).filter(|(_, leads)| **leads) {
            let least = layers.get(*from).map_or(0, |l| l + 1);
            if let Some(layer) = layers.get_mut(*to).filter(|l| **l < least) {
                *layer = least;
                is_moved = true;
            }
        }
        if !is_moved {
            break;
        }
    }
    layers
}

/// All that stands in layers. A node is the slot of its own place.
struct Slots {
    kinds: Vec<Slot>,
    /// Where lines to a node pass a layer.
    passing: BTreeMap<(usize, usize), usize>,
    layers: Vec<Vec<usize>>,
    /// Of each slot those that it is joined to on the left, and on the right.
    left: Vec<Vec<usize>>,
    right: Vec<Vec<usize>>,
    heights: Vec<f64>,
}

impl Slots {
    fn new(count: usize, depth: usize, layers: &[usize]) -> Self {
        let mut slots = Slots {
            kinds: (0..count).map(Slot::Node).collect(),
            passing: BTreeMap::new(),
            layers: vec![Vec::new(); depth],
            left: vec![Vec::new(); count],
            right: vec![Vec::new(); count],
            heights: Vec::new(),
        };
        for (node, layer) in layers.iter().enumerate() {
            if let Some(all) = slots.layers.get_mut(*layer) {
                all.push(node);
            }
        }
        slots
    }

    fn join(&mut self, one: usize, other: usize) {
        if let (Some(right), Some(left)) = (self.right.get_mut(one), self.left.get_mut(other))
            && !right.contains(&other)
        {
            right.push(other);
            left.push(one);
        }
    }

    /// The slots of a line, its ends among them. Lines to one node go the same way as soon as they
    /// meet.
    fn chain(&mut self, from: usize, to: usize, layers: &[usize]) -> Vec<usize> {
        let layer = |node: usize| layers.get(node).copied().unwrap_or_default();
        let mut chain = vec![from];
        for passed in layer(from) + 1..layer(to) {
            if let Some(slot) = self.passing.get(&(to, passed)) {
                chain.push(*slot);
                continue;
            }
            let slot = self.kinds.len();
            self.passing.insert((to, passed), slot);
            self.kinds.push(Slot::Passing);
            self.left.push(Vec::new());
            self.right.push(Vec::new());
            if let Some(all) = self.layers.get_mut(passed) {
                all.push(slot);
            }
            chain.push(slot);
        }
        chain.push(to);
        for (one, other) in chain.iter().zip(chain.iter().skip(1)) {
            self.join(*one, *other);
        }
        chain
    }

    /// Of each slot its place in its layer.
    fn places(&self) -> Vec<usize> {
        let mut places = vec![0; self.kinds.len()];
        for layer in &self.layers {
            for (at, slot) in layer.iter().enumerate() {
                if let Some(place) = places.get_mut(*slot) {
                    *place = at;
                }
            }
        }
        places
    }

    /// Puts each layer into the order of what its slots are joined to, and keeps the order in which
    /// the fewest lines cross.
    fn order(&mut self) {
        let mut best = (self.crossings(), self.layers.clone());
        for sweep in 0..SWEEPS {
            let to_the_right = sweep % 2 == 0;
            let depth = self.layers.len();
            for step in 1..depth {
                let at = if to_the_right { step } else { depth - 1 - step };
                let places = self.places();
                let joined = if to_the_right {
                    &self.left
                } else {
                    &self.right
                };
                let middle = |slot: &usize| {
                    let near = joined.get(*slot).map_or(&[][..], Vec::as_slice);
                    let near = near.iter().filter_map(|n| places.get(*n));
                    let (sum, count) = near.fold((0, 0_usize), |(s, c), p| (s + p, c + 1));
                    // What is joined to nothing there stays.
                    let own = places.get(*slot).copied().unwrap_or_default();
                    match count {
                        0 => (own, 1),
                        count => (sum, count),
                    }
                };
                if let Some(layer) = self.layers.get_mut(at) {
                    // Fractions are compared without rounding.
                    layer.sort_by(|a, b| {
                        let (a, b) = (middle(a), middle(b));
                        (a.0 * b.1).cmp(&(b.0 * a.1))
                    });
                }
            }
            let crossings = self.crossings();
            if crossings < best.0 {
                best = (crossings, self.layers.clone());
            }
        }
        self.layers = best.1;
    }

    fn crossings(&self) -> usize {
        let places = self.places();
        let place = |slot: &usize| places.get(*slot).copied().unwrap_or_default();
        let mut count = 0;
        for layer in &self.layers {
            let mut ends: Vec<(usize, usize)> = Vec::new();
            for slot in layer {
                let to = self.right.get(*slot).map_or(&[][..], Vec::as_slice);
                ends.extend(to.iter().map(|t| (place(slot), place(t))));
            }
            for (i, one) in ends.iter().enumerate() {
                let others = ends.iter().skip(i + 1);
                count += others
                    .filter(|o| (o.0 < one.0 && o.1 > one.1) || (o.0 > one.0 && o.1 < one.1))
                    .count();
            }
        }
        count
    }

    /// How much room a slot needs.
    fn room(&self, slot: usize) -> f64 {
        match self.kinds.get(slot) {
            Some(Slot::Node(_)) => 1.0,
            Some(Slot::Passing) | None => 0.5,
        }
    }

    /// Gives each slot a height, near to those that it is joined to.
    fn stand(&mut self) {
        self.heights = vec![0.0; self.kinds.len()];
        for layer in &self.layers {
            let mut before = 0.0;
            for slot in layer {
                let half = self.room(*slot) / 2.0;
                if let Some(height) = self.heights.get_mut(*slot) {
                    *height = before + half;
                }
                before += 2.0 * half;
            }
        }
        for sweep in 0..2 * SWEEPS {
            let order: Vec<usize> = match sweep % 2 {
                0 => (0..self.layers.len()).collect(),
                _ => (0..self.layers.len()).rev().collect(),
            };
            for at in order {
                self.settle_layer(at);
            }
        }
        let highest = self.heights.iter().copied().fold(f64::INFINITY, f64::min);
        for height in &mut self.heights {
            *height -= highest;
        }
    }

    /// The heights of a layer in its order that are nearest to what each slot is joined to (least
    /// squares under the rooms between them).
    fn settle_layer(&mut self, at: usize) {
        let Some(layer) = self.layers.get(at).cloned() else {
            return;
        };
        let height = |slot: &usize| self.heights.get(*slot).copied().unwrap_or_default();
        let wish = |slot: &usize| {
            let near = [&self.left, &self.right];
            let near: Vec<f64> = near
                .iter()
                .filter_map(|side| side.get(*slot))
                .flatten()
                .map(height)
                .collect();
            match near.len() {
                0 => height(slot),
                count => near.iter().sum::<f64>() / as_float(count),
            }
        };
        // Blocks that would overlap are put together, and stand where the mean of them wishes.
        let mut blocks: Vec<(f64, usize)> = Vec::new();
        let mut before = 0.0;
        let mut rooms = BTreeMap::new();
        for slot in &layer {
            let half = self.room(*slot) / 2.0;
            rooms.insert(*slot, before + half);
            let mut block = (wish(slot) - before - half, 1);
            before += 2.0 * half;
            while let Some(last) = blocks.last().filter(|last| last.0 > block.0) {
                let count = last.1 + block.1;
                let sum = last.0 * as_float(last.1) + block.0 * as_float(block.1);
                block = (sum / as_float(count), count);
                blocks.pop();
            }
            blocks.push(block);
        }
        let each = blocks
            .iter()
            .flat_map(|(at, count)| std::iter::repeat_n(*at, *count));
        for (slot, base) in layer.iter().zip(each) {
            let room = rooms.get(slot).copied().unwrap_or_default();
            if let Some(height) = self.heights.get_mut(*slot) {
                *height = base + room;
            }
        }
    }
}

/// A small number as a float.
pub(super) fn as_float(count: usize) -> f64 {
    u32::try_from(count).map_or(f64::MAX, f64::from)
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case::nothing(0, &[], &[])]
    #[case::alone(2, &[], &[0, 0])]
    #[case::longest_way(4, &[(0, 1), (1, 2), (0, 2), (2, 3), (0, 3)], &[0, 1, 2, 3])]
    #[case::asked_and_needed(3, &[(1, 0), (1, 2), (2, 0)], &[2, 0, 1])]
    #[case::a_circle(3, &[(0, 1), (1, 2), (2, 1)], &[0, 1, 2])]
    #[case::only_a_circle(2, &[(0, 1), (1, 0)], &[0, 1])]
    #[case::itself(1, &[(0, 0)], &[0])]
    fn who_needs_stands_before(
        #[case] count: usize,
        #[case] lines: &[(usize, usize)],
        #[case] expected: &[usize],
    ) {
        let found = layout(count, lines);
        assert_eq!(found.layers, expected);
        assert_eq!(found.ways.len(), lines.len());
        for ((from, to), way) in lines.iter().zip(&found.ways) {
            match way {
                Some(way) => assert_eq!(way.len() + 1, expected[*to] - expected[*from]),
                None => assert!(expected[*to] <= expected[*from]),
            }
        }
    }

    /// Nodes of one layer do not overlap, and a ladder has no lines that cross.
    #[test]
    fn nodes_stand_apart_and_lines_do_not_cross() {
        let lines: Vec<(usize, usize)> = (0..5).map(|n| (n, 9 - n)).collect();
        let found = layout(10, &lines);
        for one in 0..10 {
            for other in 0..one {
                if found.layers[one] == found.layers[other] {
                    let apart = (found.heights[one] - found.heights[other]).abs();
                    assert!(apart > 0.99, "{one} {other}: {apart}");
                }
            }
        }
        for (from, to) in &lines {
            assert!((found.heights[*from] - found.heights[*to]).abs() < 0.01);
        }
        assert!((found.height - 5.0).abs() < 0.01, "{}", found.height);
    }
}

//! Sparse Cholesky factorisation of matrices in blocks of two by two (the two coordinates of a point on the sheet), multifrontal (Duff and
//! Reid, "The Multifrontal Solution of Indefinite Sparse Symmetric Linear Equations", 1983) along a nested dissection (George, "Nested
//! Dissection of a Regular Finite Element Mesh", 1973) of the places of the points. The order of all sums is that of the dissection: results
//! are the same to the bit for any number of threads.

use glam::{DMat2, DVec2, DVec3};
use rayon::join;

/// Sets of points this small are not cut further.
const SMALL: usize = 16;
/// Columns of a front that are taken at once.
const PANEL: usize = 16;
/// Below this many points a branch is worked on by one thread.
const BRANCH: usize = 512;

/// Which entries a symmetric matrix of points has: the neighbours of each point, rising, without itself.
pub(super) struct Pattern {
    pub starts: Vec<u32>,
    pub others: Vec<u32>,
}

impl Pattern {
    /// Of the points of triangles.
    pub(super) fn new(points: usize, triangles: &[[u32; 3]]) -> Pattern {
        let mut pairs: Vec<(u32, u32)> = triangles
            .iter()
            .flat_map(|t| (0..3).flat_map(move |i| [(t[i], t[(i + 1) % 3]), (t[(i + 1) % 3], t[i])]))
            .collect();
        pairs.sort_unstable();
        pairs.dedup();
        let mut starts = vec![0u32; points + 1];
        pairs.iter().for_each(|p| starts[p.0 as usize + 1] += 1);
        (0..points).for_each(|i| starts[i + 1] += starts[i]);
        Pattern { starts, others: pairs.into_iter().map(|p| p.1).collect() }
    }

    pub(super) fn points(&self) -> usize {
        self.starts.len() - 1
    }

    pub(super) fn row(&self, point: u32) -> std::ops::Range<usize> {
        self.starts[point as usize] as usize..self.starts[point as usize + 1] as usize
    }

    /// Where the entry of `other` stands in the row of `point`; they are neighbours.
    pub(super) fn place(&self, point: u32, other: u32) -> usize {
        let row = self.row(point);
        row.start + self.others[row].partition_point(|&o| o < other)
    }
}

/// A symmetric matrix of blocks on a pattern: `own` on the diagonal, `with` beside each neighbour of the pattern.
pub(super) struct Blocks {
    pub own: Vec<DMat2>,
    pub with: Vec<DMat2>,
}

impl Blocks {
    pub(super) fn zero(pattern: &Pattern) -> Blocks {
        Blocks { own: vec![DMat2::ZERO; pattern.points()], with: vec![DMat2::ZERO; pattern.others.len()] }
    }
}

/// A branch of the dissection: its own points part those of its children, or are a small set.
struct Branch {
    own: Vec<u32>,
    /// Points of branches above that it or its children have to do with, in the order of elimination.
    border: Vec<u32>,
    children: Vec<Branch>,
    /// Points of it and its children.
    size: usize,
}

/// What a factorisation needs to know of a pattern.
pub(super) struct Symbolic {
    root: Branch,
    /// Place of each point in the order of elimination.
    place: Vec<u32>,
}

impl Symbolic {
    /// `places` are those of the points, in space or on the sheet: near points should be neighbours.
    pub(super) fn new(pattern: &Pattern, places: &[DVec3]) -> Symbolic {
        let mut side = vec![0u8; places.len()];
        let mut members: Vec<u32> = (0..places.len() as u32).collect();
        let mut root = dissect(pattern, places, &mut members, &mut side);
        let mut place = vec![0u32; places.len()];
        number(&root, &mut 0, &mut place);
        border(&mut root, pattern, &place);
        Symbolic { root, place }
    }
}

fn dissect(pattern: &Pattern, places: &[DVec3], members: &mut [u32], side: &mut [u8]) -> Branch {
    let size = members.len();
    let whole = |members: &[u32]| Branch { own: members.to_vec(), border: Vec::new(), children: Vec::new(), size };
    if size <= SMALL {
        return whole(members);
    }
    let (mut low, mut high) = (DVec3::INFINITY, DVec3::NEG_INFINITY);
    for &m in members.iter() {
        low = low.min(places[m as usize]);
        high = high.max(places[m as usize]);
    }
    let extent = high - low;
    let axis = extent.max_position();
    members.select_nth_unstable_by(size / 2, |&a, &b| {
        places[a as usize][axis].total_cmp(&places[b as usize][axis]).then(a.cmp(&b))
    });
    let (left, right) = members.split_at(size / 2);
    left.iter().for_each(|&m| side[m as usize] = 1);
    right.iter().for_each(|&m| side[m as usize] = 2);
    let touches = |m: u32, of: u8| pattern.row(m).any(|k| side[pattern.others[k] as usize] == of);
    let near_left: Vec<u32> = left.iter().copied().filter(|&m| touches(m, 2)).collect();
    let near_right: Vec<u32> = right.iter().copied().filter(|&m| touches(m, 1)).collect();
    let mut own = if near_left.len() <= near_right.len() { near_left } else { near_right };
    own.sort_unstable();
    own.iter().for_each(|&m| side[m as usize] = 3);
    let rest = |half: &[u32]| half.iter().copied().filter(|&m| side[m as usize] != 3).collect::<Vec<u32>>();
    let mut halves = [rest(left), rest(right)];
    members.iter().for_each(|&m| side[m as usize] = 0);
    let children = halves.iter_mut().map(|half| dissect(pattern, places, half, side)).collect();
    Branch { own, border: Vec::new(), children, size }
}

/// Numbers points in the order of elimination: children first.
fn number(branch: &Branch, next: &mut u32, place: &mut [u32]) {
    branch.children.iter().for_each(|child| number(child, next, place));
    for &p in &branch.own {
        place[p as usize] = *next;
        *next += 1;
    }
}

fn border(branch: &mut Branch, pattern: &Pattern, place: &[u32]) {
    branch.children.iter_mut().for_each(|child| border(child, pattern, place));
    let last = branch.own.last().map_or(0, |&p| place[p as usize]);
    let neighbours = branch.own.iter().flat_map(|&p| pattern.row(p).map(|k| pattern.others[k]));
    let below = branch.children.iter().flat_map(|child| child.border.iter().copied());
    let mut all: Vec<u32> = neighbours.chain(below).filter(|&p| place[p as usize] > last).collect();
    if branch.own.is_empty() {
        all = branch.children.iter().flat_map(|child| child.border.iter().copied()).collect();
    }
    all.sort_unstable_by_key(|&p| place[p as usize]);
    all.dedup();
    branch.border = all;
}

/// The factor L of a matrix L Lᵀ, by branches.
pub(super) struct Factor {
    /// Columns of the branch's own points, one after another: rows of its own points, then of its border.
    columns: Vec<f64>,
    children: Vec<Factor>,
}

/// What a branch leaves for the points of its border: a square of columns, of which those below the diagonal are right.
struct Left {
    size: usize,
    columns: Vec<f64>,
}

impl Factor {
    /// None where the matrix is not positive definite.
    pub(super) fn new(symbolic: &Symbolic, pattern: &Pattern, matrix: &Blocks) -> Option<Factor> {
        Some(eliminated(&symbolic.root, symbolic, pattern, matrix)?.0)
    }

    /// x of L Lᵀ x = b.
    pub(super) fn solve(&self, symbolic: &Symbolic, b: &[DVec2]) -> Vec<DVec2> {
        let mut x = b.to_vec();
        self.down(&symbolic.root, &mut x);
        self.up(&symbolic.root, &mut x);
        x
    }

    fn down(&self, branch: &Branch, x: &mut [DVec2]) {
        self.children.iter().zip(&branch.children).for_each(|(factor, child)| factor.down(child, x));
        let mut held = gathered(branch, x);
        let (own, rows) = (2 * branch.own.len(), held.len());
        for j in 0..own {
            let column = &self.columns[j * rows..(j + 1) * rows];
            let at = held[j] / column[j];
            held[j] = at;
            held[j + 1..].iter_mut().zip(&column[j + 1..]).for_each(|(h, c)| *h -= c * at);
        }
        points(branch).zip(held.as_chunks::<2>().0).for_each(|(p, &h)| x[p as usize] = h.into());
    }

    fn up(&self, branch: &Branch, x: &mut [DVec2]) {
        let mut held = gathered(branch, x);
        let (own, rows) = (2 * branch.own.len(), held.len());
        for j in (0..own).rev() {
            let column = &self.columns[j * rows..(j + 1) * rows];
            let sum: f64 = held[j + 1..].iter().zip(&column[j + 1..]).map(|(h, c)| h * c).sum();
            held[j] = (held[j] - sum) / column[j];
        }
        points(branch).zip(held.as_chunks::<2>().0).take(own / 2).for_each(|(p, &h)| x[p as usize] = h.into());
        self.children.iter().zip(&branch.children).for_each(|(factor, child)| factor.up(child, x));
    }
}

fn points(branch: &Branch) -> impl Iterator<Item = u32> {
    branch.own.iter().chain(&branch.border).copied()
}

fn gathered(branch: &Branch, x: &[DVec2]) -> Vec<f64> {
    points(branch).flat_map(|p| x[p as usize].to_array()).collect()
}

/// Takes a branch's points out of the equations, its children's first.
fn eliminated(branch: &Branch, symbolic: &Symbolic, pattern: &Pattern, matrix: &Blocks) -> Option<(Factor, Left)> {
    let of = |child: &Branch| eliminated(child, symbolic, pattern, matrix);
    let below: Vec<(Factor, Left)> = match &branch.children[..] {
        [one, two] if branch.size > BRANCH => {
            let (one, two) = join(|| of(one), || of(two));
            vec![one?, two?]
        }
        children => children.iter().map(of).collect::<Option<_>>()?,
    };
    let rows = 2 * (branch.own.len() + branch.border.len());
    let mut front = vec![0.0f64; rows * rows];
    let place = |p: u32| symbolic.place[p as usize];
    let first = branch.own.first().map_or(0, |&p| place(p));
    let local = |p: u32| {
        let inside = place(p).wrapping_sub(first) as usize;
        if !branch.own.is_empty() && place(p) >= first && inside < branch.own.len() {
            inside
        } else {
            branch.own.len() + branch.border.partition_point(|&b| place(b) < place(p))
        }
    };
    for (j, &p) in branch.own.iter().enumerate() {
        put(&mut front, rows, [j, j], matrix.own[p as usize]);
        for k in pattern.row(p).filter(|&k| place(pattern.others[k]) > place(p)) {
            put(&mut front, rows, [local(pattern.others[k]), j], matrix.with[k].transpose());
        }
    }
    let mut children = Vec::new();
    for ((factor, left), child) in below.into_iter().zip(&branch.children) {
        let at: Vec<usize> = child.border.iter().map(|&p| local(p)).collect();
        for (j, &to) in at.iter().enumerate() {
            for side in 0..2 {
                let from = &left.columns[(2 * j + side) * left.size..][..left.size];
                let column = &mut front[(2 * to + side) * rows..][..rows];
                for (i, &row) in at.iter().enumerate().skip(j) {
                    column[2 * row] += from[2 * i];
                    column[2 * row + 1] += from[2 * i + 1];
                }
            }
        }
        children.push(factor);
    }
    let own = 2 * branch.own.len();
    eliminate(&mut front, rows, own)?;
    let size = rows - own;
    let mut left = Left { size, columns: Vec::with_capacity(size * size) };
    for j in own..rows {
        left.columns.extend_from_slice(&front[j * rows + own..(j + 1) * rows]);
    }
    front.truncate(own * rows);
    front.shrink_to_fit();
    Some((Factor { columns: front, children }, left))
}

/// Adds a block at a row and column of points.
fn put(front: &mut [f64], rows: usize, [i, j]: [usize; 2], block: DMat2) {
    for side in 0..2 {
        let column = &mut front[(2 * j + side) * rows + 2 * i..][..2];
        column[0] += block.col(side).x;
        column[1] += block.col(side).y;
    }
}

/// Cholesky of the first `own` columns of a square of `rows`, and what that leaves of the rest, below the diagonal. None where it is not
/// positive definite.
fn eliminate(front: &mut [f64], rows: usize, own: usize) -> Option<()> {
    for start in (0..own).step_by(PANEL) {
        let end = (start + PANEL).min(own);
        for j in start..end {
            let (before, rest) = front.split_at_mut(j * rows);
            let column = &mut rest[j..rows];
            for k in start..j {
                let known = &before[k * rows + j..(k + 1) * rows];
                let by = known[0];
                column.iter_mut().zip(known).for_each(|(c, k)| *c -= by * k);
            }
            if column[0] <= 0.0 || !column[0].is_finite() {
                return None;
            }
            let root = column[0].sqrt();
            column.iter_mut().for_each(|c| *c /= root);
        }
        let (done, rest) = front.split_at_mut(end * rows);
        let panel = &done[start * rows..];
        let mut pairs = rest.chunks_exact_mut(2 * rows);
        let mut j = end;
        for pair in &mut pairs {
            let (one, two) = pair.split_at_mut(rows);
            subtract(&mut one[j..], &mut two[j..], panel, rows, j);
            j += 2;
        }
    }
    Some(())
}

/// Takes from two columns, from row `j` of the first on, the columns of a panel times their rows `j` and `j + 1`. What it leaves above the
/// diagonal of the second is never read.
fn subtract(one: &mut [f64], two: &mut [f64], panel: &[f64], rows: usize, j: usize) {
    for four in panel.chunks(4 * rows) {
        if four.len() == 4 * rows {
            let [a, b, c, d] = std::array::from_fn(|k| &four[k * rows + j..(k + 1) * rows]);
            let ([a0, b0, c0, d0], [a1, b1, c1, d1]) = ([a[0], b[0], c[0], d[0]], [a[1], b[1], c[1], d[1]]);
            let all = one.iter_mut().zip(two.iter_mut()).zip(a).zip(b).zip(c).zip(d);
            all.for_each(|(((((x, y), a), b), c), d)| {
                *x -= a0 * a + b0 * b + c0 * c + d0 * d;
                *y -= a1 * a + b1 * b + c1 * c + d1 * d;
            });
        } else {
            for a in four.chunks_exact(rows).map(|column| &column[j..]) {
                let (a0, a1) = (a[0], a[1]);
                one.iter_mut().zip(two.iter_mut()).zip(a).for_each(|((x, y), a)| {
                    *x -= a0 * a;
                    *y -= a1 * a;
                });
            }
        }
    }
}

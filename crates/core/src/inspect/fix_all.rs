//! Fixing all that can be fixed safely.

use super::check_mesh;
use crate::mesh::Mesh;
use crate::step::{MeshStep, room_last};

/// Rounds of checking and fixing: a step may bring another finding to light, as an island moved back into the square may then
/// lie on one that is there.
const ROUNDS: usize = 6;

/// Takes the first fix of every finding that has one, until none is left, and returns the steps taken and the mesh after them.
pub fn fix_all(mesh: &Mesh, as_low: bool) -> (Vec<MeshStep>, Mesh) {
    let mut mesh = mesh.clone();
    let mut taken: Vec<MeshStep> = Vec::new();
    for _ in 0..ROUNDS {
        let offered = check_mesh(&mesh, as_low).into_iter().filter_map(|f| f.fixes.into_iter().next());
        let mut steps: Vec<MeshStep> = Vec::new();
        for step in offered.map(|fix| fix.step) {
            // Once more at most: what another step brought to light may ask for it again, but not for ever.
            if !steps.contains(&step) && taken.iter().filter(|t| **t == step).count() < 2 {
                steps.push(step);
            }
        }
        room_last(&mut steps, |step| step);
        if steps.is_empty() {
            break;
        }
        mesh = mesh.with_steps(&steps);
        taken.extend(steps);
    }
    (taken, mesh)
}

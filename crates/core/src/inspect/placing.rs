//! Low-poly and sculpt compared by their boxes: another scale, another axis up, or apart from each other. Rays find nothing
//! then, or the wrong thing, and no reach fixes it.

use crate::finding::{Finding, FindingKind, Fix, FixOn, Place, Severity};
use crate::step::{MeshStep, Turn};
use glam::Vec3;

/// Usual slips between units: how many times too large, and what was taken for what.
const SLIPS: [(f32, &str); 6] = [
    (1000.0, "millimetres taken for metres"),
    (100.0, "centimetres taken for metres"),
    (39.37, "inches taken for metres"),
    (10.0, "millimetres taken for centimetres"),
    (3.281, "feet taken for metres"),
    (2.54, "centimetres taken for inches"),
];
/// A sculpt's diagonal may differ from the low-poly's by this factor and still be the same thing.
const SAME: f32 = 1.5;
/// How well a ratio must fit a slip.
const FITS: f32 = 0.08;
/// Middles further apart than this share of the low-poly's diagonal.
const APART: f32 = 0.15;
/// Sides that differ by more than this share of the diagonal are another shape; less than the second are the same.
const OTHER: f32 = 0.15;
const LIKE: f32 = 0.06;

/// What stands out between the boxes (low and high corner) of the low-poly and of the sculpt; at most one finding, the one to
/// fix first.
pub fn compare_placing(low: (Vec3, Vec3), high: (Vec3, Vec3)) -> Option<Finding> {
    let (size, other) = (low.1 - low.0, high.1 - high.0);
    let (diagonal, other_diagonal) = (size.length(), other.length());
    if !(diagonal > 0.0 && other_diagonal > 0.0) {
        return None;
    }
    let on_sculpt = |words: String, step| Fix { words, step, on: FixOn::Sculpt };
    let finding = |kind, reason: String, remedy: &str, fixes| {
        Finding::new(kind, Severity::Warning, reason, remedy)
            .at(Place { point: Some(((low.0 + low.1) * 0.5).to_array()), ..Place::default() })
            .with_fixes(fixes)
    };
    let ratio = other_diagonal / diagonal;
    let times = ratio.max(1.0 / ratio);
    if times > SAME {
        let slip = SLIPS.iter().find(|(slip, _)| (times / slip - 1.0).abs() < FITS);
        let rounded = (times * 1000.0).round() / 1000.0;
        let words = if ratio > 1.0 { "as large as" } else { "smaller than" };
        let guess = slip.map_or(String::new(), |(_, guess)| format!("; probably {guess}"));
        // A unit's own factor where one is recognised: boxes agree only nearly.
        let factor = slip.map_or(times, |(slip, _)| *slip);
        let factor = if ratio > 1.0 { 1.0 / factor } else { factor };
        let fix = on_sculpt(format!("Scale the sculpt by {factor:.4}"), MeshStep::Scale { factor });
        return Some(finding(
            FindingKind::ScaleSlip,
            format!(
                "The sculpt is {rounded} times {words} the low-poly (corner to corner {other_diagonal:.4} and {diagonal:.4}){guess}"
            ),
            "Export both from one scene in the same unit and import them again, or scale the sculpt here",
            vec![fix],
        ));
    }
    let (shape, other_shape) = (size / diagonal, other / other_diagonal);
    let off = |a: Vec3, b: Vec3| (a - b).abs().max_element();
    let turned = Vec3::new(other_shape.x, other_shape.z, other_shape.y);
    if off(shape, other_shape) > OTHER && off(shape, turned) < LIKE {
        // Boxes cannot tell which way round where the middle stays the same; the turn that brings it nearer comes first.
        let middle = |(a, b): (Vec3, Vec3)| (a + b) * 0.5;
        let away = |turn: Turn| turn.apply(middle(high)).distance(middle(low));
        let turns = match away(Turn::YDown) + 1e-4 * diagonal < away(Turn::ZUp) {
            true => [Turn::YDown, Turn::ZUp],
            false => [Turn::ZUp, Turn::YDown],
        };
        let fixes = turns.map(|turn| {
            let words = match turn {
                Turn::ZUp => "Turn the sculpt from Z up to Y up",
                Turn::YDown => "Turn the sculpt the other way",
            };
            on_sculpt(words.into(), MeshStep::Turn { turn })
        });
        return Some(finding(
            FindingKind::AxisSwap,
            format!(
                "The sculpt lies on its side: {:.4} x {:.4} x {:.4} against the low-poly's {:.4} x {:.4} x {:.4}",
                other.x, other.y, other.z, size.x, size.y, size.z
            ),
            "One was exported with Z up, the other with Y up; export both the same way, or turn the sculpt here",
            fixes.to_vec(),
        ));
    }
    let away = (high.0 + high.1 - low.0 - low.1) * 0.5;
    (away.length() > APART * diagonal).then(|| {
        finding(
            FindingKind::MeshesApart,
            format!(
                "The sculpt's centre is ({:.4}, {:.4}, {:.4}) away from the low-poly's: {:.0} % of its size",
                away.x,
                away.y,
                away.z,
                100.0 * away.length() / diagonal
            ),
            "Move both to the same place before export, or move the sculpt here: rays do not reach that far",
            vec![on_sculpt("Move the sculpt onto the low-poly".into(), MeshStep::Move { by: (-away).to_array() })],
        )
    })
}

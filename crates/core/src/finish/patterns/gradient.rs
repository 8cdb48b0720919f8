//! `gradient`, `gradient-point` and `gradient-part`: a straight rise along an axis, with the distance from a point, and along the box
//! of a part.

use super::{Control, Kernel, Making, Pattern, PatternInfo, Points, pattern};
use crate::surface::Axis;
use glam::Vec3;

pattern! {
    /// 0 at one coordinate of an axis, 1 at another.
    pub struct GradientSettings {
        pub axis: Axis = Axis::Y,
        /// Coordinate where it is 0, scene units.
        pub from: f32 = 0.0,
        /// Coordinate where it is 1.
        pub to: f32 = 1.0,
    }
}

pattern! {
    /// 0 at one distance from a point, 1 at another.
    pub struct GradientPointSettings {
        /// Scene units.
        pub middle: [f32; 3] = [0.0; 3],
        /// Distance where it is 0, scene units.
        pub from: f32 = 0.0,
        /// Distance where it is 1.
        pub to: f32 = 1.0,
    }
}

pattern! {
    /// 0 at one share of the way along the box of the low-poly part, 1 at another.
    pub struct GradientPartSettings {
        pub axis: Axis = Axis::Y,
        /// Share of the way where it is 0.
        pub from: f32 = 0.0,
        /// Share of the way where it is 1.
        pub to: f32 = 1.0,
    }
}

/// What a gradient rises with.
enum Along {
    Axis(Axis),
    Point(Vec3),
}

struct GradientKernel {
    along: Along,
    from: f32,
    to: f32,
}

impl Kernel for GradientKernel {
    fn fill(&self, at: &Points, out: &mut [f32]) {
        let share = |value: f32| match self.to == self.from {
            true => f32::from(u8::from(value >= self.to)),
            false => ((value - self.from) / (self.to - self.from)).clamp(0.0, 1.0),
        };
        match self.along {
            Along::Axis(axis) => {
                let column = [at.x, at.y, at.z][axis as usize];
                out.iter_mut().zip(column).for_each(|(slot, value)| *slot = share(*value));
            }
            Along::Point(middle) => {
                for (i, slot) in out.iter_mut().enumerate() {
                    *slot = share(Vec3::new(at.x[i], at.y[i], at.z[i]).distance(middle));
                }
            }
        }
    }
}

impl Pattern for GradientSettings {
    const INFO: PatternInfo = PatternInfo {
        id: "gradient",
        label: "Gradient along an axis",
        explains: "Rises evenly between two coordinates.",
        controls: &[
            Control::axis("axis", "Axis", "The axis it rises along."),
            Control::coordinate("from", "From", "Coordinate where it is 0."),
            Control::coordinate("to", "To", "Coordinate where it is 1."),
        ],
    };

    fn kernel(&self, _: &Making) -> Result<Box<dyn Kernel>, String> {
        Ok(Box::new(GradientKernel { along: Along::Axis(self.axis), from: self.from, to: self.to }))
    }
}

impl Pattern for GradientPointSettings {
    const INFO: PatternInfo = PatternInfo {
        id: "gradient-point",
        label: "Gradient from a point",
        explains: "Rises with the distance from a point.",
        controls: &[
            Control::new("middle", "Middle", super::ControlInput::Point, "The point it rises from."),
            Control::coordinate("from", "From", "Distance where it is 0."),
            Control::coordinate("to", "To", "Distance where it is 1."),
        ],
    };

    fn kernel(&self, _: &Making) -> Result<Box<dyn Kernel>, String> {
        Ok(Box::new(GradientKernel { along: Along::Point(self.middle.into()), from: self.from, to: self.to }))
    }
}

impl Pattern for GradientPartSettings {
    const INFO: PatternInfo = PatternInfo {
        id: "gradient-part",
        label: "Gradient along each part",
        explains: "Rises from one end of each low-poly part to the other.",
        controls: &[
            Control::axis("axis", "Axis", "The axis it rises along."),
            Control::share("from", "From", [0.0, 1.0], "Share of the way where it is 0."),
            Control::share("to", "To", [0.0, 1.0], "Share of the way where it is 1."),
        ],
    };

    fn kernel(&self, _: &Making) -> Result<Box<dyn Kernel>, String> {
        Ok(Box::new(GradientKernel { along: Along::Axis(self.axis), from: self.from, to: self.to }))
    }

    fn along_part(&self) -> Option<Axis> {
        Some(self.axis)
    }
}

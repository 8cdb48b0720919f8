//! Rays against Embree's, where its library is installed: the same triangles, the same rays, one thread, in turns. Embree runs in its
//! watertight (robust) mode on a tree of its best quality, in each way it offers; the fastest of them counts.
#![allow(unsafe_code, reason = "calls Embree through its C interface")]

use super::{AO_SHARE, best, packets, primary_spans, sky_spans, some};
use ember_ridge_core::Mesh;
use ember_ridge_core::bake::Plan;
use ember_ridge_core::maps::MapSettings;
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::trace::{BackFaces, LANES, RaySpan, Seen, Walk};
use ember_ridge_samples::{Detail, make};
use std::ffi::{c_char, c_int, c_uint, c_void};

/// Rays a packet of Embree's may have here.
const WIDE: usize = 16;

#[repr(C)]
struct Context {
    flags: c_uint,
    filter: *const c_void,
    instance: [c_uint; 1],
}

#[derive(Clone, Copy)]
#[repr(C, align(16))]
struct OneRay {
    origin: [f32; 3],
    near: f32,
    direction: [f32; 3],
    time: f32,
    far: f32,
    mask: u32,
    id: u32,
    flags: u32,
    normal: [f32; 3],
    u: f32,
    v: f32,
    primitive: u32,
    geometry: u32,
    instance: [u32; 1],
}

#[derive(Clone, Copy)]
#[repr(C, align(64))]
struct ManyRays<const N: usize> {
    origin: [[f32; N]; 3],
    near: [f32; N],
    direction: [[f32; N]; 3],
    time: [f32; N],
    far: [f32; N],
    mask: [u32; N],
    id: [u32; N],
    flags: [u32; N],
    normal: [[f32; N]; 3],
    u: [f32; N],
    v: [f32; N],
    primitive: [u32; N],
    geometry: [u32; N],
    instance: [u32; N],
}

unsafe extern "C" {
    fn rtcNewDevice(config: *const c_char) -> *mut c_void;
    fn rtcReleaseDevice(device: *mut c_void);
    fn rtcNewScene(device: *mut c_void) -> *mut c_void;
    fn rtcReleaseScene(scene: *mut c_void);
    fn rtcSetSceneFlags(scene: *mut c_void, flags: c_uint);
    fn rtcSetSceneBuildQuality(scene: *mut c_void, quality: c_uint);
    fn rtcCommitScene(scene: *mut c_void);
    fn rtcNewGeometry(device: *mut c_void, kind: c_uint) -> *mut c_void;
    fn rtcReleaseGeometry(geometry: *mut c_void);
    fn rtcCommitGeometry(geometry: *mut c_void);
    fn rtcAttachGeometry(scene: *mut c_void, geometry: *mut c_void) -> c_uint;
    fn rtcSetNewGeometryBuffer(
        geometry: *mut c_void,
        kind: c_uint,
        slot: c_uint,
        format: c_uint,
        stride: usize,
        count: usize,
    ) -> *mut c_void;
    fn rtcIntersect1(scene: *mut c_void, context: *mut Context, ray: *mut OneRay);
    fn rtcOccluded1(scene: *mut c_void, context: *mut Context, ray: *mut OneRay);
    fn rtcIntersect8(valid: *const c_int, scene: *mut c_void, context: *mut Context, rays: *mut ManyRays<8>);
    fn rtcOccluded8(valid: *const c_int, scene: *mut c_void, context: *mut Context, rays: *mut ManyRays<8>);
    fn rtcIntersect16(valid: *const c_int, scene: *mut c_void, context: *mut Context, rays: *mut ManyRays<16>);
    fn rtcOccluded16(valid: *const c_int, scene: *mut c_void, context: *mut Context, rays: *mut ManyRays<16>);
}

const ROBUST: c_uint = 1 << 2;
const HIGH_QUALITY: c_uint = 2;
const TRIANGLES: c_uint = 0;
const INDEX_BUFFER: c_uint = 0;
const VERTEX_BUFFER: c_uint = 1;
const THREE_UINTS: c_uint = 0x5003;
const THREE_FLOATS: c_uint = 0x9003;
const NOTHING: u32 = u32::MAX;

/// A way of tracing that Embree offers.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Mode {
    /// Rays at a time: 1, 8 or 16.
    pub rays: usize,
    /// Said to run alike.
    pub coherent: bool,
}

impl Mode {
    pub fn words(self) -> String {
        let how = if self.coherent { "coherent" } else { "incoherent" };
        if self.rays == 1 { "single rays".into() } else { format!("packets of {}, {how}", self.rays) }
    }
}

/// All of them.
pub const MODES: [Mode; 5] = [
    Mode { rays: 1, coherent: false },
    Mode { rays: 8, coherent: false },
    Mode { rays: 8, coherent: true },
    Mode { rays: 16, coherent: false },
    Mode { rays: 16, coherent: true },
];

/// A mesh in Embree.
pub struct Embree {
    device: *mut c_void,
    scene: *mut c_void,
}

impl Embree {
    /// None where Embree makes no device.
    pub fn new(mesh: &Mesh) -> Option<Embree> {
        // SAFETY: handles come from Embree and are checked; buffers are filled to the size they were made with, with three
        // numbers an entry.
        unsafe {
            let device = rtcNewDevice(c"threads=1".as_ptr());
            if device.is_null() {
                return None;
            }
            let scene = rtcNewScene(device);
            rtcSetSceneFlags(scene, ROBUST);
            rtcSetSceneBuildQuality(scene, HIGH_QUALITY);
            let geometry = rtcNewGeometry(device, TRIANGLES);
            let points = rtcSetNewGeometryBuffer(geometry, VERTEX_BUFFER, 0, THREE_FLOATS, 12, mesh.positions.len());
            let faces = rtcSetNewGeometryBuffer(geometry, INDEX_BUFFER, 0, THREE_UINTS, 12, mesh.triangles.len());
            let points = std::slice::from_raw_parts_mut(points.cast::<[f32; 3]>(), mesh.positions.len());
            let faces = std::slice::from_raw_parts_mut(faces.cast::<[u32; 3]>(), mesh.triangles.len());
            points.iter_mut().zip(&mesh.positions).for_each(|(to, p)| *to = p.to_array());
            faces.copy_from_slice(&mesh.triangles);
            rtcCommitGeometry(geometry);
            rtcAttachGeometry(scene, geometry);
            rtcReleaseGeometry(geometry);
            rtcCommitScene(scene);
            Some(Embree { device, scene })
        }
    }

    /// How many of the rays hit anything: the closest hit of each, or for `occluded` whether there is one.
    pub fn trace(&self, mode: Mode, occluded: bool, spans: &[RaySpan]) -> usize {
        let flags = c_uint::from(mode.coherent);
        let mut context = Context { flags, filter: std::ptr::null(), instance: [NOTHING] };
        match mode.rays {
            1 => self.one_by_one(&mut context, occluded, spans),
            8 => self.many::<8>(&mut context, spans, if occluded { rtcOccluded8 } else { rtcIntersect8 }),
            _ => self.many::<WIDE>(&mut context, spans, if occluded { rtcOccluded16 } else { rtcIntersect16 }),
        }
    }

    fn one_by_one(&self, context: &mut Context, occluded: bool, spans: &[RaySpan]) -> usize {
        let query = if occluded { rtcOccluded1 } else { rtcIntersect1 };
        let mut hits = 0;
        for span in spans {
            let mut ray = OneRay {
                origin: span.origin.to_array(),
                near: 0.0,
                direction: span.direction.to_array(),
                time: 0.0,
                far: span.length,
                mask: NOTHING,
                id: 0,
                flags: 0,
                normal: [0.0; 3],
                u: 0.0,
                v: 0.0,
                primitive: NOTHING,
                geometry: NOTHING,
                instance: [NOTHING],
            };
            // SAFETY: the scene is committed, the ray laid out as Embree's own, a ray with its hit.
            unsafe { query(self.scene, context, &raw mut ray) };
            hits += usize::from(ray.geometry != NOTHING || ray.far < 0.0);
        }
        hits
    }

    fn many<const N: usize>(
        &self,
        context: &mut Context,
        spans: &[RaySpan],
        query: unsafe extern "C" fn(*const c_int, *mut c_void, *mut Context, *mut ManyRays<N>),
    ) -> usize {
        /// A packet's mask, as wide as Embree reads it.
        #[repr(C, align(64))]
        struct Valid<const N: usize>([c_int; N]);
        let mut hits = 0;
        let mut rays = ManyRays::<N> {
            origin: [[0.0; N]; 3],
            near: [0.0; N],
            direction: [[0.0; N]; 3],
            time: [0.0; N],
            far: [0.0; N],
            mask: [NOTHING; N],
            id: [0; N],
            flags: [0; N],
            normal: [[0.0; N]; 3],
            u: [0.0; N],
            v: [0.0; N],
            primitive: [NOTHING; N],
            geometry: [NOTHING; N],
            instance: [NOTHING; N],
        };
        for chunk in spans.chunks(N) {
            let mut valid = Valid([0; N]);
            for (lane, span) in chunk.iter().enumerate() {
                valid.0[lane] = -1;
                for axis in 0..3 {
                    rays.origin[axis][lane] = span.origin[axis];
                    rays.direction[axis][lane] = span.direction[axis];
                }
                rays.far[lane] = span.length;
                rays.geometry[lane] = NOTHING;
            }
            // SAFETY: the scene is committed, the packet laid out as Embree's own of N rays with their hits, and aligned.
            unsafe { query(valid.0.as_ptr(), self.scene, context, &raw mut rays) };
            let met = |&lane: &usize| rays.geometry[lane] != NOTHING || rays.far[lane] < 0.0;
            hits += (0..chunk.len()).filter(met).count();
        }
        hits
    }
}

impl Drop for Embree {
    fn drop(&mut self) {
        // SAFETY: both were made in `new` and are used no more.
        unsafe {
            rtcReleaseScene(self.scene);
            rtcReleaseDevice(self.device);
        }
    }
}

/// Rays of both samples through Embree's watertight mode and through ours, one thread.
pub fn print() {
    println!(
        "-- rays against Embree 3, watertight on both sides, one thread, M rays/s; rounds in turns, the best of each"
    );
    println!("{:<20} {:<10} {:>8} {:>28} {:>8} {:>7}", "sample", "rays", "ours", "Embree's best", "", "ratio");
    for name in ["boundary-stone", "lookout-lantern"] {
        let sample = make(name, Detail::Full).expect("a sample of that name");
        let scene = BakeScene::new(&[&sample.low], &[&sample.high], None).expect("no cage");
        let Some(other) = Embree::new(&scene.high) else {
            println!("Embree makes no device here");
            return;
        };
        let mut recipe = sample.recipe.clone();
        recipe.maps = MapSettings::by_key("normal").into_iter().collect();
        let plan = Plan::new(&recipe, &scene).expect("sound");
        let mask = vec![true; scene.high.parts.len()];
        let reach = plan.rays.field.summary;
        let all = primary_spans(&scene, 1024, reach.out, reach.inward);
        let sky = some(&sky_spans(&scene, &all, &mask, scene.diagonal() * AO_SHARE), 400_000);
        let primary = some(&all, 400_000);
        for (kind, spans, occluded) in [("closest", &primary, false), ("occlusion", &sky, true)] {
            let mut walk = Walk::default();
            let mut own = || {
                let mut hits = 0;
                packets(spans, |p| {
                    hits += match occluded {
                        true => scene.trace.occluded_packet(p, &mask, &mut walk).count_ones() as usize,
                        false => {
                            let answer = scene.trace.closest_packet(p, &mask, BackFaces::Keep, Seen::Along, &mut walk);
                            (0..LANES).filter(|&lane| answer.lane(lane).hit.is_some()).count()
                        }
                    };
                });
                hits
            };
            let (mut ours, mut theirs) = (best(1, &mut own), vec![f64::INFINITY; MODES.len()]);
            for _ in 0..7 {
                for (mode, least) in MODES.iter().zip(&mut theirs) {
                    let (seconds, hits) = best(1, || other.trace(*mode, occluded, spans));
                    assert!(hits.abs_diff(ours.1) * 1000 <= ours.1, "{mode:?}: {hits} hits, {} of ours", ours.1);
                    *least = least.min(seconds);
                }
                let again = best(1, &mut own);
                ours = if again.0 < ours.0 { again } else { ours };
            }
            let rate = |seconds: f64| spans.len() as f64 / seconds / 1e6;
            let at = (0..MODES.len()).min_by(|&a, &b| theirs[a].total_cmp(&theirs[b])).unwrap_or_default();
            println!(
                "{name:<20} {kind:<10} {:>8.2} {:>28} {:>8.2} {:>7.2}",
                rate(ours.0),
                MODES[at].words(),
                rate(theirs[at]),
                theirs[at] / ours.0
            );
            let each: Vec<String> =
                MODES.iter().zip(&theirs).map(|(m, s)| format!("{} {:.2}", m.words(), rate(*s))).collect();
            println!("    {}", each.join(", "));
        }
    }
}

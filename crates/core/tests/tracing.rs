//! Rays against every triangle one by one, by another formula, and through closed meshes.

use crate::support::{ball, scaled};
use ember_ridge_core::glam::{DVec3, Vec3, vec3};
use ember_ridge_core::trace::{
    BackFaces, ClosestRule, LANES, Packet, PerRay, RaySpan, Registers, Seen, Sight, TraceScene, Walk,
};
use ember_ridge_core::{Draft, DraftPart, Mesh};
use proptest::prelude::*;

/// Moeller and Trumbore's test in double precision: distance, and whether the back was met.
fn by_hand(mesh: &Mesh, triangle: u32, span: &RaySpan) -> Option<(f64, bool)> {
    let [a, b, c] = mesh.corners(triangle).map(Vec3::as_dvec3);
    let (origin, direction): (DVec3, DVec3) = (span.origin.as_dvec3(), span.direction.as_dvec3());
    let (e, f) = (b - a, c - a);
    let p = direction.cross(f);
    let det = e.dot(p);
    if det == 0.0 {
        return None;
    }
    let s = origin - a;
    let u = s.dot(p) / det;
    let q = s.cross(e);
    let v = direction.dot(q) / det;
    let t = f.dot(q) / det;
    (u >= 0.0 && v >= 0.0 && u + v <= 1.0 && t >= 0.0 && t <= f64::from(span.length)).then_some((t, det < 0.0))
}

fn soup(points: &[[f32; 3]]) -> Option<Mesh> {
    let draft = Draft {
        positions: points.iter().map(|p| Vec3::from(*p)).collect(),
        parts: vec![DraftPart {
            name: "soup".into(),
            indices: (0..points.len() as u32 / 3 * 3).collect(),
            ..DraftPart::default()
        }],
        ..Draft::default()
    };
    draft.finish().ok()
}

fn unit(v: [f32; 3]) -> Vec3 {
    Vec3::from(v).try_normalize().unwrap_or(Vec3::NEG_Y)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn the_closest_hit_is_the_one_a_search_of_all_triangles_finds(
        points in proptest::collection::vec(prop::array::uniform3(-1.0f32..1.0), 3..180),
        origin in prop::array::uniform3(-2.0f32..2.0),
        direction in prop_oneof![
            prop::array::uniform3(-1.0f32..1.0),
            // Along the axes, where reciprocals are infinite and zeros carry signs.
            prop::sample::select(vec![[1.0f32, -0.0, 0.0], [-1.0, 0.0, -0.0], [0.0, -1.0, -0.0], [-0.0, 0.0, 1.0]]),
        ],
        skip in any::<bool>(),
    ) {
        let Some(mesh) = soup(&points) else { return Ok(()) };
        let scene = TraceScene::new(&mesh);
        let span = RaySpan { origin: Vec3::from(origin), direction: unit(direction), length: 4.0 };
        let rule = if skip { BackFaces::Skip } else { BackFaces::Keep };
        let found = scene.closest(&span, &[true], rule).hit;
        let best = (0..mesh.triangles.len() as u32)
            .filter_map(|t| by_hand(&mesh, t, &span))
            .filter(|(_, back)| !(skip && *back))
            .map(|(t, _)| t)
            .min_by(f64::total_cmp);
        match (found, best) {
            (Some(hit), Some(t)) => prop_assert!((f64::from(hit.t) - t).abs() < 1e-4, "{} {t}", hit.t),
            (None, None) => {}
            // A ray through an edge may be told apart by rounding; it must then graze that edge.
            (hit, t) => {
                let grazes = (0..mesh.triangles.len() as u32).any(|k| {
                    let [a, b, c] = mesh.corners(k).map(Vec3::as_dvec3);
                    let n = (b - a).cross(c - a);
                    n.normalize().dot(span.direction.as_dvec3()).abs() < 1e-3
                        || [(a, b), (b, c), (c, a)].iter().any(|(p, q)| {
                            let (o, d) = (span.origin.as_dvec3(), span.direction.as_dvec3());
                            let across = d.cross(*q - *p).normalize_or_zero();
                            (*p - o).dot(across).abs() < 1e-5
                        })
                });
                prop_assert!(grazes, "{hit:?} {t:?}");
            }
        }
    }
}

#[test]
fn no_ray_slips_through_a_closed_ball() {
    let mesh = ball("ball", 1.0, 40);
    let scene = TraceScene::new(&mesh);
    let mut slipped = 0;
    // Rays aimed exactly at vertices and at middles of edges, where leaks show.
    let edges = mesh.triangles.iter().map(|t| (mesh.positions[t[0] as usize] + mesh.positions[t[1] as usize]) / 2.0);
    for target in mesh.positions.iter().copied().chain(edges) {
        for from in [vec3(3.0, 0.0, 0.0), vec3(0.0, -3.0, 0.0), vec3(1.7, 2.1, -2.3), target * 3.0] {
            let direction = (target * 0.999 - from).normalize();
            let span = RaySpan { origin: from, direction, length: 6.0 };
            let missed = scene.closest(&span, &[true], BackFaces::Keep).hit.is_none();
            slipped += usize::from(missed);
        }
    }
    assert_eq!(slipped, 0);
}

#[test]
fn masks_leave_parts_out_and_back_faces_are_told() {
    let shell = ball("shell", 1.0, 20);
    let core = ball("core", 0.5, 20);
    let scene = TraceScene::new(&Mesh::joined(&[&shell, &core]));
    let span = RaySpan { origin: vec3(0.1, 3.0, 0.2), direction: Vec3::NEG_Y, length: 10.0 };
    let height = |mask: &[bool], rule| scene.closest(&span, mask, rule).hit.map(|h| 3.0 - h.t);
    let near = |h: Option<f32>, expected: f32| h.is_some_and(|h| (h - expected).abs() < 0.02);
    assert!(near(height(&[true, true], BackFaces::Skip), (1.0f32 - 0.05).sqrt()));
    assert!(near(height(&[false, true], BackFaces::Skip), (0.25f32 - 0.05).sqrt()));
    assert_eq!(height(&[false, false], BackFaces::Skip), None);
    // From inside the core only backs are in sight.
    let inside = RaySpan { origin: vec3(0.1, 0.0, 0.2), direction: Vec3::Y, length: 0.8 };
    let answer = scene.closest(&inside, &[true, true], BackFaces::Skip);
    assert!(answer.hit.is_none() && answer.skipped_back);
    let kept = scene.closest(&inside, &[true, true], BackFaces::Keep);
    assert!(kept.hit.is_some_and(|h| h.back) && !kept.skipped_back);
    // Seen from ahead, the same faces are fronts.
    let mut packet = Packet::default();
    packet.set(0, &inside);
    assert!(
        scene
            .closest_packet(&packet, &[true, true], BackFaces::Skip, Seen::FromAhead, &mut Walk::default())
            .lane(0)
            .hit
            .is_some_and(|h| !h.back)
    );
}

/// Rays as a packet.
fn packed(spans: &[RaySpan]) -> Packet {
    let mut packet = Packet::default();
    spans.iter().enumerate().for_each(|(lane, span)| packet.set(lane, span));
    packet
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    /// Rays of a packet, on either path, hit what each of them hits alone, bit for bit.
    #[test]
    fn a_packet_hits_what_its_rays_hit_one_at_a_time(
        points in proptest::collection::vec(prop::array::uniform3(-1.0f32..1.0), 3..240),
        rays in proptest::collection::vec(
            (prop::array::uniform3(-2.0f32..2.0), prop::array::uniform3(-1.0f32..1.0), 0.0f32..5.0),
            1..=LANES,
        ),
        spread in prop::bool::ANY,
        skip in any::<bool>(),
    ) {
        let Some(mesh) = soup(&points) else { return Ok(()) };
        let scene = TraceScene::new(&mesh);
        let rule = if skip { BackFaces::Skip } else { BackFaces::Keep };
        let (first_origin, first_way, _) = rays[0];
        let spans: Vec<RaySpan> = rays
            .iter()
            .map(|(origin, way, length)| {
                // Strangers, or neighbours that run nearly the same way.
                let near = |a: [f32; 3], b: [f32; 3]| Vec3::from(a) + Vec3::from(b) * 0.02;
                let (origin, way) = match spread {
                    true => (Vec3::from(*origin), Vec3::from(*way)),
                    false => (near(first_origin, *origin), near(first_way, *way)),
                };
                RaySpan { origin, direction: unit(way.to_array()), length: *length }
            })
            .collect();
        let packet = packed(&spans);
        let mut walk = Walk::default();
        let together = scene.closest_packet(&packet, &[true], rule, Seen::Along, &mut walk);
        let blocked = scene.occluded_packet(&packet, &[true], &mut walk);
        // Some look at nothing near, some at all of their way.
        let near = |lane: usize| spans.get(lane).map_or(0.0, |span| span.length * [0.0, 0.3, 1.0][lane % 3]);
        let near = PerRay(std::array::from_fn(near));
        let fan = scene.fan_packet(&packet, &near, &[true], &mut walk);
        let in_each: Vec<_> = Registers::available()
            .into_iter()
            .map(|registers| {
                let rule = ClosestRule::new(rule, Seen::Along);
                let blocked = scene.occluded_packet_in(registers, &packet, &[true], &mut walk);
                let fan = scene.fan_packet_in(registers, &packet, &near, &[true], &mut walk);
                (scene.closest_packet_in(registers, &packet, &[true], rule, &mut walk), blocked, fan)
            })
            .collect();
        for (lane, span) in spans.iter().enumerate() {
            let alone = scene.closest(span, &[true], rule);
            prop_assert_eq!(together.lane(lane), alone);
            let any = scene.closest(span, &[true], BackFaces::Keep).hit;
            prop_assert_eq!(blocked >> lane & 1 == 1, any.is_some());
            let nearest = any.map(|hit| hit.t).filter(|t| *t <= near.0[lane] && near.0[lane] > 0.0);
            prop_assert_eq!(fan.blocked >> lane & 1 == 1, any.is_some());
            prop_assert_eq!(fan.nearest.0[lane], nearest.unwrap_or(f32::INFINITY));
            for (closest, blocked_too, fan_too) in &in_each {
                prop_assert_eq!(closest.lane(lane), alone);
                prop_assert_eq!((*blocked_too, fan_too.blocked), (blocked, fan.blocked));
                prop_assert_eq!(fan_too.nearest.0[lane], fan.nearest.0[lane]);
            }
        }
        for lane in spans.len()..LANES {
            prop_assert!(together.lane(lane).hit.is_none() && blocked >> lane & 1 == 0);
        }
    }
}

/// The nearest point of a triangle by the smallest of: its plane's foot when that lies inside, and its three edges; doubles.
fn distance_by_hand(mesh: &Mesh, triangle: u32, point: Vec3) -> f64 {
    let [a, b, c] = mesh.corners(triangle).map(Vec3::as_dvec3);
    let p = point.as_dvec3();
    let to_edge = |a: DVec3, b: DVec3| {
        let way = b - a;
        let along = if way.length_squared() > 0.0 { (p - a).dot(way) / way.length_squared() } else { 0.0 };
        p.distance(a + way * along.clamp(0.0, 1.0))
    };
    let edges = to_edge(a, b).min(to_edge(b, c)).min(to_edge(c, a));
    let normal = (b - a).cross(c - a);
    let inside = [(a, b), (b, c), (c, a)].iter().all(|&(from, to)| (to - from).cross(p - from).dot(normal) >= 0.0);
    let foot = (p - a).dot(normal).abs() / normal.length();
    if inside && foot.is_finite() { foot.min(edges) } else { edges }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    #[test]
    fn the_nearest_point_is_the_one_a_search_of_all_triangles_finds(
        points in proptest::collection::vec(prop::array::uniform3(-1.0f32..1.0), 3..240),
        from in prop::array::uniform3(-2.0f32..2.0),
        most in prop::sample::select(vec![0.2f32, 1.0, 10.0]),
        every in 1u32..4,
    ) {
        let Some(mesh) = soup(&points) else { return Ok(()) };
        let scene = TraceScene::new(&mesh);
        let (from, wanted) = (Vec3::from(from), |t: u32| t.is_multiple_of(every));
        let found = scene.nearest(from, most, wanted);
        let solid = |t: &u32| mesh.area_normal(*t) != Vec3::ZERO;
        let all = (0..mesh.triangles.len() as u32).filter(|t| wanted(*t)).filter(solid);
        let expected = all.map(|t| distance_by_hand(&mesh, t, from)).fold(f64::INFINITY, f64::min);
        match found {
            Some(found) => {
                prop_assert!((f64::from(found.distance) - expected).abs() < 1e-5, "{} for {expected}", found.distance);
                prop_assert!(wanted(found.at.triangle) && found.distance <= most);
                prop_assert!((mesh.at(found.at).distance(from) - found.distance).abs() < 1e-5, "it lies where it says");
            }
            None => prop_assert!(expected > f64::from(most) - 1e-5, "one lies at {expected}"),
        }
    }
}

#[test]
fn a_step_off_the_surface_clears_it_at_any_scale_and_stays_close() {
    for scale in [1e-3f32, 1.0, 1e4] {
        let mesh = scaled(&ball("ball", 1.0, 60), scale);
        let scene = TraceScene::new(&mesh);
        for t in (0..mesh.triangles.len() as u32).step_by(7) {
            let [a, b, c] = mesh.corners(t);
            let (at, face) = ((a + b + c) / 3.0, mesh.face_normal(t));
            let off = scene.step_off(at, face, scene.rounding(&Sight::everything()));
            assert!(off.distance(at) < 1e-4 * scale, "scale {scale}: {}", off.distance(at));
            // A ray along the face leaves a convex body without touching it; one back inward meets it at once.
            let along = face.any_orthonormal_vector();
            let span = |direction| RaySpan { origin: off, direction, length: 4.0 * scale };
            assert!(scene.closest(&span(along), &[true], BackFaces::Keep).hit.is_none(), "scale {scale}, triangle {t}");
            let back = scene.closest(&span(-face), &[true], BackFaces::Keep).hit;
            assert!(back.is_some_and(|h| h.at.triangle == t && h.t < 1e-4 * scale));
        }
    }
}

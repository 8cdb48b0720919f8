//! Packets of rays against rays one by one, through the tree library's own traversal.

use super::*;

pub fn against_single_rays(stone: &Sample, scene: &BakeScene) {
    println!("\n-- packets against single rays through the tree library's 8-wide compressed tree, one thread");
    let mask = vec![true; stone.high.parts.len()];
    let plan = Plan::new(&recipe(1024, 1, &["normal"]), scene).expect("sound");
    let primary = primary_spans(scene, 1024, plan.rays.field.summary.out, plan.rays.field.summary.inward);
    let sky = sky_spans(scene, &primary, &mask, scene.diagonal() * 0.2);
    let triangles: Vec<Triangle> = (0..stone.high.triangles.len() as u32)
        .map(|t| {
            let [v0, v1, v2] = stone.high.corners(t).map(Vec3A::from);
            Triangle { v0, v1, v2 }
        })
        .collect();
    let tree = build_cwbvh_from_tris(&triangles, BvhBuildParams::fast_build(), &mut Duration::default());
    let in_order: Vec<Triangle> = tree.primitive_indices.iter().map(|&p| triangles[p as usize]).collect();
    let ray = |s: &RaySpan| Ray::new(s.origin.into(), s.direction.into(), 0.0, s.length);

    let rate = |seconds: f64, rays: usize| rays as f64 / seconds / 1e6;
    let primary = some(&primary, 200_000);
    let mut walk = Walk::default();
    let (single, single_hits, packed, packed_hits) = duel(
        15,
        || {
            let hits = |s: &&RaySpan| tree.ray_traverse(ray(s), &mut RayHit::none(), |r, id| in_order[id].intersect(r));
            primary.iter().filter(hits).count()
        },
        || {
            let mut hits = 0;
            packets(&primary, |p| {
                let answer = scene.trace.closest_packet(p, &mask, BackFaces::Keep, Seen::Along, &mut walk);
                hits += (0..LANES).filter(|&lane| answer.lane(lane).hit.is_some()).count();
            });
            hits
        },
    );
    println!(
        "closest, {} primary rays: single {:.2} M/s, packets {:.2} M/s; hits {single_hits} and {packed_hits}",
        primary.len(),
        rate(single, primary.len()),
        rate(packed, primary.len())
    );
    println!("ratio packets to the library's own rays (its plain triangle test), closest: {:.2}", single / packed);
    let like = SingleRays::new(&stone.high);
    let (single, single_hits, packed, packed_hits) = duel(
        15,
        || primary.iter().filter(|s| like.closest(s, &mask, true).is_some()).count(),
        || {
            let mut hits = 0;
            packets(&primary, |p| {
                let answer = scene.trace.closest_packet(p, &mask, BackFaces::Skip, Seen::Along, &mut walk);
                hits += (0..LANES).filter(|&lane| answer.lane(lane).hit.is_some()).count();
            });
            hits
        },
    );
    println!(
        "closest, same watertight test: single {:.2} M/s, packets {:.2} M/s; hits {single_hits} and {packed_hits}",
        rate(single, primary.len()),
        rate(packed, primary.len())
    );
    println!("ratio packets to single rays, closest: {:.2}", single / packed);

    let sky = some(&sky, 200_000);
    let (mut walk, mut other_walk) = (Walk::default(), Walk::default());
    let (single, free, packed, blocked) = duel(
        15,
        || sky.iter().filter(|s| tree.ray_traverse_miss(ray(s), |r, id| in_order[id].intersect(r))).count(),
        || {
            let mut hits = 0;
            packets(&sky, |p| hits += scene.trace.occluded_packet(p, &mask, &mut walk).count_ones() as usize);
            hits
        },
    );
    println!(
        "occlusion, {} rays: single {:.2} M/s, packets {:.2} M/s; blocked {} and {blocked}",
        sky.len(),
        rate(single, sky.len()),
        rate(packed, sky.len()),
        sky.len() - free
    );
    println!("ratio packets to the library's own rays (its plain triangle test), occlusion: {:.2}", single / packed);
    let (single, single_blocked, packed, blocked) = duel(
        15,
        || sky.iter().filter(|s| like.occluded(s, &mask)).count(),
        || {
            let mut hits = 0;
            packets(&sky, |p| hits += scene.trace.occluded_packet(p, &mask, &mut walk).count_ones() as usize);
            hits
        },
    );
    println!(
        "occlusion, same watertight test: single {:.2} M/s, packets {:.2} M/s; blocked {single_blocked} and {blocked}",
        rate(single, sky.len()),
        rate(packed, sky.len())
    );
    println!("ratio packets to single rays, occlusion: {:.2}", single / packed);
    let (fast, _, portable, _) = duel(
        5,
        || {
            packets(&sky, |p| {
                std::hint::black_box(scene.trace.occluded_packet(p, &mask, &mut other_walk));
            })
        },
        || {
            let (mut walk, plain) = (Walk::default(), Registers::available()[0]);
            packets(&sky, |p| {
                std::hint::black_box(scene.trace.occluded_packet_in(plain, p, &mask, &mut walk));
            });
        },
    );
    println!("ratio of the widest registers to none, occlusion: {:.2}", portable / fast);
}

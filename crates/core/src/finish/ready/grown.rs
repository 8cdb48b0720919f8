//! Wood, cloth and moss.

use super::*;

pub(super) const CEDAR_SHINGLE: ReadyFinish = ReadyFinish {
    name: "cedar shingle",
    explains: "Split cedar gone silver in the weather, its grain standing proud, red where it is sheltered.",
    tags: &["wood", "roof"],
    make: |body| {
        let grain = PatternSettings::Noise(NoiseSettings {
            octaves: 5,
            stretch: 22.0,
            along: Axis::Y,
            gain: 0.6,
            ..noise(body.share(0.012))
        });
        let broad = PatternSettings::Noise(NoiseSettings {
            octaves: 3,
            stretch: 9.0,
            along: Axis::Y,
            seed: 4,
            ..noise(body.share(0.06))
        });
        let wood = between(grain.clone(), &[(0.25, 0x4a3020), (0.5, 0x7a5236), (0.75, 0x9a7350)]);
        let silver = between(grain.clone(), &[(0.25, 0x5d5a55), (0.5, 0x8c8880), (0.8, 0xb3afa6)]);
        let proud = numbers(grain, &[(0.2, -body.share(0.0016)), (0.55, 0.0), (0.8, body.share(0.0012))]);
        (
            base(0x7a5236, 0.8, 0.0),
            vec![
                coat("grain", everywhere(), sets(wood).relief(proud)),
                coat(
                    "weathering",
                    place([
                        term(Signal::Occlusion { distance: body.share(0.12) }, [0.25, 0.7], [1.0, 1.0]),
                        where_pattern(broad, [0.2, 0.55]),
                    ]),
                    sets(silver).rough(0.92),
                )
                .at(0.85),
                coat(
                    "splits",
                    place([where_pattern(streaks(body.share(0.008), Axis::Y, 30.0), [0.72, 0.8])]),
                    plain(0x1e1610).raised(-body.share(0.002)),
                ),
                coat(
                    "moss",
                    place([
                        corners(body, 0.08, [0.3, 0.65]),
                        where_pattern(blotches(body.share(0.03), 5), [0.42, 0.6]),
                    ]),
                    plain(0x5a6330).rough(1.0).raised(body.share(0.0015)),
                ),
                grime(body, 0x40382e),
            ],
        )
    },
};

pub(super) const CREOSOTED_POST: ReadyFinish = ReadyFinish {
    name: "creosoted post",
    explains: "A dark, tarred post: checked along the grain, grey at the top, earth at the foot.",
    tags: &["wood"],
    make: |body| {
        let grain = streaks(body.share(0.012), Axis::Y, 26.0);
        let tar = between(grain.clone(), &[(0.3, 0x17110d), (0.55, 0x2f241b), (0.8, 0x4a3a2c)]);
        let checks = PatternSettings::Noise(NoiseSettings {
            form: NoiseForm::Ridged,
            octaves: 3,
            stretch: 30.0,
            along: Axis::Y,
            ..noise(body.share(0.03))
        });
        (
            base(0x2a2019, 0.6, 0.0),
            vec![
                coat(
                    "tarred grain",
                    everywhere(),
                    sets(tar).relief(numbers(grain, &[(0.2, -body.share(0.0015)), (0.8, body.share(0.0015))])),
                ),
                coat("checks", place([where_pattern(checks, [0.8, 0.88])]), plain(0x0c0907).raised(-body.share(0.003))),
                coat("greyed top", place([facing_up([0.3, 0.8], [1.0, 1.0])]), plain(0x77716a).rough(0.9)).at(0.7),
                coat("earth", place([tall(body, 0.02, 0.18)]), plain(0x5b4a37).rough(1.0)).at(0.8),
            ],
        )
    },
};

pub(super) const WAXED_CANVAS: ReadyFinish = ReadyFinish {
    name: "waxed canvas",
    explains: "Olive canvas, rubbed pale on its folds, darker where the wax lies thick.",
    tags: &["cloth"],
    make: |body| {
        let weave = PatternSettings::Weave(WeaveSettings { size: body.share(0.008), ..WeaveSettings::default() });
        let threads = numbers(weave.clone(), &[(0.0, -body.share(0.0012)), (1.0, body.share(0.0008))]);
        (
            base(0x5a5a36, 0.7, 0.0),
            vec![
                coat(
                    "threads",
                    everywhere(),
                    sets(between(weave, &[(0.0, 0x34341f), (0.6, 0x5d5c38), (1.0, 0x706d48)])).relief(threads),
                ),
                coat(
                    "thick wax",
                    place([where_pattern(blotches(body.share(0.12), 4), [0.45, 0.7])]),
                    sets(SetColor::to(rgb(0x9a9470)).blended(Blend::Multiply)).rough(0.4),
                ),
                coat("rubbed folds", place([edges(body, [0.1, 0.35], 0.15)]), plain(0x8d8760).rough(0.85)).at(0.7),
                dust(body, 0x9a8a6c),
            ],
        )
    },
};

pub(super) const DRY_MOSS: ReadyFinish = ReadyFinish {
    name: "dry moss",
    explains: "Cushions of moss at the end of a dry summer.",
    tags: &["plants"],
    make: |body| {
        let cushions = PatternSettings::Cells(CellsSettings { size: body.share(0.025), ..CellsSettings::default() });
        let tufts = seeded(body.share(0.006), 4, 6);
        (
            base(0x59602c, 1.0, 0.0),
            vec![
                coat(
                    "cushions",
                    everywhere(),
                    sets(between(cushions.clone(), &[(0.0, 0x7d8240), (0.5, 0x565d2a), (0.9, 0x2c2d18)]))
                        .relief(numbers(cushions, &[(0.0, body.share(0.006)), (0.8, -body.share(0.002))])),
                ),
                coat(
                    "tufts",
                    everywhere(),
                    sets(SetColor {
                        blend: Blend::Multiply,
                        ..between(tufts.clone(), &[(0.2, 0x8f8a70), (0.8, 0xffffff)])
                    })
                    .relief(numbers(tufts, &[(0.0, -body.share(0.002)), (1.0, body.share(0.002))])),
                ),
                coat(
                    "straw tips",
                    place([where_pattern(seeded(body.share(0.05), 5, 7), [0.5, 0.75])]),
                    plain(0xa8954e),
                )
                .at(0.6),
            ],
        )
    },
};

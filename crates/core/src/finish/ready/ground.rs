//! Stone, earth, dust and embers.

use super::*;

pub(super) const LICHENED_GRANITE: ReadyFinish = ReadyFinish {
    name: "lichened granite",
    explains: "Grey granite, speckled with mica, patched with lichen where light reaches, damp at its foot.",
    tags: &["stone"],
    make: |body| {
        let grains = PatternSettings::Cells(CellsSettings {
            size: body.share(0.007),
            value: CellValue::Number,
            ..CellsSettings::default()
        });
        let stone = between(grains, &[(0.0, 0x5f5d5a), (0.35, 0x86837e), (0.7, 0xa5a19a), (1.0, 0xc4beb4)]);
        let tint = between(blotches(body.share(0.25), 4), &[(0.3, 0xb9b4aa), (0.7, 0xffffff)]);
        let mica =
            PatternSettings::Speckles(SpecklesSettings { size: body.share(0.004), ..SpecklesSettings::default() });
        let rings = |size: f32, seed: u32| {
            let patches = PatternSettings::Noise(NoiseSettings { octaves: 6, gain: 0.62, seed, ..noise(size) });
            where_pattern(patches, [0.56, 0.6])
        };
        let lit = || term(Signal::Occlusion { distance: body.share(0.15) }, [0.3, 0.6], [1.0, 1.0]);
        let crust =
            |color: u32, light: u32| sets(between(seeded(body.share(0.012), 4, 8), &[(0.35, color), (0.7, light)]));
        (
            base(0x8a8780, 0.78, 0.0),
            vec![
                coat(
                    "grains",
                    everywhere(),
                    sets(stone).relief(numbers(
                        seeded(body.share(0.02), 5, 5),
                        &[(0.0, -body.share(0.0015)), (1.0, body.share(0.0015))],
                    )),
                ),
                coat("tint", everywhere(), sets(SetColor { blend: Blend::Multiply, ..tint })),
                coat("mica", place([where_pattern(mica, [0.5, 0.8])]), plain(0x2b2a2a).rough(0.3)),
                coat(
                    "grey lichen",
                    place([rings(body.share(0.09), 1), lit()]),
                    crust(0x9ea58c, 0xc2c7b0).rough(0.95).raised(body.share(0.0012)),
                ),
                coat(
                    "ochre lichen",
                    place([rings(body.share(0.06), 2), lit(), facing_up([-0.2, 0.4], [1.0, 1.0])]),
                    crust(0xa87a24, 0xcfa544).rough(0.95).raised(body.share(0.0015)),
                ),
                coat(
                    "moss",
                    place([
                        corners(body, 0.04, [0.4, 0.75]),
                        where_pattern(blotches(body.share(0.05), 5), [0.45, 0.6]),
                    ]),
                    plain(0x4d5a2a).rough(1.0).raised(body.share(0.002)),
                ),
                coat(
                    "damp foot",
                    place([tall(body, 0.02, 0.2)]),
                    sets(SetColor::to(rgb(0x6f6656)).blended(Blend::Multiply)).rough(0.55),
                )
                .at(0.8),
            ],
        )
    },
};

pub(super) const TRAIL_DUST: ReadyFinish = ReadyFinish {
    name: "trail dust",
    explains: "Bare grey after a dry week on the trail: splashed at the foot, dust on top.",
    tags: &["dirt"],
    make: |body| {
        let splash = coat("splash", place([tall(body, 0.0, 0.3)]), plain(0x7a6345).rough(1.0).metal(0.0)).at(0.75);
        let mut own = base(0x808080, 0.6, 0.0);
        own.color = BaseColor::Value(rgb(0x6e6a63));
        (own, vec![splash, dust(body, 0xb19b74).at(0.85), grime(body, 0x4a4032)])
    },
};

pub(super) const EMBER_GLOW: ReadyFinish = ReadyFinish {
    name: "ember glow",
    explains: "Charred wood with embers alive in its cracks.",
    tags: &["fire", "wood"],
    make: |body| {
        let cracks = PatternSettings::Cells(CellsSettings {
            size: body.share(0.03),
            value: CellValue::Difference,
            ..CellsSettings::default()
        });
        let ash = seeded(body.share(0.02), 5, 4);
        let glowing = term(Signal::Pattern { pattern: cracks.clone() }, [-1.0, -1.0], [0.03, 0.14]);
        let glow =
            Sets { emission: Some(SetColor { strength: 4.0, ..SetColor::to(rgb(0xff6a1a)) }), ..plain(0x5a1a08) };
        let alive = where_pattern(seeded(body.share(0.15), 3, 11), [0.42, 0.62]);
        (
            base(0x191614, 0.85, 0.0),
            vec![
                coat(
                    "char",
                    everywhere(),
                    sets(between(ash, &[(0.3, 0x0f0d0c), (0.7, 0x2b2724)]))
                        .relief(numbers(cracks, &[(0.0, -body.share(0.005)), (0.25, body.share(0.001))])),
                ),
                coat(
                    "ash",
                    place([facing_up([0.2, 0.8], [1.0, 1.0]).frayed(0.3, noise(body.share(0.05)))]),
                    plain(0x8b8782).rough(1.0),
                )
                .at(0.7),
                coat("embers", place([glowing, alive]), glow),
            ],
        )
    },
};

pub(super) const TRAIL_GROUND: ReadyFinish = ReadyFinish {
    name: "trail ground",
    explains: "Trodden earth with pebbles, roots and leaf litter, for a plane: made with no sculpt at all.",
    tags: &["ground"],
    // Laid out over the UVs, so that it closes at the edges of a plane; heights alone are lengths.
    make: |body| {
        let side = |share: f32| 1.4 * share;
        let earth = over_uvs(seeded(side(0.15), 6, 1));
        let pebble = |size: f32, seed: u32| {
            PatternSettings::Speckles(SpecklesSettings {
                size,
                spacing: 2.2,
                density: 0.5,
                spread: 0.7,
                seed,
                space: Space::Uv,
                ..SpecklesSettings::default()
            })
        };
        let roots = PatternSettings::Noise(NoiseSettings {
            form: NoiseForm::Ridged,
            octaves: 2,
            stretch: 4.0,
            along: Axis::X,
            seed: 21,
            warp: Some(Warp { amount: side(0.05), pattern: Box::new(over_uvs(seeded(side(0.2), 2, 22))) }),
            space: Space::Uv,
            ..noise(side(0.3))
        });
        let leaves = PatternSettings::Cells(CellsSettings {
            size: side(0.035),
            space: Space::Uv,
            value: CellValue::Number,
            seed: 31,
            ..CellsSettings::default()
        });
        let leaf_shape = PatternSettings::Cells(CellsSettings {
            size: side(0.035),
            space: Space::Uv,
            value: CellValue::Difference,
            seed: 31,
            ..CellsSettings::default()
        });
        (
            base(0x54452f, 0.95, 0.0),
            vec![
                coat(
                    "earth",
                    everywhere(),
                    sets(between(earth.clone(), &[(0.25, 0x3b2f20), (0.5, 0x5c4a33), (0.75, 0x7d6848)]))
                        .relief(numbers(earth, &[(0.0, -body.share(0.012)), (1.0, body.share(0.012))])),
                ),
                coat(
                    "pebbles",
                    place([where_pattern(pebble(side(0.025), 3), [0.3, 0.6])]),
                    sets(between(over_uvs(seeded(side(0.02), 3, 5)), &[(0.3, 0x6d6a64), (0.7, 0xa39d92)]))
                        .rough(0.8)
                        .raised(body.share(0.007)),
                ),
                coat(
                    "grit",
                    place([where_pattern(pebble(side(0.008), 4), [0.4, 0.7])]),
                    plain(0x8a8172).raised(body.share(0.002)),
                ),
                coat(
                    "roots",
                    place([where_pattern(roots, [0.82, 0.93])]),
                    sets(between(over_uvs(streaks(side(0.01), Axis::X, 12.0)), &[(0.3, 0x3d2a1b), (0.7, 0x6a4c33)]))
                        .rough(0.85)
                        .raised(body.share(0.012)),
                ),
                coat(
                    "leaf litter",
                    place([
                        where_pattern(leaf_shape, [0.05, 0.12]),
                        where_pattern(over_uvs(seeded(side(0.25), 4, 33)), [0.5, 0.62]),
                    ]),
                    sets(between(leaves, &[(0.0, 0x5c3a17), (0.4, 0x8a5a22), (0.7, 0xa87c38), (1.0, 0x6d6a2e)]))
                        .rough(0.9)
                        .raised(body.share(0.003)),
                ),
            ],
        )
    },
};

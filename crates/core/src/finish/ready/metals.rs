//! Painted, coated and bare metal, and lamp glass.

use super::*;

pub(super) const WEATHERED_ENAMEL: ReadyFinish = ReadyFinish {
    name: "weathered enamel",
    explains: "Barn-red enamel over steel, chipped to the metal at its edges, rust around the chips.",
    tags: &["paint", "metal", "worn"],
    make: |body| {
        let chips = edges(body, [0.34, 0.42], 0.42);
        let mut around = chips.clone();
        around.from = [0.16, 0.36];
        // Enamel lies everywhere but where it is chipped.
        let enamel = PlaceSettings { invert: true, ..place([chips]) };
        let rust = between(seeded(body.share(0.02), 5, 3), &[(0.25, 0x2c150c), (0.5, 0x6a2f14), (0.8, 0x9a5225)]);
        let faded = sets(between(blotches(body.share(0.2), 4), &[(0.3, 0x541610), (0.7, 0x74241a)]));
        (
            base(0x8b8d8f, 0.38, 1.0),
            vec![
                coat(
                    "rust",
                    place([where_pattern(seeded(body.share(0.05), 5, 9), [0.42, 0.6])]),
                    sets(rust.clone()).rough(0.9).metal(0.0),
                ),
                coat("enamel", enamel, faded.rough(0.42).metal(0.0).raised(body.share(0.0012))),
                coat("rust bleed", place([around]), sets(rust).rough(0.85).metal(0.0)).at(0.45),
                coat(
                    "sun bleach",
                    place([facing_up([0.2, 0.9], [1.0, 1.0]).frayed(0.2, noise(body.share(0.12)))]),
                    sets(SetColor::to(rgb(0x9a5a44)).blended(Blend::Screen)).rough(0.6),
                )
                .at(0.1),
                grime(body, 0x3a332b),
                dust(body, 0xa8977a),
            ],
        )
    },
};

pub(super) const GALVANISED_SHEET: ReadyFinish = ReadyFinish {
    name: "galvanised sheet",
    explains: "Zinc-coated steel with its grey flowers, white where rain has stood.",
    tags: &["metal"],
    make: |body| {
        let flowers = PatternSettings::Cells(CellsSettings {
            size: body.share(0.03),
            value: CellValue::Number,
            ..CellsSettings::default()
        });
        let spangle = between(flowers.clone(), &[(0.0, 0x8f9699), (0.5, 0xa9b0b2), (1.0, 0xc3c8c8)]);
        let sheen = Sets { roughness: Some(numbers(flowers, &[(0.0, 0.32), (1.0, 0.55)])), ..sets(spangle) };
        let white =
            place([facing_up([0.1, 0.6], [1.0, 1.0]), where_pattern(blotches(body.share(0.07), 5), [0.5, 0.72])]);
        (
            base(0xa4aaac, 0.42, 1.0),
            vec![
                coat("flowers", everywhere(), sheen),
                coat("white bloom", white, plain(0xd9dbd6).rough(0.9).metal(0.0)).at(0.6),
                coat(
                    "runs",
                    place([corners(body, 0.1, [0.4, 0.8])]),
                    sets(SetColor::to(rgb(0x6b6a64)).blended(Blend::Multiply)).rough(0.7),
                )
                .at(0.6),
            ],
        )
    },
};

pub(super) const BRASS_WITH_VERDIGRIS: ReadyFinish = ReadyFinish {
    name: "brass with verdigris",
    explains: "Old brass: bright where hands rub it, brown on its flanks, green in its corners.",
    tags: &["metal", "worn"],
    make: |body| {
        let brown = between(blotches(body.share(0.06), 5), &[(0.3, 0x6b4c22), (0.7, 0x9a7638)]);
        let green = between(seeded(body.share(0.015), 5, 2), &[(0.3, 0x3f7a68), (0.7, 0x7fb3a0)]);
        let scratched = PatternSettings::Scratches(ScratchesSettings {
            size: body.share(0.06),
            width: body.share(0.0008),
            density: 5.0,
            ..ScratchesSettings::default()
        });
        (
            base(0xc9a04e, 0.26, 1.0),
            vec![
                coat(
                    "tarnish",
                    PlaceSettings { invert: true, ..place([edges(body, [0.12, 0.4], 0.2)]) },
                    sets(brown).rough(0.5),
                )
                .at(0.85),
                coat(
                    "verdigris",
                    place([corners(body, 0.05, [0.35, 0.7])]),
                    sets(green).rough(0.9).metal(0.0).raised(body.share(0.0006)),
                ),
                coat("scratches", place([where_pattern(scratched, [0.2, 0.8])]), plain(0xd8b464).rough(0.35)).at(0.5),
            ],
        )
    },
};

pub(super) const HOAR_FROST: ReadyFinish = ReadyFinish {
    name: "hoar frost",
    explains: "A night of frost on dark iron: needles on every edge that stands in the wind.",
    tags: &["winter", "metal"],
    make: |body| {
        let needles = PatternSettings::Noise(NoiseSettings {
            form: NoiseForm::Ridged,
            octaves: 6,
            gain: 0.65,
            ..noise(body.share(0.03))
        });
        let exposed = term(Signal::Occlusion { distance: body.share(0.15) }, [0.45, 0.9], [1.0, 1.0]);
        (
            base(0x2b2e31, 0.5, 1.0),
            vec![
                coat(
                    "rime",
                    place([exposed.frayed(0.3, NoiseSettings { octaves: 6, gain: 0.65, ..noise(body.share(0.04)) })]),
                    plain(0xdfe7ec)
                        .rough(0.75)
                        .metal(0.0)
                        .relief(numbers(needles, &[(0.2, 0.0), (0.9, body.share(0.004))])),
                )
                .at(0.85),
                coat(
                    "edge needles",
                    place([edges(body, [0.12, 0.3], 0.3)]),
                    plain(0xf4f8fa).rough(0.6).metal(0.0).raised(body.share(0.002)),
                ),
            ],
        )
    },
};

pub(super) const SOOTED_GLASS: ReadyFinish = ReadyFinish {
    name: "sooted glass",
    explains: "Lamp glass, smoked from within and fingered at the rims.",
    tags: &["glass"],
    make: |body| {
        let smoke =
            PatternSettings::Noise(NoiseSettings { octaves: 4, stretch: 3.0, gain: 0.6, ..noise(body.share(0.05)) });
        (
            Base { opacity: 0.35, ..base(0xd7dccb, 0.08, 0.0) },
            vec![
                coat(
                    "smoke",
                    place([where_pattern(smoke, [0.35, 0.75])]),
                    Sets { opacity: Some(SetNumber::to(0.85)), ..plain(0x2a2119).rough(0.55) },
                )
                .at(0.7),
                coat(
                    "warm glow",
                    everywhere(),
                    Sets {
                        emission: Some(SetColor { strength: 1.6, ..SetColor::to(rgb(0xf0a040)) }),
                        ..Sets::default()
                    },
                )
                .at(0.35),
                coat(
                    "grimy rim",
                    place([corners(body, 0.03, [0.5, 0.9])]),
                    Sets { opacity: Some(SetNumber::to(0.95)), ..plain(0x1d1712).rough(0.8) },
                ),
            ],
        )
    },
};

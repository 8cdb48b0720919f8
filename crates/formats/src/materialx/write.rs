//! Finishes as MaterialX, as far as the standard's nodes reach: what they set by value, picture or ramp, where that follows from facing,
//! height, a straight gradient or the colour that the mesh carries. What is measured on the asset, and our own patterns, have no node
//! there: coats placed by them are left out, and told.

use ember_ridge_core::finish::{
    BaseColor, Blend, Channel, Coat, Color, Combine, Finish, PatternSettings, PicturePatternSettings, PlaceSettings,
    SetColor, SetNumber, SetTo, Signal, SoftRange, Space,
};
use quick_xml::Writer;
use quick_xml::events::{BytesDecl, BytesEnd, BytesStart, Event};
use std::io;

/// Finishes as a document, a material each, and what had to be left out of it.
pub struct Written {
    pub text: String,
    pub left_out: Vec<String>,
}

/// # Errors
/// What writing answers; nothing is written to a file here.
pub fn write_document(finishes: &[Finish]) -> io::Result<Written> {
    let mut out = Out {
        writer: Writer::new_with_indent(Vec::new(), b' ', 2),
        numbered: 0,
        taken: Vec::new(),
        left_out: Vec::new(),
    };
    out.writer.write_event(Event::Decl(BytesDecl::new("1.0", Some("UTF-8"), None)))?;
    let root = BytesStart::new("materialx").with_attributes([("version", "1.39"), ("colorspace", "lin_rec709")]);
    out.writer.write_event(Event::Start(root))?;
    for finish in finishes {
        out.finish(finish)?;
    }
    out.writer.write_event(Event::End(BytesEnd::new("materialx")))?;
    let text = String::from_utf8(out.writer.into_inner()).map_err(io::Error::other)?;
    Ok(Written { text: text + "\n", left_out: out.left_out })
}

/// What an input is: a value as it is written, or the node of a name.
#[derive(Clone)]
enum Source {
    Value(String),
    Node(String),
}

fn number(value: f32) -> Source {
    Source::Value(value.to_string())
}

fn color(color: Color, strength: f32) -> Source {
    let light = color.linear() * strength;
    Source::Value(format!("{}, {}, {}", light.x, light.y, light.z))
}

struct Out {
    writer: Writer<Vec<u8>>,
    numbered: usize,
    /// Names of materials.
    taken: Vec<String>,
    left_out: Vec<String>,
}

/// Why a coat cannot be written.
enum Fault {
    Said(String),
    Io(io::Error),
}

impl From<io::Error> for Fault {
    fn from(fault: io::Error) -> Fault {
        Fault::Io(fault)
    }
}

fn no_node(what: &str) -> Fault {
    Fault::Said(format!("the standard has no node for {what}"))
}

impl Out {
    /// A node of a category and type, with its inputs as name, type and source.
    fn node(&mut self, category: &str, kind: &str, inputs: &[(&str, &str, Source)]) -> io::Result<Source> {
        self.numbered += 1;
        let name = format!("{category}_{}", self.numbered);
        self.named(category, &name, kind, inputs)?;
        Ok(Source::Node(name))
    }

    fn named(&mut self, category: &str, name: &str, kind: &str, inputs: &[(&str, &str, Source)]) -> io::Result<()> {
        let element = BytesStart::new(category).with_attributes([("name", name), ("type", kind)]);
        if inputs.is_empty() {
            return self.writer.write_event(Event::Empty(element));
        }
        self.writer.write_event(Event::Start(element))?;
        for (input, kind, source) in inputs {
            let (attribute, value) = match source {
                Source::Value(value) => ("value", value),
                Source::Node(node) => ("nodename", node),
            };
            let mut element = BytesStart::new("input").with_attributes([("name", *input), ("type", *kind)]);
            element.push_attribute((attribute, value.as_str()));
            self.writer.write_event(Event::Empty(element))?;
        }
        self.writer.write_event(Event::End(BytesEnd::new(category)))
    }

    fn finish(&mut self, finish: &Finish) -> io::Result<()> {
        let base = &finish.base;
        let (grey, white) = (Color([0x80; 3]), number(1.0));
        let ground = match (&finish.materialx, base.color) {
            (Some(document), _) => {
                self.leave(&finish.name, None, &format!("it lies on {}; write that document by itself", document.file));
                color(grey, 1.0)
            }
            (None, BaseColor::Value(value)) => color(value, 1.0),
            (None, BaseColor::Of(_)) => self.node("geomcolor", "color3", &[])?,
        };
        let mut channels = [
            ground,
            number(base.roughness),
            number(base.metallic),
            color(base.emission, 1.0),
            number(base.opacity),
            number(base.height),
        ];
        for coat in finish.shown() {
            match self.coat(coat, &channels) {
                Ok(laid) => channels = laid,
                Err(Fault::Said(why)) => self.leave(&finish.name, Some(&coat.name), &why),
                Err(Fault::Io(fault)) => return Err(fault),
            }
        }
        let [color, roughness, metallic, emission, opacity, height] = channels;
        let name = self.free_name(&finish.name);
        let (shader, raised) = (format!("SR_{name}"), format!("D_{name}"));
        self.named(
            "open_pbr_surface",
            &shader,
            "surfaceshader",
            &[
                ("base_color", "color3", color),
                ("specular_roughness", "float", roughness),
                ("base_metalness", "float", metallic),
                ("emission_luminance", "float", white),
                ("emission_color", "color3", emission),
                ("geometry_opacity", "float", opacity),
            ],
        )?;
        let mut inputs = vec![("surfaceshader", "surfaceshader", Source::Node(shader))];
        if finish.sets_height() {
            self.named("displacement", &raised, "displacementshader", &[("displacement", "float", height)])?;
            inputs.push(("displacementshader", "displacementshader", Source::Node(raised)));
        }
        self.named("surfacematerial", &name, "material", &inputs)
    }

    /// A finish's name as the standard has them, with a number where another came to the same.
    fn free_name(&mut self, finish: &str) -> String {
        let mut name = identifier(finish);
        while self.taken.contains(&name) {
            name += "_2";
        }
        self.taken.push(name.clone());
        name
    }

    fn leave(&mut self, finish: &str, coat: Option<&str>, why: &str) {
        let what = coat.map_or_else(|| finish.to_owned(), |coat| format!("coat {coat} of {finish}"));
        self.left_out.push(format!("{what}: {why}"));
    }

    fn coat(&mut self, coat: &Coat, below: &[Source; 6]) -> Result<[Source; 6], Fault> {
        let mut share = self.place(&coat.place)?;
        if coat.amount != 1.0 {
            share = self.floats("multiply", "in1", share, "in2", number(coat.amount))?;
        }
        let [color, roughness, metallic, emission, opacity, height] = below.clone();
        let sets = &coat.sets;
        Ok([
            self.lay_color(color, sets.color.as_ref(), &share)?,
            self.lay_number(roughness, sets.roughness.as_ref(), &share)?,
            self.lay_number(metallic, sets.metallic.as_ref(), &share)?,
            self.lay_color(emission, sets.emission.as_ref(), &share)?,
            self.lay_number(opacity, sets.opacity.as_ref(), &share)?,
            self.lay_number(height, sets.height.as_ref(), &share)?,
        ])
    }

    fn floats(&mut self, category: &str, a: &str, x: Source, b: &str, y: Source) -> io::Result<Source> {
        self.node(category, "float", &[(a, "float", x), (b, "float", y)])
    }

    fn lay_color(&mut self, below: Source, set: Option<&SetColor>, share: &Source) -> Result<Source, Fault> {
        let Some(set) = set else { return Ok(below) };
        let own = self.own(set, "color3", |value| color(*value, set.strength))?;
        self.lay("color3", below, own, share, set.blend)
    }

    fn lay_number(&mut self, below: Source, set: Option<&SetNumber>, share: &Source) -> Result<Source, Fault> {
        let Some(set) = set else { return Ok(below) };
        let own = self.own(set, "float", |value| number(value * set.strength))?;
        self.lay("float", below, own, share, set.blend)
    }

    /// What a coat sets a channel to, its strength in it.
    fn own<T>(&mut self, set: &SetTo<T>, kind: &str, value: impl Fn(&T) -> Source) -> Result<Source, Fault> {
        if let Some(plain) = &set.value {
            return Ok(value(plain));
        }
        if let Some(picture) = &set.picture {
            let read = self.picture(picture, kind)?;
            let by = ("in2", "float", number(set.strength));
            return Ok(self.node("multiply", kind, &[("in1", kind, read), by])?);
        }
        let ramp = set.ramp.as_ref().ok_or_else(|| no_node("a coat that sets nothing"))?;
        let over = self.signal(&ramp.over)?;
        let mut stops = ramp.stops.iter();
        let (mut from, first) = stops.next().map(|(at, own)| (*at, value(own))).ok_or_else(|| no_node("no stops"))?;
        let mut whole = first;
        for (at, own) in stops {
            let t = self.rise(over.clone(), [from, *at], ramp.smooth)?;
            whole = self.node("mix", kind, &[("bg", kind, whole), ("fg", kind, value(own)), ("mix", "float", t)])?;
            from = *at;
        }
        Ok(whole)
    }

    /// A picture over the UVs.
    fn picture(&mut self, picture: &PicturePatternSettings, kind: &str) -> Result<Source, Fault> {
        let file = picture.picture.as_ref().ok_or_else(|| no_node("a picture that is not chosen"))?;
        if !picture.space.is_uv() || picture.warp.is_some() || picture.ramp.is_some() {
            return Err(no_node("a picture projected from three sides, warped or bent by a curve"));
        }
        // A whole number of copies, so that it closes at the edges.
        let tiles = (1.0 / picture.size).round().max(1.0);
        let tiling = ("uvtiling", "vector2", Source::Value(format!("{tiles}, {tiles}")));
        let name = Source::Value(file.file.clone());
        if kind == "color3" {
            return Ok(self.tiled_color(name, tiling)?);
        }
        let whole = self.node("tiledimage", "vector4", &[("file", "filename", name), tiling])?;
        let channel = number(picture.channel as u8 as f32);
        Ok(self.node("extract", "float", &[("in", "vector4", whole), ("index", "integer", channel)])?)
    }

    fn tiled_color(&mut self, file: Source, tiling: (&str, &str, Source)) -> io::Result<Source> {
        let Source::Value(file) = file else { return Ok(file) };
        self.numbered += 1;
        let name = format!("tiledimage_{}", self.numbered);
        let element = BytesStart::new("tiledimage").with_attributes([("name", name.as_str()), ("type", "color3")]);
        self.writer.write_event(Event::Start(element))?;
        let picture = [("name", "file"), ("type", "filename"), ("value", &file), ("colorspace", "srgb_texture")];
        self.writer.write_event(Event::Empty(BytesStart::new("input").with_attributes(picture)))?;
        if let (input, kind, Source::Value(value)) = &tiling {
            let tiling = [("name", *input), ("type", *kind), ("value", value.as_str())];
            self.writer.write_event(Event::Empty(BytesStart::new("input").with_attributes(tiling)))?;
        }
        self.writer.write_event(Event::End(BytesEnd::new("tiledimage")))?;
        Ok(Source::Node(name))
    }

    fn lay(&mut self, kind: &str, below: Source, own: Source, share: &Source, blend: Blend) -> Result<Source, Fault> {
        let joined = match blend {
            Blend::Over => own,
            Blend::Multiply | Blend::Add | Blend::Minimum | Blend::Maximum => {
                let category = match blend {
                    Blend::Multiply => "multiply",
                    Blend::Add => "add",
                    Blend::Minimum => "min",
                    _ => "max",
                };
                self.node(category, kind, &[("in1", kind, below.clone()), ("in2", kind, own)])?
            }
            Blend::Screen => self.node("screen", kind, &[("bg", kind, below.clone()), ("fg", kind, own)])?,
        };
        Ok(self.node("mix", kind, &[("bg", kind, below), ("fg", kind, joined), ("mix", "float", share.clone())])?)
    }

    /// 0 at one number and below, 1 at another and above.
    fn rise(&mut self, value: Source, [from, to]: [f32; 2], smooth: bool) -> io::Result<Source> {
        if from == to {
            return self.node(
                "ifgreatereq",
                "float",
                &[
                    ("value1", "float", value),
                    ("value2", "float", number(to)),
                    ("in1", "float", number(1.0)),
                    ("in2", "float", number(0.0)),
                ],
            );
        }
        let ends = [("low", number(from)), ("high", number(to))];
        if smooth {
            let [low, high] = ends.map(|(name, end)| (name, "float", end));
            return self.node("smoothstep", "float", &[("in", "float", value), low, high]);
        }
        let (low, high) = (("inlow", "float", number(from)), ("inhigh", "float", number(to)));
        let share = self.node("remap", "float", &[("in", "float", value), low, high])?;
        self.node("clamp", "float", &[("in", "float", share)])
    }

    fn range(&mut self, value: Source, SoftRange { from, to }: SoftRange) -> io::Result<Source> {
        let rise = self.rise(value.clone(), from, false)?;
        // Falling is rising of what lies the other way.
        let turned = self.floats("multiply", "in1", value, "in2", number(-1.0))?;
        let fall = self.rise(turned, [-to[1], -to[0]], false)?;
        self.floats("min", "in1", rise, "in2", fall)
    }

    fn place(&mut self, place: &PlaceSettings) -> Result<Source, Fault> {
        if place.blur > 0.0 {
            return Err(no_node("a place blurred along the surface"));
        }
        let mut whole: Option<Source> = None;
        for term in &place.terms {
            if term.break_up.is_some() {
                return Err(no_node("a place that a pattern breaks up"));
            }
            let signal = self.signal(&term.signal)?;
            let own = self.range(signal, term.range())?;
            whole = Some(match (whole, term.combine) {
                (None, Combine::Minus) => self.node("invert", "float", &[("in", "float", own)])?,
                (None, _) => own,
                (Some(before), Combine::And) => self.floats("multiply", "in1", before, "in2", own)?,
                (Some(before), Combine::Or) => self.floats("max", "in1", before, "in2", own)?,
                (Some(before), Combine::Minus) => self.floats("outside", "in", before, "mask", own)?,
            });
        }
        let mut share = whole.unwrap_or_else(|| number(1.0));
        if let Some(levels) = place.levels {
            share = self.rise(share, [levels.low, levels.high], false)?;
        }
        if place.invert {
            share = self.node("invert", "float", &[("in", "float", share)])?;
        }
        if place.amount != 1.0 {
            share = self.floats("multiply", "in1", share, "in2", number(place.amount))?;
        }
        Ok(share)
    }

    fn part(&mut self, category: &str, axis: u8) -> io::Result<Source> {
        let vector = self.node(category, "vector3", &[("space", "string", Source::Value("object".into()))])?;
        self.node("extract", "float", &[("in", "vector3", vector), ("index", "integer", number(f32::from(axis)))])
    }

    fn signal(&mut self, signal: &Signal) -> Result<Source, Fault> {
        Ok(match signal {
            Signal::Facing { direction } => {
                let length = direction.iter().map(|c| c * c).sum::<f32>().sqrt();
                let [x, y, z] = direction.map(|c| c / length);
                let normal = self.node("normal", "vector3", &[("space", "string", Source::Value("object".into()))])?;
                let to = Source::Value(format!("{x}, {y}, {z}"));
                self.node("dotproduct", "float", &[("in1", "vector3", normal), ("in2", "vector3", to)])?
            }
            Signal::Height { axis } => self.part("position", *axis as u8)?,
            Signal::Channel { of } => {
                let carried = self.node("geomcolor", "color3", &[])?;
                let channel = match of {
                    Channel::R => 0.0,
                    Channel::G => 1.0,
                    Channel::B => 2.0,
                };
                self.node("extract", "float", &[("in", "color3", carried), ("index", "integer", number(channel))])?
            }
            Signal::Pattern { pattern: PatternSettings::Gradient(gradient) }
                if gradient.space == Space::Object && gradient.warp.is_none() && gradient.ramp.is_none() =>
            {
                let along = self.part("position", gradient.axis as u8)?;
                let rise = self.rise(along, [gradient.from, gradient.to], false)?;
                match gradient.invert {
                    true => self.node("invert", "float", &[("in", "float", rise)])?,
                    false => rise,
                }
            }
            other => return Err(no_node(&format!("'{}'", other.words()))),
        })
    }
}

/// A name as the standard has them: letters, figures and underscores.
fn identifier(name: &str) -> String {
    let safe: String = name.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '_' }).collect();
    if safe.starts_with(|c: char| c.is_ascii_digit()) { format!("_{safe}") } else { safe }
}

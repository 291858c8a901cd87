//! Looks as shading code: a function that takes the numbers of the sets and gives the material there, for GLSL, HLSL
//! and WGSL. The stage shows looks by the very GLSL that is exported.
//!
//! It reckons what `speckle_tools::mix` does.

use std::fmt::Write as _;

use serde::Serialize;
use speckle_color::{Encoding, blend::Blend, linear_from_srgb};
use speckle_model::proof::{Coat, Laid, Lay, Layer, Look};

use super::{
    Language,
    motion::{MotionCode, motion_code},
    names::{Names, number, plain},
    prelude::prelude,
    says::SetSays,
    syntax::one_line,
    writer::{Numbers, SetTaken, Writer},
};

/// A look as code.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct LookCode {
    /// The struct `LookMaterial` and the function that gives it.
    pub text: String,
    /// What the function is called.
    pub function: String,
    /// The sets whose numbers it takes, by name, in the order in which it takes them.
    pub sets: Vec<String>,
    /// Whether it takes texture coordinates then.
    pub takes_uv: bool,
    /// Whether it takes the place and the normal in the part's space then.
    pub takes_place: bool,
    /// The images that it takes at last.
    pub images: Vec<ImageTaken>,
    /// What its struct has beside color, roughness, metal and glow: `through`, `soft`, `normal`.
    pub gives: Vec<String>,
    /// How what wears it moves.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub motion: Option<MotionCode>,
    /// Where numbers stand in an array: the look's numbers there, as JSON pointers (RFC 6901) into the look.
    pub numbers: Vec<String>,
}

/// An image that the code of a look takes.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ImageTaken {
    /// What the project calls it.
    pub image: String,
    /// Whether its numbers are data, to be read as they are, and no colors.
    pub data: bool,
}

impl LookCode {
    /// All of it, as a file.
    #[must_use]
    pub fn file(&self) -> String {
        let motion = self.motion.as_ref().map(|motion| format!("\n{}", motion.text));
        self.text.clone() + &motion.unwrap_or_default()
    }
}

/// What functions of looks have names for themselves.
const TAKEN: &[&str] = &[
    "below", "coat", "mask", "under", "material", "light", "encoded", "uv", "place", "normal",
    "texel", "bent", "moved", "seconds", "wind_to", "wind", "weight", "swing",
];

/// A look as a function of sets as the project stores them.
#[must_use]
pub fn look_code(look: &Look, language: Language, numbers: Numbers) -> LookCode {
    look_code_of(look, language, numbers, |_| None)
}

/// A look as a function, of sets of which something is said.
#[must_use]
pub fn look_code_of(
    look: &Look,
    language: Language,
    numbers: Numbers,
    says: impl Fn(&str) -> Option<SetSays>,
) -> LookCode {
    let mut names = Names::default();
    for taken in TAKEN {
        names.free(taken, taken);
    }
    let mut taken =
        |set| SetTaken { set, name: names.free(set, "set"), says: says(set).unwrap_or_default() };
    let sets = look.sets().into_iter().map(&mut taken).collect();
    let stem = |image: &str| image.rsplit_once('.').map_or(image, |(stem, _)| stem).to_owned();
    let images = look.images().into_iter();
    let images = images.map(|own| (own, names.free(&stem(own.0), "image"))).collect();
    let mut writer = Writer { language, numbers, pointers: Vec::new(), sets, images };
    let body: String = look.shown().map(|(at, layer)| writer.layer(at, layer)).collect();
    let motion = motion_code(look, &mut writer);
    let function = format!("material_{}", plain(&look.name, "of_layers"));
    let shown = || look.shown().map(|(_, layer)| layer);
    let extra = [
        ("through", shown().any(|layer| layer.through.is_some())),
        ("soft", shown().any(|layer| layer.soft.is_some())),
        ("normal", shown().any(|layer| layer.normals.is_some())),
    ];
    let extra: Vec<&str> = extra.into_iter().filter_map(|(name, is)| is.then_some(name)).collect();
    let material_sets = look.material_sets();
    let takes_uv = look.laid().any(|(laid, _)| laid.lay == Lay::Uv);
    let takes_place = look.laid().any(|(laid, _)| laid.lay != Lay::Uv);
    let Writer { sets, images, pointers, .. } = writer;
    let sets: Vec<_> = sets.iter().filter(|own| material_sets.contains(&own.set)).collect();
    let begun: String = sets.iter().map(|own| own.begun(language)).collect();
    let body = begun + &body;

    let mut text = format!("// The look {}.", one_line(&look.name));
    text.extend(sets.iter().map(|own| own.remarks()));
    if takes_uv {
        text.push_str("\n// uv: texture coordinates, from the left and from the bottom of images.");
    }
    if takes_place {
        text.push_str("\n// place, normal: in the part’s own space; the normal of unit length.");
    }
    for ((image, encoding), name) in &images {
        let says = match encoding {
            Encoding::Data => "data, read as it is",
            _ => "its colors decoded from sRGB to linear light as it is read",
        };
        let _ = write!(text, "\n// {name}: the image {}, repeated; {says}.", one_line(image));
    }
    text.push_str("\n\n");
    text.push_str(&prelude(language, &body, &extra));
    let three = language.vector(3);
    let mut inputs: Vec<_> = sets.iter().map(|own| own.input(language)).collect();
    if takes_uv {
        inputs.push(language.input(language.vector(2), "uv"));
    }
    if takes_place {
        inputs.extend(["place", "normal"].map(|name| language.input(three, name)));
    }
    let sampled = match language {
        Language::Glsl => "sampler2D",
        Language::Hlsl => "Texture2D",
        Language::Wgsl => "texture_2d<f32>",
    };
    inputs.extend(images.iter().map(|(_, name)| language.input(sampled, name)));
    let sampler = match language {
        Language::Glsl => None,
        Language::Hlsl => Some("SamplerState"),
        Language::Wgsl => Some("sampler"),
    };
    inputs.extend(
        sampler.filter(|_| !images.is_empty()).map(|kind| language.input(kind, "look_sampler")),
    );
    let inputs = inputs.join(", ");
    let ground = number(linear_from_srgb(0.72));
    let _ = match language {
        Language::Wgsl => write!(
            text,
            "fn {function}({inputs}) -> LookMaterial {{\n    var material: LookMaterial;\n"
        ),
        _ => write!(text, "LookMaterial {function}({inputs}) {{\n    LookMaterial material;\n"),
    };
    let _ = write!(
        text,
        "    material.color = {three}({ground}, {ground}, {ground});\n    material.rough = 0.6;\n    \
         material.metal = 0.0;\n    material.glow = {three}(0.0, 0.0, 0.0);\n"
    );
    for name in &extra {
        let none =
            if *name == "normal" { format!("{three}(0.0, 0.0, 1.0)") } else { "0.0".to_owned() };
        let _ = writeln!(text, "    material.{name} = {none};");
    }
    let _ = write!(text, "{body}    return material;\n}}\n");
    LookCode {
        text,
        function,
        sets: sets.into_iter().map(|own| own.set.to_owned()).collect(),
        takes_uv,
        takes_place,
        images: images
            .into_iter()
            .map(|((image, encoding), _)| ImageTaken {
                image: image.to_owned(),
                data: encoding == Encoding::Data,
            })
            .collect(),
        gives: extra.into_iter().map(str::to_owned).collect(),
        motion,
        numbers: pointers,
    }
}

impl Writer<'_> {
    fn local(&self, kind: &str, name: &str, value: &str) -> String {
        format!("        {}", self.language.local(kind, name, value))
    }

    fn layer(&mut self, at: usize, layer: &Layer) -> String {
        let (three, mix) = (self.language.vector(3), self.language.mix());
        let pointer = format!("/layers/{at}");
        let mut out = format!("    {{ // {}\n", one_line(&layer.name));
        let mut mask = self.mask(&pointer, layer);
        if let Coat::Image { laid } = &layer.coat {
            let texel = self.laid(&format!("{pointer}/coat/laid"), laid, Encoding::Color);
            out.push_str(&self.local(self.language.vector(4), "texel", &texel));
            mask.push_str(" * texel.a");
        }
        out.push_str(&self.local(self.language.scalar(), "mask", &mask));
        let coat = self.coat(&pointer, &layer.coat);
        out.push_str(&self.local(three, "coat", &coat));
        if layer.blend == Blend::Normal {
            let _ = writeln!(
                out,
                "        material.color = {mix}(material.color, look_light(coat), mask);"
            );
        } else {
            out.push_str(&self.local(three, "under", "look_encoded(material.color)"));
            let [r, g, b] = ["r", "g", "b"]
                .map(|letter| format!("look_{}(under.{letter}, coat.{letter})", word(layer.blend)));
            let _ = writeln!(
                out,
                "        material.color = look_light({mix}(under, {three}({r}, {g}, {b}), mask));"
            );
        }
        let shares = [
            ("rough", layer.rough),
            ("metal", layer.metal),
            ("through", layer.through),
            ("soft", layer.soft),
        ];
        for (field, value) in shares {
            if let Some(value) = value {
                let value = self.number(format!("{pointer}/{field}"), value);
                let _ = writeln!(
                    out,
                    "        material.{field} = {mix}(material.{field}, {value}, mask);"
                );
            }
        }
        if let Some(glow) = layer.glow {
            let glow = self.number(format!("{pointer}/glow"), glow);
            let _ = writeln!(
                out,
                "        material.glow = {mix}(material.glow, look_light(coat) * {glow}, mask);"
            );
        }
        if let Some(own) = &layer.normals {
            let read = self.laid(&format!("{pointer}/normals/laid"), &own.laid, Encoding::Data);
            let strength = self.number(format!("{pointer}/normals/strength"), own.strength);
            out.push_str(&self.local(
                three,
                "bent",
                &format!("{read}.xyz * 2.0 - {three}(1.0, 1.0, 1.0)"),
            ));
            let _ = writeln!(
                out,
                "        material.normal = normalize({mix}(material.normal, bent * {three}({strength}, \
                 {strength}, 1.0), mask));"
            );
        }
        out.push_str("    }\n");
        out
    }

    /// The numbers of an image where it lies.
    fn laid(&mut self, pointer: &str, laid: &Laid, encoding: Encoding) -> String {
        let name = self
            .images
            .iter()
            .find(|(own, _)| *own == (laid.image.as_str(), encoding))
            .map_or("", |(_, name)| name)
            .to_owned();
        let repeat = self.vector(&format!("{pointer}/repeat"), laid.repeat);
        let offset = self.vector(&format!("{pointer}/offset"), laid.offset);
        let turn = self.number(format!("{pointer}/turn"), laid.turn);
        let images = match self.language {
            Language::Glsl => name,
            _ => format!("{name}, look_sampler"),
        };
        match laid.lay {
            Lay::Uv => format!("look_image({images}, look_laid(uv, {repeat}, {offset}, {turn}))"),
            Lay::ThreeAxes { width } => {
                let width = self.number(format!("{pointer}/lay/width"), width);
                format!(
                    "look_three_axes({images}, place / ({width}), normal, {repeat}, {offset}, {turn})"
                )
            }
        }
    }

    fn mask(&mut self, pointer: &str, layer: &Layer) -> String {
        let drive = &layer.drive;
        let product = if drive.factors.is_empty() {
            "1.0".to_owned()
        } else {
            let factors: Vec<String> = drive.factors.iter().map(|own| self.factor(own)).collect();
            factors.join(" * ")
        };
        let contrast = self.number(format!("{pointer}/drive/contrast"), drive.contrast);
        let offset = self.number(format!("{pointer}/drive/offset"), drive.offset);
        let strength = self.number(format!("{pointer}/strength"), layer.strength);
        let held =
            self.language.held(&format!("({product} - 0.5) * ({contrast}) + 0.5 + ({offset})"));
        let held = if drive.inverted { format!("(1.0 - {held})") } else { held };
        format!("{held} * {strength}")
    }

    fn coat(&mut self, pointer: &str, coat: &Coat) -> String {
        let (three, mix) = (self.language.vector(3), self.language.mix());
        match coat {
            Coat::Color { color } => self.vector(&format!("{pointer}/coat/color"), *color),
            Coat::Image { .. } => "look_encoded(texel.rgb)".to_owned(),
            Coat::Set { set } => format!("{}.rgb", self.set(set)),
            Coat::Ramp { stops, by } => {
                let along = self.factor(by);
                let held = self.language.held(&along);
                let stops: Vec<String> = stops
                    .iter()
                    .enumerate()
                    .map(|(i, stop)| self.vector(&format!("{pointer}/coat/stops/{i}"), *stop))
                    .collect();
                match stops.as_slice() {
                    [low, high] => format!("{mix}({low}, {high}, {held})"),
                    [low, middle, high] => {
                        let first = format!("min({held} * 2.0, 1.0)");
                        let second = format!("max({held} * 2.0 - 1.0, 0.0)");
                        format!("{mix}({mix}({low}, {middle}, {first}), {high}, {second})")
                    }
                    _ => format!("{three}(0.0, 0.0, 0.0)"),
                }
            }
            Coat::Shift { set, amounts } => {
                let set = self.set(set).to_owned();
                let amounts = self.vector(&format!("{pointer}/coat/amounts"), *amounts);
                let half = format!("{three}(0.5, 0.5, 0.5)");
                format!("look_shifted(material.color, ({set}.rgb - {half}) * 2.0 * {amounts})")
            }
        }
    }
}

/// What a way of blending is called in the code.
fn word(blend: Blend) -> &'static str {
    match blend {
        Blend::Multiply => "multiply",
        Blend::Screen => "screen",
        Blend::Overlay => "overlay",
        Blend::SoftLight => "soft_light",
        Blend::HardLight => "hard_light",
        Blend::Darken => "darken",
        Blend::Lighten => "lighten",
        Blend::Difference => "difference",
        Blend::Add => "add",
        Blend::Subtract => "subtract",
        _ => "normal",
    }
}

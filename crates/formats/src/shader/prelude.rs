//! The functions that the code of a look calls: blends, shifts of color, ways of laying images.

use std::fmt::Write as _;

use super::{Language, names::number};

/// A function of numbers of one kind: its name, what it takes, and what it gives.
pub(super) struct Helper {
    name: &'static str,
    takes: &'static [&'static str],
    gives: &'static str,
}

/// Ways of blending, by W3C Compositing and Blending Level 1, section 10.1: `b` the backdrop, `s` the source. Those
/// that others need come before them. `?:` stands for a choice.
const BLENDS: &[Helper] = &[
    Helper { name: "multiply", takes: &["b", "s"], gives: "b * s" },
    Helper { name: "screen", takes: &["b", "s"], gives: "b + s - b * s" },
    Helper {
        name: "hard_light",
        takes: &["b", "s"],
        gives: "?(s <= 0.5 : b * 2.0 * s : b + (2.0 * s - 1.0) - b * (2.0 * s - 1.0))",
    },
    Helper { name: "overlay", takes: &["b", "s"], gives: "look_hard_light(s, b)" },
    Helper {
        name: "soft_light",
        takes: &["b", "s"],
        gives: "?(s <= 0.5 : b - (1.0 - 2.0 * s) * b * (1.0 - b) : b + (2.0 * s - 1.0) * (?(b <= 0.25 : ((16.0 * b - \
                12.0) * b + 4.0) * b : sqrt(b)) - b))",
    },
    Helper { name: "darken", takes: &["b", "s"], gives: "min(b, s)" },
    Helper { name: "lighten", takes: &["b", "s"], gives: "max(b, s)" },
    Helper { name: "difference", takes: &["b", "s"], gives: "abs(b - s)" },
    Helper { name: "add", takes: &["b", "s"], gives: "min(b + s, 1.0)" },
    Helper { name: "subtract", takes: &["b", "s"], gives: "max(b - s, 0.0)" },
];

/// What the body needs: the struct, and the functions it calls.
pub(super) fn prelude(language: Language, body: &str, extra: &[&str]) -> String {
    let (three, scalar) = (language.vector(3), language.scalar());
    let mut out = String::from("struct LookMaterial {\n");
    let fields = [
        ("color", three, "in linear light"),
        ("rough", scalar, "0 to 1"),
        ("metal", scalar, "0 to 1"),
        ("glow", three, "the light that it gives, linear"),
    ];
    let more = [
        ("through", scalar, "how much light comes through from behind, 0 to 1"),
        ("soft", scalar, "how far light bends around it, 0 to 1"),
        ("normal", three, "along the texture’s u and v, and out of the surface"),
    ];
    let more = more.into_iter().filter(|(name, ..)| extra.contains(name));
    for (name, kind, says) in fields.into_iter().chain(more) {
        let _ = match language {
            Language::Wgsl => writeln!(out, "    {name}: {kind}, // {says}"),
            _ => writeln!(out, "    {kind} {name}; // {says}"),
        };
    }
    out.push_str(if language == Language::Wgsl { "}\n\n" } else { "};\n\n" });
    let function = |name: &str, kind: &str, takes: &[&str], gives: &str| {
        let takes: Vec<_> = takes.iter().map(|name| (kind, *name)).collect();
        language.function(name, kind, &takes, &format!("    return {};\n", language.choices(gives)))
    };
    let needs_shift = body.contains("look_shifted(");
    if body.contains("look_light(") {
        out.push_str(&language.transfer("light"));
    }
    if body.contains("look_encoded(") || needs_shift {
        out.push_str(&language.transfer("encoded"));
    }
    let is_asked = |name: &str| body.contains(&format!("look_{name}("));
    for helper in BLENDS {
        let is_needed =
            is_asked(helper.name) || (helper.name == "hard_light" && is_asked("overlay"));
        if is_needed {
            let name = format!("look_{}", helper.name);
            out.push_str(&function(&name, scalar, helper.takes, helper.gives));
        }
    }
    if needs_shift {
        out.push_str(&shift(language, three));
    }
    let by_axes = is_asked("three_axes");
    if by_axes || is_asked("image") {
        out.push_str(&images(language, by_axes));
    }
    out
}

/// How images lie: turned about their middle, repeated, then moved to the right and down; and what is read there.
pub(super) fn images(language: Language, by_axes: bool) -> String {
    let (two, three, four, scalar) =
        (language.vector(2), language.vector(3), language.vector(4), language.scalar());
    let laid = [
        language.local(scalar, "angle", "radians(turn)"),
        language.local(two, "off", &format!("uv - {two}(0.5, 0.5)")),
        language.local(
            two,
            "turned",
            &format!(
                "{two}(off.x * cos(angle) - off.y * sin(angle), off.x * sin(angle) + off.y * cos(angle))"
            ),
        ),
        format!("return (turned + {two}(0.5, 0.5)) * repeat + {two}(-offset.x, offset.y);\n"),
    ];
    let laid: String = laid.iter().map(|line| format!("    {line}")).collect();
    let mut out = language.function(
        "look_laid",
        two,
        &[(two, "uv"), (two, "repeat"), (two, "offset"), (scalar, "turn")],
        &laid,
    );
    let (sampled, read): (&[(&str, &str)], _) = match language {
        Language::Glsl => (
            &[("sampler2D", "image")],
            "// The image’s lowest row comes first.\n    return texture(image, at);",
        ),
        Language::Hlsl => (
            &[("Texture2D", "image"), ("SamplerState", "look_sampler")],
            "return image.Sample(look_sampler, float2(at.x, 1.0 - at.y));",
        ),
        Language::Wgsl => (
            &[("texture_2d<f32>", "image"), ("sampler", "look_sampler")],
            "return textureSample(image, look_sampler, vec2<f32>(at.x, 1.0 - at.y));",
        ),
    };
    let takes = [sampled, &[(two, "at")]].concat();
    out.push_str(&language.function("look_image", four, &takes, &format!("    {read}\n")));
    if !by_axes {
        return out;
    }
    let images = if language == Language::Glsl { "image" } else { "image, look_sampler" };
    // What goes across and up in the image that comes along each axis, as for images in recipes.
    let side = |across: &str, up: &str| {
        format!(
            "look_image({images}, look_laid({two}(place.{across}, place.{up}), repeat, offset, turn))"
        )
    };
    let body = [
        language.local(three, "square", "normal * normal"),
        language.local(three, "share", "square * square"),
        language.local(four, "along_x", &side("z", "y")),
        language.local(four, "along_y", &side("x", "z")),
        language.local(four, "along_z", &side("x", "y")),
        "return (along_x * share.x + along_y * share.y + along_z * share.z) / max(share.x + share.y + share.z, 1e-6);\n"
            .to_owned(),
    ];
    let body: String = body.iter().map(|line| format!("    {line}")).collect();
    let takes = [
        sampled,
        &[(three, "place"), (three, "normal"), (two, "repeat"), (two, "offset"), (scalar, "turn")],
    ];
    out.push_str(&language.function("look_three_axes", four, &takes.concat(), &body));
    out
}

/// The matrices of OKLab, CSS Color 4, section 10.10: from linear sRGB to cones, from their cube roots to L, a and b,
/// and back.
pub(super) struct Oklab {
    pub(super) to_lms: [[f32; 3]; 3],
    pub(super) to_lab: [[f32; 3]; 3],
    pub(super) from_lab: [[f32; 3]; 3],
    pub(super) from_lms: [[f32; 3]; 3],
}

pub(super) const OKLAB: Oklab = Oklab {
    to_lms: [
        [0.412_221_46, 0.536_332_55, 0.051_445_99],
        [0.211_903_5, 0.680_699_5, 0.107_396_96],
        [0.088_302_46, 0.281_718_85, 0.629_978_7],
    ],
    to_lab: [
        [0.210_454_26, 0.793_617_8, -0.004_072_047],
        [1.977_998_5, -2.428_592_2, 0.450_593_7],
        [0.025_904_037, 0.782_771_77, -0.808_675_77],
    ],
    from_lab: [
        [1.0, 0.396_337_78, 0.215_803_76],
        [1.0, -0.105_561_346, -0.063_854_17],
        [1.0, -0.089_484_18, -1.291_485_5],
    ],
    from_lms: [
        [4.076_741_7, -3.307_711_6, 0.230_969_94],
        [-1.268_438, 2.609_757_4, -0.341_319_38],
        [-0.004_196_086_3, -0.703_418_6, 1.707_614_7],
    ],
};

/// The shift of a color in OKLab.
pub(super) fn shift(language: Language, three: &str) -> String {
    let Oklab { to_lms, to_lab, from_lab, from_lms } = OKLAB;
    let rows = |matrix: [[f32; 3]; 3], of: &str| {
        let rows = matrix.map(|row| {
            let [a, b, c] = row.map(number);
            format!("dot({three}({a}, {b}, {c}), {of})")
        });
        format!("{three}({})", rows.join(", "))
    };
    let local = |name: &str, value: &str| format!("    {}", language.local(three, name, value));
    let zeros = format!("{three}(0.0, 0.0, 0.0)");
    let ones = format!("{three}(1.0, 1.0, 1.0)");
    let third = format!("{three}(1.0 / 3.0, 1.0 / 3.0, 1.0 / 3.0)");
    let body = [
        local("cone", &format!("max({}, {zeros})", rows(to_lms, "c"))),
        local("root", &format!("pow(cone, {third})")),
        local("lab", &format!("{} + by", rows(to_lab, "root"))),
        local("roots", &rows(from_lab, "lab")),
        local("linear_c", &rows(from_lms, "(roots * roots * roots)")),
        format!("    return look_encoded(clamp(linear_c, {zeros}, {ones}));\n"),
    ];
    language.function("look_shifted", three, &[(three, "c"), (three, "by")], &body.concat())
}

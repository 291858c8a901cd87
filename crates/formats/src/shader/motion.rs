//! How what wears a look moves, as shading code: a function that gives how far a vertex goes.
//!
//! It reckons what `speckle_tools::motion` does.

use std::fmt::Write as _;

use serde::Serialize;
use speckle_model::proof::Look;

use super::{
    Language,
    names::plain,
    syntax::one_line,
    writer::{SetTaken, Writer},
};

/// The motion of a look as code.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct MotionCode {
    /// All of it.
    pub text: String,
    /// What the function is called.
    pub function: String,
    /// The sets whose numbers it takes, by name, in the order in which it takes them; then the place and the normal in
    /// the part's space, the time in seconds, where the wind blows to in the part's space, and the wind: its
    /// strength, swings in a second, and gusts.
    pub sets: Vec<String>,
}

/// The function that moves a vertex, where a look moves any.
pub(super) fn motion_code(look: &Look, writer: &mut Writer) -> Option<MotionCode> {
    let motion = &look.motion;
    let language = writer.language;
    let (three, four, scalar) = (language.vector(3), language.vector(4), language.scalar());
    let taken: Vec<&str> = motion.sets().collect();
    if taken.is_empty() {
        return None;
    }
    let is_taken = |own: &&SetTaken| taken.contains(&own.set);
    let begun: String =
        writer.sets.iter().filter(is_taken).map(|own| own.begun(language)).collect();
    let mut body = match language {
        Language::Wgsl => format!("{begun}    var moved = {three}(0.0, 0.0, 0.0);\n"),
        _ => format!("{begun}    {three} moved = {three}(0.0, 0.0, 0.0);\n"),
    };
    let mut add = |line: String| {
        let _ = writeln!(body, "    moved += {line};");
    };
    if let Some(sway) = &motion.sway {
        let far = writer.number("/motion/sway/far".to_owned(), sway.far);
        let phase = sway.phase.as_ref().map_or_else(|| "0.0".to_owned(), |own| writer.factor(own));
        let weight = writer.factor(&sway.by);
        add(format!(
            "wind_to * (wind.x * look_swing(seconds, wind.y, wind.z, {phase}) * ({far}) * {weight})"
        ));
    }
    if let Some(push) = &motion.push {
        let far = writer.number("/motion/push/far".to_owned(), push.far);
        let weight = writer.factor(&push.by);
        let weight = if push.signed { format!("({weight} * 2.0 - 1.0)") } else { weight };
        add(format!("normal * (({far}) * {weight})"));
    }
    if let Some(own) = &motion.disturb {
        let mut number =
            |name: &str, value: f32| writer.number(format!("/motion/disturb/{name}"), value);
        let (far, width) = (number("far", own.far), number("width", own.width));
        let speed = number("speed", own.speed);
        let weight = writer.factor(&own.by);
        let drift = format!("{three}(1.0, 1.0, 1.0) * ({speed} * seconds)");
        add(format!("look_noise(place / ({width}) + {drift}) * (({far}) * {weight})"));
    }
    body.push_str("    return moved;\n");
    let function = format!("motion_{}", plain(&look.name, "of_layers"));
    let mut text = format!("// How far what wears the look {} moves.", one_line(&look.name));
    let sets: Vec<&SetTaken> = writer.sets.iter().filter(is_taken).collect();
    text.extend(sets.iter().map(|own| own.remarks()));
    text.push_str(
        "\n// place, normal: in the part’s own space, as is what is given. seconds: the time.\
         \n// wind_to: where the wind blows to, unit length. wind: its strength, swings in a second, gusts.\n\n",
    );
    if motion.sway.is_some() {
        text.push_str(&swing(language));
    }
    if motion.disturb.is_some() {
        text.push_str(&noise(language));
    }
    if !begun.is_empty() {
        // In a file of its own as in one with the material, whose functions have other names.
        text.push_str(&language.transfer("encoded").replace("look_encoded", "motion_encoded"));
        body = body.replace("look_encoded(", "motion_encoded(");
    }
    let names: Vec<String> = sets.iter().map(|own| own.taken()).collect();
    let mut takes: Vec<(&str, &str)> = names.iter().map(|name| (four, name.as_str())).collect();
    takes.extend([(three, "place"), (three, "normal"), (scalar, "seconds")]);
    takes.extend([(three, "wind_to"), (three, "wind")]);
    text.push_str(language.function(&function, three, &takes, &body).trim_end());
    text.push('\n');
    Some(MotionCode {
        text,
        function,
        sets: sets.into_iter().map(|own| own.set.to_owned()).collect(),
    })
}

/// How far of its way what sways is.
fn swing(language: Language) -> String {
    let scalar = language.scalar();
    let takes = ["seconds", "speed", "gusts", "phase"].map(|name| (scalar, name));
    let wave = |rate: &str| format!("sin(6.2831853 * ({rate}speed * seconds + phase))");
    let body = format!(
        "    return 0.5 + 0.5 * {} * (1.0 - gusts * (0.5 + 0.5 * {}));\n",
        wave(""),
        wave("0.37 * ")
    );
    language.function("look_swing", scalar, &takes, &body)
}

/// Three numbers from −1 to 1 that change smoothly in space, by the hash PCG3D.
fn noise(language: Language) -> String {
    let three = language.vector(3);
    let (whole, signed) = match language {
        Language::Glsl => ("uvec3", "ivec3"),
        Language::Hlsl => ("uint3", "int3"),
        Language::Wgsl => ("vec3<u32>", "vec3<i32>"),
    };
    let mix = language.mix();
    let step = |a: &str, b: &str, c: &str| format!("    v.{a} += v.{b} * v.{c};\n");
    let round = [step("x", "y", "z"), step("y", "z", "x"), step("z", "x", "y")].concat();
    let [open, shift] = match language {
        Language::Wgsl => [
            format!("    var v = {whole}({signed}(floor(at)));\n"),
            "    v = v ^ (v >> vec3<u32>(16u, 16u, 16u));\n".to_owned(),
        ],
        _ => [
            format!("    {whole} v = {whole}({signed}(floor(at)));\n"),
            format!("    v = v ^ (v >> {whole}(16u, 16u, 16u));\n"),
        ],
    };
    let times = format!("{whole}(1664525u, 1664525u, 1664525u)");
    let plus = format!("{whole}(1013904223u, 1013904223u, 1013904223u)");
    let hash = format!(
        "{open}    v = v * {times} + {plus};\n{round}{shift}{round}    return {three}(v >> \
         {whole}(8u, 8u, 8u)) / 8388608.0 - {three}(1.0, 1.0, 1.0);\n"
    );
    let corner = |x: u8, y: u8, z: u8| format!("look_corner(low + {three}({x}.0, {y}.0, {z}.0))");
    let row = |y: u8, z: u8| format!("{mix}({}, {}, s.x)", corner(0, y, z), corner(1, y, z));
    let body = [
        language.local(three, "low", "floor(at)"),
        language.local(three, "f", "at - low"),
        language.local(
            three,
            "s",
            &format!(
                "f * f * f * (f * (f * 6.0 - {three}(15.0, 15.0, 15.0)) + {three}(10.0, 10.0, 10.0))"
            ),
        ),
        language.local(three, "near", &format!("{mix}({}, {}, s.y)", row(0, 0), row(1, 0))),
        language.local(three, "far", &format!("{mix}({}, {}, s.y)", row(0, 1), row(1, 1))),
        format!("return {mix}(near, far, s.z);\n"),
    ];
    let body: String = body.iter().map(|line| format!("    {line}")).collect();
    [
        language.function("look_corner", three, &[(three, "at")], &hash),
        language.function("look_noise", three, &[(three, "at")], &body),
    ]
    .concat()
}

//! Functions that take packed numbers out again: those of 16 bits in two channels, and directions that
//! were folded into two.

use super::{
    Language,
    names::{NamedSet, number},
};
use crate::holds::Holds;

/// Those of a set, as code.
pub(super) fn functions(set: &NamedSet, language: Language) -> String {
    let mut out = String::new();
    let letters = |wanted: fn(&Holds) -> bool| {
        let all = set
            .channels
            .iter()
            .filter(move |channel| channel.says.holds.as_ref().is_some_and(wanted));
        all.collect::<Vec<_>>()
    };
    let highs = letters(|holds| matches!(holds, Holds::HighByte { .. }));
    let lows = letters(|holds| matches!(holds, Holds::LowByte));
    for (high, low) in highs.into_iter().zip(lows) {
        let Some(Holds::HighByte { low: least, high: most }) = high.says.holds else { continue };
        let byte = |letter: &str| format!("floor(stored.{letter} * 255.0 + 0.5)");
        let whole = format!("({} * 256.0 + {}) / 65535.0", byte(high.letter), byte(low.letter));
        let body = format!("return {} + {whole} * {};", number(least), number(most - least));
        let title =
            format!("The number of 16 bits in {} and {}.", high.says.channel, low.says.channel);
        out.push_str(&function(
            &format!("{}_{}", set.name, high.name),
            "whole",
            &title,
            ["float", "f32"],
            &body,
            language,
        ));
    }
    let across = letters(|holds| matches!(holds, Holds::FoldedAcross));
    let up = letters(|holds| matches!(holds, Holds::FoldedUp));
    for (across, up) in across.into_iter().zip(up) {
        let (x, y) = (
            format!("(stored.{} * 2.0 - 1.0)", across.letter),
            format!("(stored.{} * 2.0 - 1.0)", up.letter),
        );
        let [three, kind] = match language {
            Language::Glsl => ["vec3", "vec3"],
            Language::Hlsl => ["float3", "float3"],
            Language::Wgsl => ["vec3<f32>", "vec3<f32>"],
        };
        // Beyond the rim of the upper half its sides are folded back (Cigolle et al. 2014).
        let beyond = format!("max(abs({x}) + abs({y}) - 1.0, 0.0)");
        let side = |x: &str| match language {
            Language::Wgsl => format!("{x} - select(-1.0, 1.0, {x} >= 0.0) * {beyond}"),
            _ => format!("{x} - ({x} >= 0.0 ? 1.0 : -1.0) * {beyond}"),
        };
        let body = format!(
            "return normalize({three}({}, {}, 1.0 - abs({x}) - abs({y})));",
            side(&x),
            side(&y)
        );
        let title = format!(
            "The direction that was folded into {} and {}.",
            across.says.channel, up.says.channel
        );
        out.push_str(&function(&set.name, "direction", &title, [kind, kind], &body, language));
    }
    out
}

fn function(
    name: &str,
    verb: &str,
    title: &str,
    [kind, web]: [&str; 2],
    body: &str,
    language: Language,
) -> String {
    let head = match language {
        Language::Glsl => format!("{kind} {verb}_{name}(vec4 stored) {{"),
        Language::Hlsl => format!("{kind} {verb}_{name}(float4 stored) {{"),
        Language::Wgsl => format!("fn {verb}_{name}(stored: vec4<f32>) -> {web} {{"),
    };
    format!("\n// {title}\n{head}\n    {body}\n}}\n")
}

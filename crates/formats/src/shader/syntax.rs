//! How shading languages write what is the same in all of them.

use super::Language;

impl Language {
    /// A vector of so many numbers.
    pub(super) fn vector(self, count: usize) -> &'static str {
        match (self, count) {
            (Self::Glsl, 2) => "vec2",
            (Self::Glsl, 3) => "vec3",
            (Self::Glsl, _) => "vec4",
            (Self::Hlsl, 2) => "float2",
            (Self::Hlsl, 3) => "float3",
            (Self::Hlsl, _) => "float4",
            (Self::Wgsl, 2) => "vec2<f32>",
            (Self::Wgsl, 3) => "vec3<f32>",
            (Self::Wgsl, _) => "vec4<f32>",
        }
    }

    /// A number.
    pub(super) fn scalar(self) -> &'static str {
        if self == Self::Wgsl { "f32" } else { "float" }
    }

    /// The function that goes from one to another by a share.
    pub(super) fn mix(self) -> &'static str {
        if self == Self::Hlsl { "lerp" } else { "mix" }
    }

    /// A number held between 0 and 1.
    pub(super) fn held(self, inner: &str) -> String {
        match self {
            Self::Hlsl => format!("saturate({inner})"),
            _ => format!("clamp({inner}, 0.0, 1.0)"),
        }
    }

    /// Something named, within a function.
    pub(super) fn local(self, kind: &str, name: &str, value: &str) -> String {
        match self {
            Self::Wgsl => format!("let {name} = {value};\n"),
            _ => format!("{kind} {name} = {value};\n"),
        }
    }

    /// What a function takes.
    pub(super) fn input(self, kind: &str, name: &str) -> String {
        match self {
            Self::Wgsl => format!("{name}: {kind}"),
            _ => format!("{kind} {name}"),
        }
    }

    /// A function; its body is one line or several, each with its end.
    pub(super) fn function(
        self,
        name: &str,
        gives: &str,
        takes: &[(&str, &str)],
        body: &str,
    ) -> String {
        let inputs: Vec<_> = takes.iter().map(|(kind, name)| self.input(kind, name)).collect();
        let inputs = inputs.join(", ");
        match self {
            Self::Wgsl => format!("fn {name}({inputs}) -> {gives} {{\n{body}}}\n\n"),
            _ => format!("{gives} {name}({inputs}) {{\n{body}}}\n\n"),
        }
    }

    /// The sRGB transfer function, IEC 61966-2-1, of a number and of three: `look_light` or `look_encoded`.
    pub(super) fn transfer(self, to: &str) -> String {
        let formula = match to {
            "light" => "?(c <= 0.04045 : c / 12.92 : pow(max(c + 0.055, 0.0) / 1.055, 2.4))",
            _ => "?(c <= 0.0031308 : c * 12.92 : 1.055 * pow(max(c, 0.0), 1.0 / 2.4) - 0.055)",
        };
        let (three, scalar) = (self.vector(3), self.scalar());
        let one = format!("look_{to}_of");
        let of_one = format!("    return {};\n", self.choices(formula));
        let of_all = format!("    return {three}({one}(c.r), {one}(c.g), {one}(c.b));\n");
        [
            self.function(&one, scalar, &[(scalar, "c")], &of_one),
            self.function(&format!("look_{to}"), three, &[(three, "c")], &of_all),
        ]
        .concat()
    }

    /// A formula with its choices as the language writes them: `?(condition : if so : if not)`, innermost first.
    pub(super) fn choices(self, text: &str) -> String {
        let mut text = text.to_owned();
        while let Some(start) = text.rfind("?(") {
            let inner = start + 2;
            let (mut depth, mut parts, mut from) = (0, Vec::new(), inner);
            let mut end = text.len();
            for (at, c) in text[inner..].char_indices().map(|(at, c)| (inner + at, c)) {
                match c {
                    '(' => depth += 1,
                    ')' if depth == 0 => {
                        parts.push(text[from..at].trim().to_owned());
                        end = at;
                        break;
                    }
                    ')' => depth -= 1,
                    ':' if depth == 0 => {
                        parts.push(text[from..at].trim().to_owned());
                        from = at + 1;
                    }
                    _ => {}
                }
            }
            let [condition, yes, no] = [0, 1, 2].map(|i| parts.get(i).cloned().unwrap_or_default());
            let choice = match self {
                Self::Wgsl => format!("select({no}, {yes}, {condition})"),
                // Not as a colon, which parts choices here; it becomes one at last.
                _ => format!("(({condition}) \u{1} ({yes}) \u{2} ({no}))"),
            };
            text.replace_range(start..=end, &choice);
        }
        text.replace('\u{1}', "?").replace('\u{2}', ":")
    }
}

/// A title on one line of a remark.
pub(super) fn one_line(title: &str) -> String {
    title.split_whitespace().collect::<Vec<_>>().join(" ")
}

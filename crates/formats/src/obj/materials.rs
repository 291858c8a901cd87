//! MTL: the diffuse color and the image of each material.

use std::collections::HashMap;

use speckle_model::Material;

/// The materials in an MTL file, by name; each image as the file calls it. Lines that say other
/// things are passed over.
pub fn read(bytes: &[u8], into: &mut HashMap<String, Material>) {
    let text = String::from_utf8_lossy(bytes);
    let mut current: Option<String> = None;
    for line in text.lines() {
        let line = line.trim();
        let (word, rest) = line.split_once(char::is_whitespace).unwrap_or((line, ""));
        let rest = rest.trim();
        let mut numbers = rest.split_whitespace().map_while(|token| token.parse::<f32>().ok());
        let material = match (word, &current) {
            ("newmtl", _) => {
                current = Some(rest.to_owned());
                into.insert(rest.to_owned(), Material::new(rest, [1.0; 4]));
                continue;
            }
            (_, Some(name)) => {
                into.entry(name.clone()).or_insert_with(|| Material::new(name, [1.0; 4]))
            }
            (_, None) => continue,
        };
        match word {
            "Kd" => {
                // One number alone stands for all three.
                let red = numbers.next().unwrap_or(1.0);
                let green = numbers.next().unwrap_or(red);
                let blue = numbers.next().unwrap_or(red);
                material.color = [red, green, blue, material.color[3]];
            }
            "d" => material.color[3] = numbers.next().unwrap_or(1.0),
            "Tr" => material.color[3] = 1.0 - numbers.next().unwrap_or(0.0),
            "map_Kd" => material.image = image(rest),
            _ => {}
        }
    }
}

/// The image's name behind its options, which begin with a dash and have numbers or a word.
fn image(text: &str) -> Option<String> {
    let mut rest = text;
    while rest.starts_with('-') {
        let mut words = rest.splitn(2, char::is_whitespace);
        let option = words.next().unwrap_or_default();
        rest = words.next().unwrap_or_default().trim_start();
        let most = match option {
            "-o" | "-s" | "-t" => 3,
            "-mm" => 2,
            _ => 1,
        };
        for nth in 0..most {
            let (value, behind) = rest.split_once(char::is_whitespace).unwrap_or((rest, ""));
            // The first may be a word; numbers behind it need not all be there.
            if nth > 0 && value.parse::<f32>().is_err() {
                break;
            }
            rest = behind.trim_start();
        }
    }
    let name = rest.trim().replace('\\', "/");
    (!name.is_empty()).then_some(name)
}

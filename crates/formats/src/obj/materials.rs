//! MTL: the diffuse color of each material.

use std::collections::HashMap;

use speckle_core::color::Rgba;

/// The diffuse colors in an MTL file, by material. Lines that say other things are passed over.
pub fn read(bytes: &[u8], into: &mut HashMap<String, Rgba>) {
    let text = String::from_utf8_lossy(bytes);
    let mut current: Option<String> = None;
    for line in text.lines() {
        let line = line.trim();
        let (word, rest) = line.split_once(char::is_whitespace).unwrap_or((line, ""));
        let mut numbers = rest.split_whitespace().map_while(|token| token.parse::<f32>().ok());
        let material = match (word, &current) {
            ("newmtl", _) => {
                current = Some(rest.trim().to_owned());
                into.insert(rest.trim().to_owned(), [1.0; 4]);
                continue;
            }
            (_, Some(name)) => into.entry(name.clone()).or_insert([1.0; 4]),
            (_, None) => continue,
        };
        match word {
            "Kd" => {
                // One number alone stands for all three.
                let red = numbers.next().unwrap_or(1.0);
                let green = numbers.next().unwrap_or(red);
                let blue = numbers.next().unwrap_or(red);
                *material = [red, green, blue, material[3]];
            }
            "d" => material[3] = numbers.next().unwrap_or(1.0),
            "Tr" => material[3] = 1.0 - numbers.next().unwrap_or(0.0),
            _ => {}
        }
    }
}

//! JSON that others wrote.

use serde::de::DeserializeOwned;
use serde_json::Value;

/// Reads JSON. A number that 32-bit floats cannot hold would become infinite, and go out again as no
/// number at all.
///
/// # Errors
/// What is wrong with it, said for whoever wrote it.
pub fn read<T: DeserializeOwned>(bytes: &[u8]) -> Result<T, String> {
    let value: Value = serde_json::from_slice(bytes).map_err(|error| error.to_string())?;
    match too_large(&value) {
        Some(number) => Err(format!("the number {number:e} is too large")),
        None => serde_json::from_value(value).map_err(|error| error.to_string()),
    }
}

fn too_large(value: &Value) -> Option<f64> {
    match value {
        Value::Number(number) => {
            number.as_f64().filter(|number| number.abs() > f64::from(f32::MAX))
        }
        Value::Array(values) => values.iter().find_map(too_large),
        Value::Object(fields) => fields.values().find_map(too_large),
        _ => None,
    }
}

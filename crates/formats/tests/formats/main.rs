//! What readers and writers are held to: files of other programs, the standards, any bytes.

mod any_bytes;
mod any_recipient;
mod carrying;
mod color_truth;
mod common;
mod every_format;
mod folders;
mod foreign;
mod glb;
mod look_pictures;
mod looks;
mod losses;
mod materials;
mod meaning;
mod normals;
mod obj;
mod packages;
mod ply;
mod recipients;
mod round_trip;
mod shaders;
mod spools;
mod stl;
mod turned;

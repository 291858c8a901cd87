//! Builds the front end into the program anew whenever it was built anew.

fn main() {
    println!("cargo:rerun-if-changed=../../web/dist");
}
